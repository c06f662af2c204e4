import { CircleHelp, Redo2, Settings2, Undo2 } from "lucide-react";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";
import { Navigate } from "react-router";

import type { StageProps } from "../shared/stage";
import { Fault, type EditionLines, type Production } from "../shared/api/client";
import { startVoicing, useCurrentMix, useChange, useEdition, useProduction } from "../shared/api/queries";
import { useKeys, useLetGo, usePanelKeys } from "../shared/useKeys";
import { Button, Empty, IconButton, Sheet } from "../shared/ui/controls";
import { AdaptStage } from "../stages/adapt/AdaptStage";
import { CastStage } from "../stages/cast/CastStage";
import { DeliverStage } from "../stages/deliver/DeliverStage";
import { DirectStage } from "../stages/direct/DirectStage";
import { MixStage } from "../stages/mix/MixStage";
import { ScriptStage } from "../stages/script/ScriptStage";
import { useLiveScript, useScript, useScriptActions } from "../shared/script/useScript";
import { TimeStage } from "../stages/time/TimeStage";
import { Finishing } from "./MainAction";
import { useNotices } from "../shared/notices";
import { keepPlace, lineInAddress, STAGES, usePlace, type Stage } from "../shared/place";
import { PictureButton, PictureWindow } from "./PictureWindow";
import { RemarksBar } from "./RemarksBar";
import { ProductionSettings } from "./ProductionSettings";
import { usePlayer } from "../shared/player";
import { openAt, useRemarks } from "../shared/remarks";
import { ThemeButton, TopBar } from "./TopBar";
import { Transport } from "./Transport";

const VIEWS: Record<Exclude<Stage, "script">, (props: StageProps) => React.ReactNode> = {
  cast: CastStage,
  adapt: AdaptStage,
  direct: DirectStage,
  time: TimeStage,
  mix: MixStage,
  deliver: DeliverStage,
};

/** The frame around every stage of a production. */
export function Workplace() {
  const { t } = useTranslation();
  const place = usePlace();
  const production = useProduction(place.production);
  // Asked for beside the production, not after it.
  useLiveScript(place.production);
  if (production.error)
    return (
      <Empty title={production.error instanceof Fault && production.error.message ? production.error.message : t("common.unreachable")}>
        <Button look="main" onClick={() => void production.refetch()}>{t("common.again")}</Button>
        <a className="underline" href="/">{t("productions.title")}</a>
      </Empty>
    );
  if (!production.data) return <p className="p-8 text-soft" role="status">{t("common.loading")}</p>;
  const known = production.data.editions.some((edition) => edition.language === place.language);
  if (!known) {
    // A production opens at its first translation, where the work is.
    const first = production.data.editions[1] ?? production.data.editions[0];
    return <Navigate replace to={`/productions/${place.production}/${encodeURIComponent(first?.language ?? "")}/script`} />;
  }
  return <Opened production={production.data} />;
}

function openPoints(stage: Stage, production: Production, edition: EditionLines | undefined, unclear: readonly number[]): number {
  if (!edition) return 0;
  const counts = edition.edition.counts;
  if (stage === "cast") {
    const speakers = new Set(edition.lines.filter((line) => line.state === "uncast").map((line) => line.speaker));
    return speakers.size + counts.wrong_language;
  }
  if (stage === "script") return production.editions.find((one) => one.is_source)?.counts.empty ?? 0;
  if (stage === "adapt") return edition.edition.is_source ? 0 : counts.empty;
  if (stage === "time") return counts.over;
  if (stage === "mix") return unclear.length;
  if (stage === "deliver") return counts.unvoiced + counts.out_of_date + counts.sketch;
  return 0;
}

function firstOpen(stage: Stage, edition: EditionLines, source: EditionLines | undefined, unclear: readonly number[]): number | undefined {
  if (stage === "mix") return unclear[0];
  const lines = stage === "script" ? (source?.lines ?? []) : edition.lines;
  return lines.find((line) => {
    if (stage === "cast") return line.state === "uncast" || line.wrong_language;
    if (stage === "time") return line.harm > 0;
    if (stage === "deliver") return line.state === "unvoiced" || line.state === "out_of_date" || line.quality === "sketch";
    return line.state === "empty";
  })?.id;
}

function Opened({ production }: { production: Production }) {
  const { t } = useTranslation();
  const place = usePlace();
  const say = useNotices((state) => state.say);
  const [keys, setKeys] = useState(false);
  const [settings, setSettings] = useState(false);
  const script = useScript(production.id);
  // The script is there to be typed in before it is asked how every line of it stands.
  const wait = place.stage === "script" && !script;
  const source = useEdition(production.id, wait ? undefined : production.source_language);
  const edition = useEdition(production.id, wait ? undefined : place.language);
  const mix = useCurrentMix(production.id, place.language, edition.data?.mix_recipe);
  // Lines that what lies under them hides, in the script's order.
  const hidden = mix?.state === "ready" ? (mix.report?.unclear ?? {}) : {};
  const unclear = (edition.data?.lines ?? []).filter((line) => hidden[String(line.id)] !== undefined).map((line) => line.id);
  const remarks = useRemarks(production.id);
  const actions = useScriptActions(production.id);
  // The script is looked at again by what is done in it, the production by what is done elsewhere.
  const { undo: undoable, redo: redoable } = place.stage === "script" && script ? script : production;
  const voice = useChange(production.id, (line: number) => startVoicing(production.id, place.language, "take", [line]));
  const tell = (error: Error) => say({ tone: "bad", text: error.message || t("common.unreachable") });
  const takeBack = async (way: "undo" | "redo") => {
    if (production.role === "reader") return;
    const now = (await actions.settled()) ?? production;
    if (!(now[way] ?? production[way])) return;
    const answer = await actions[way]();
    if (!answer) return;
    // What was taken back, not what the button said a moment ago.
    const { name } = answer.done as { name: string };
    const what = t(`action.${name}`);
    say({ tone: "calm", text: way === "undo" ? t("frame.undone", { what }) : t("frame.redone", { what }) });
  };
  const onUndo = () => void takeBack("undo");
  const onRedo = () => void takeBack("redo");
  const lines: readonly { id: number }[] = (place.stage === "script" ? script?.lines : edition.data?.lines) ?? [];
  const move = (by: 1 | -1) => {
    const current = lineInAddress();
    const at = lines.findIndex((line) => line.id === current);
    const next = lines[at < 0 ? (by === 1 ? 0 : lines.length - 1) : Math.min(lines.length - 1, Math.max(0, at + by))];
    if (next) place.select(next.id);
  };
  useLetGo();
  usePanelKeys();
  useKeys({
    "?": () => setKeys(true),
    "Mod+z": onUndo,
    "Mod+Shift+z": onRedo,
    "Mod+y": onRedo,
    ArrowDown: () => move(1),
    ArrowUp: () => move(-1),
    v: () => place.line && voice.mutate(place.line, { onError: tell }),
    ...Object.fromEntries(STAGES.map((stage, index) => [String(index + 1), () => place.go({ stage })])),
  });
  useEffect(() => {
    document.title = `${production.name} · Janoglot`;
  }, [production.name]);
  useEffect(() => () => usePlayer.getState().pause(), [production.id]);
  useEffect(() => keepPlace(production.id), [production.id, place.language, place.stage, place.line]);
  const View = place.stage === "script" ? null : VIEWS[place.stage];
  const fault = edition.error ?? source.error;
  return (
    <div className="h-full flex flex-col min-w-[1000px]">
      <TopBar production={production} />
      <nav aria-label={t("frame.stages")} className="h-10 shrink-0 flex items-stretch gap-1 px-3 bg-paper border-b border-rule">
        {STAGES.map((stage) => {
          const said = openAt(remarks, stage, place.language);
          const open = openPoints(stage, production, edition.data, unclear) + said.length;
          const current = stage === place.stage;
          return (
            <span key={stage} className={`flex items-center gap-1 px-2 border-b-2 ${current ? "border-tide" : "border-transparent"}`}>
              <button
                type="button"
                aria-current={current ? "page" : undefined}
                className={`px-1 h-full text-sm ${current ? "font-semibold" : "text-soft hover:text-ink"}`}
                onClick={() => place.go({ stage })}
              >
                {t(`stage.${stage}`)}
              </button>
              {open > 0 && (
                <button
                  type="button"
                  aria-label={t("frame.open", { stage: t(`stage.${stage}`), count: open })}
                  className="min-w-5 h-5 px-1 rounded-sm bg-lamp-wash text-2xs font-semibold hover:bg-lamp hover:text-lamp-ink"
                  onClick={() => {
                    const first = (edition.data && firstOpen(stage, edition.data, source.data, unclear)) ?? said.find((one) => one.line !== null)?.line ?? undefined;
                    place.go({ stage, ...(first === undefined ? {} : { line: first }) });
                  }}
                >
                  {open}
                </button>
              )}
            </span>
          );
        })}
        <span className="ms-auto flex items-center gap-0.5">
          <Finishing production={production} />
          <PictureButton production={production.id} />
          {production.role !== "reader" && (
            <>
              <IconButton name={undoable ? t("frame.undoWhat", { what: t(`action.${undoable}`) }) : t("frame.nothingToUndo")} disabled={!undoable} onClick={onUndo}>
                <Undo2 size={16} aria-hidden />
              </IconButton>
              <IconButton name={redoable ? t("frame.redoWhat", { what: t(`action.${redoable}`) }) : t("frame.nothingToRedo")} disabled={!redoable} onClick={onRedo}>
                <Redo2 size={16} aria-hidden />
              </IconButton>
            </>
          )}
          <IconButton name={t("settings.title")} onClick={() => setSettings(true)}>
            <Settings2 size={16} aria-hidden />
          </IconButton>
          <IconButton name={t("frame.keys")} onClick={() => setKeys(true)}>
            <CircleHelp size={16} aria-hidden />
          </IconButton>
          <ThemeButton />
        </span>
      </nav>
      <RemarksBar key={place.stage} production={production} remarks={remarks} />
      <main id="work" className="grow min-h-0 flex">
        {!View ? (
          <ScriptStage key={production.id} production={production} source={source.data} />
        ) : fault && !edition.data ? (
          <Empty title={fault.message || t("common.unreachable")}>
            <Button look="main" onClick={() => void Promise.all([edition.refetch(), source.refetch()])}>{t("common.again")}</Button>
          </Empty>
        ) : edition.data && source.data ? (
          <View key={place.language} production={production} edition={edition.data} source={source.data} />
        ) : (
          <p className="p-8 text-soft grow" role="status">{t("common.loading")}</p>
        )}
        <PictureWindow production={production} dub={edition.data} line={edition.data?.lines.find((line) => line.id === place.line)} />
      </main>
      <Transport production={production} source={source.data} dub={edition.data} />
      <ProductionSettings production={production} open={settings} onClose={() => setSettings(false)} />
      <Sheet title={t("frame.keys")} open={keys} onClose={() => setKeys(false)}>
        <dl className="p-5 grid grid-cols-[auto_1fr] gap-x-5 gap-y-2 text-sm">
          {(["space", "comma", "arrows", "v", "digits", "enter", "backspace", "altArrows", "shiftArrows", "s", "g", "o", "i", "adaptNext", "adaptApprove", "board", "altNudge", "zoom", "cure", "nextBad", "undo", "redo", "find", "panels", "sameField", "ab", "help"] as const).map((key) => (
            <div key={key} className="contents">
              <dt><kbd className="px-1.5 py-0.5 rounded-sm border border-rule bg-paper font-sans">{t(`keys.${key}.key`)}</kbd></dt>
              <dd>{t(`keys.${key}.does`)}</dd>
            </div>
          ))}
        </dl>
      </Sheet>
    </div>
  );
}
