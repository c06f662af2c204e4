import { useQuery } from "@tanstack/react-query";
import { AudioWaveform, Clapperboard, Plus } from "lucide-react";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import { api, data, editionPath } from "../../shared/api/client";
import { askForMix, awaitNoMix, useChange, useCurrentMix } from "../../shared/api/queries";
import { clock, decibels } from "../../shared/format";
import { LayerPlayer, type LayerStrip } from "../../shared/layerPlayer";
import { useNotices } from "../../shared/notices";
import { usePlace } from "../../shared/place";
import { setLayered, usePlayer } from "../../shared/player";
import type { StageProps } from "../../shared/stage";
import { Button, Empty, Tick } from "../../shared/ui/controls";
import { useJob } from "../../shared/useJob";
import { useKeys } from "../../shared/useKeys";
import { useSourceMedia } from "../../shared/useSourceMedia";
import { AddSound, type NewSound } from "./AddSound";
import { BedPanel, SOURCE_LAYER } from "./BedPanel";
import { CuePanel } from "./CuePanel";
import { DuckPanel, RoomPanel } from "./HeadPanel";
import { Heads, sameHead, type Head } from "./Heads";
import { DEEPER_BY, LoudnessPanel } from "./LoudnessPanel";
import { asEverywhere, changed, inEdition, newLayer, otherwise, soundName, stripOf, useLayers, useSoundWorld, type Cue, type LayerKind, type SoundWorld, type Strip } from "./soundWorld";
import { Waterline } from "./Waterline";

const NO_STRIP: Strip = { level_db: 0, pan: 0, mute: false, solo: false };
const CLOSEST = 400;

const pieceAddress = (production: number, language: string, layer: string, block: number, key: string) =>
  `${editionPath(production, language)}/layers/piece.flac?${new URLSearchParams({ layer, block: String(block), key }).toString()}`;

/** A sound world around the voices, for all editions; and how loud the whole of it is. */
export function MixStage({ production, edition }: StageProps) {
  const { t } = useTranslation();
  const say = useNotices((state) => state.say);
  const place = usePlace();
  const source = useSourceMedia(production.id);
  const { language } = edition.edition;
  const { plan, known, set } = useSoundWorld(production.id);
  const here = useMemo(() => inEdition(plan, language), [plan, language]);
  const mix = useCurrentMix(production.id, language, edition.mix_recipe);
  const told = useLayers(production.id, language, edition.mix_recipe, mix?.state === "ready");
  const [head, setHead] = useState<Head | null>(null);
  const [cueId, setCueId] = useState<string | null>(null);
  const [onlyHere, setOnlyHere] = useState(false);
  const [adding, setAdding] = useState(false);
  const [panel, setPanel] = useState<"chosen" | "loudness" | "bed">("chosen");
  const [pixels, setPixels] = useState<number | null>(null);
  const frame = useRef<HTMLDivElement>(null);
  const readOnly = production.role === "reader";
  const tell = { onError: (error: Error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) };
  const target = useChange(production.id, (target_lufs: number) => data(api.PATCH("/api/productions/{production_id}/", { params: { path: { production_id: production.id } }, body: { target_lufs } })));
  const make = useChange(production.id, (when: "now" | "finished") => askForMix(production.id, language, when));
  const awaitNot = useChange(production.id, () => awaitNoMix(production.id, language));
  const finishing = useJob(production.id, language, "finish", false);
  const library = useQuery({ queryKey: ["library", "", ""], enabled: plan.cues.some((cue) => cue.sound.kept !== undefined), queryFn: () => data(api.GET("/api/library/sounds/", { params: { query: {} } })) }).data;
  const names = useMemo(() => {
    const kept = new Map((library ?? []).map((row) => [(row.sound as { kept?: number }).kept ?? 0, row.name]));
    return new Map(here.cues.map((cue) => [cue.id ?? "", cue.sound.composed ? t("sounds.music", { mood: t(`addSound.moods.${cue.sound.composed.mood}`) }) : soundName(cue.sound, kept)]));
  }, [here.cues, library, t]);
  const report = mix?.state === "ready" ? mix.report : null;

  // Played layer by layer while this stage is open, so that what is moved is heard while it is.
  const told_ = useRef(told);
  const player = useRef<LayerPlayer | null>(null);
  useEffect(() => {
    const made = new LayerPlayer(
      (layer, block, key) => pieceAddress(production.id, language, layer, block, key),
      (time) => usePlayer.setState({ time }),
      () => usePlayer.setState({ playing: false }),
    );
    player.current = made;
    const layered = { production: production.id, language, play: async (from: number) => { if (!told_.current) throw new Error("unreachable"); await made.play(told_.current, from); }, stop: () => made.stop() };
    setLayered(layered);
    return () => {
      setLayered(null);
      made.stop();
    };
  }, [production.id, language]);
  useEffect(() => {
    told_.current = told;
    if (told) player.current?.update(told);
  }, [told]);
  const speakers = useMemo(() => new Map(production.speakers.map((one) => [one.name, one.id])), [production.speakers]);
  /** The strips that are heard when the plan is so; `more` of one is on its way. */
  const strips = useCallback(
    (now: SoundWorld, of: Head | null, more: Partial<Strip>): (LayerStrip & { name: string })[] => {
      const all = { ...NO_STRIP, ...now.voices, ...(of?.type === "voices" ? more : {}) };
      return (told_.current?.layers ?? []).map((layer) => {
        if (!layer.voice) {
          const one = now.layers.find((other) => other.name === layer.name);
          return { name: layer.name, level_db: one?.level_db ?? layer.level_db, pan: one?.pan ?? 0, mute: one?.mute ?? false, solo: one?.solo ?? false, ...(of?.type === "layer" && of.name === layer.name ? more : {}) };
        }
        const id = speakers.get(layer.name) ?? 0;
        const own = { ...stripOf(now, id), ...(of?.type === "speaker" && of.id === id ? more : {}) };
        return { name: layer.name, level_db: own.level_db + all.level_db, pan: own.pan, mute: own.mute || all.mute, solo: own.solo };
      });
    },
    [speakers],
  );
  const only = onlyHere ? language : null;
  const setStrip = (of: Head, more: Partial<Strip>) => {
    const next = set((now) => {
      if (of.type === "voices") return { ...now, voices: { ...now.voices, ...more } };
      return changed(now, of.type === "layer" ? "layers" : "speakers", of.type === "layer" ? of.name : `#${of.id}`, more, only);
    });
    player.current?.setStrips(strips(inEdition(next, language), null, {}));
  };
  const moveStrip = (of: Head, more: Partial<Strip>) => player.current?.setStrips(strips(here, of, more));
  const setCue = (id: string, more: Partial<Cue>) => set((now) => changed(now, "cues", id, more, only));
  const onOtherLayer = (id: string, kind: LayerKind) => set((now) => {
    const taken = new Set(now.layers.map((layer) => layer.name));
    let number = 2;
    while (taken.has(t("sounds.numbered", { kind: t(`sounds.kind.${kind}`), number }))) number += 1;
    const name = taken.has(kind) ? t("sounds.numbered", { kind: t(`sounds.kind.${kind}`), number }) : kind;
    return changed({ ...now, layers: [...now.layers, newLayer(kind, name)] }, "cues", id, { layer: name }, only);
  });
  const removeCue = (id: string) => {
    set((now) => (only === null ? { ...now, cues: now.cues.filter((cue) => cue.id !== id) } : changed(now, "cues", id, { off: true }, only)));
    setCueId(null);
  };
  // From what it is by then: keys may come faster than the page is drawn.
  const moveCue = (id: string, by: number) => set((now) => {
    const cue = inEdition(now, language).cues.find((one) => one.id === id);
    if (!cue) return now;
    const later = Math.round((cue.at.seconds + by) * 100) / 100;
    return changed(now, "cues", id, { at: { ...cue.at, seconds: cue.at.line || cue.at.part ? later : Math.max(0, later) } }, only);
  });
  const lengthen = (id: string, by: number) => set((now) => {
    const cue = inEdition(now, language).cues.find((one) => one.id === id);
    const laid = told?.cues.find((one) => one.id === id);
    if (!cue || !laid) return now;
    if (cue.until) return changed(now, "cues", id, { until: { ...cue.until, seconds: Math.round((cue.until.seconds + by) * 100) / 100 } }, only);
    return changed(now, "cues", id, { seconds: Math.max(0.1, Math.round(((cue.seconds || laid.seconds) + by) * 100) / 100) }, only);
  });
  const add = ({ sound, kind, goesOn }: NewSound) => {
    // From the chosen line's part, else from the beginning: where one looks it is heard.
    const id = `n${Date.now().toString(36)}`.slice(0, 12);
    set((now) => {
      const layers = now.layers.some((layer) => layer.kind === kind) ? now.layers : [...now.layers, newLayer(kind)];
      const layer = layers.find((one) => one.kind === kind)?.name ?? kind;
      const at = !goesOn && place.line !== null ? { seconds: 0, line: `#${place.line}`, edge: "start" as const } : { seconds: 0 };
      const cue: Cue = { id, layer, sound, at, ...(goesOn ? { loop: true, fade_in: 1.5, fade_out: 2.5 } : kind === "music" ? { fade_in: 0.3, fade_out: 1.5 } : {}) };
      return { ...now, layers, cues: [...now.cues, cue] };
    });
    setCueId(id);
    setHead(null);
    setPanel("chosen");
  };
  const [width, setWidth] = useState(860);
  const whole = Math.max(0.5, (width - 4) / Math.max(1, edition.seconds, told?.seconds ?? 0));
  const scale = pixels ?? whole;
  const zoom = useCallback((by: number) => setPixels((now) => Math.min(CLOSEST, Math.max(whole, (now ?? whole) * by))), [whole]);
  useEffect(() => {
    const view = frame.current;
    if (!view) return;
    const watch = new ResizeObserver(() => setWidth(view.clientWidth));
    watch.observe(view);
    return () => watch.disconnect();
  }, []);
  const chosenLine = edition.lines.find((line) => line.id === place.line);
  const unclearOf = useMemo(() => new Map(Object.entries(report?.unclear ?? {}).map(([id, lu]) => [Number(id), lu])), [report]);
  const deeper = (lines: readonly number[]) => set((now) => {
    const rows = inEdition(now, language).deeper ?? [];
    const names = lines.map((line) => `#${line}`);
    const made = [...rows.filter((one) => !names.includes(one.line)), ...names.map((line) => ({ line, db: Math.min(30, (rows.find((one) => one.line === line)?.db ?? 0) + DEEPER_BY) }))];
    return only === null ? { ...now, deeper: made } : { ...now, editions: { ...now.editions, [only]: { ...now.editions?.[only], deeper: made } } };
  });
  const nextUnclear = () => {
    const ids = edition.lines.filter((line) => unclearOf.has(line.id)).map((line) => line.id);
    const next = ids.find((id) => id > (place.line ?? 0)) ?? ids[0];
    if (next !== undefined) place.select(next);
  };
  useKeys({
    "+": () => zoom(1.4),
    "-": () => zoom(1 / 1.4),
    "0": () => setPixels(null),
    x: nextUnclear,
    u: () => !readOnly && place.line !== null && unclearOf.has(place.line) && deeper([place.line]),
    n: () => !readOnly && setAdding(true),
  });
  if (!edition.mix_recipe)
    return (
      <Empty title={t("mix.empty")}>
        <p>{t("mix.emptyHint")}</p>
      </Empty>
    );
  const cue = here.cues.find((one) => one.id === cueId);
  const layer = head?.type === "layer" ? here.layers.find((one) => one.name === head.name) : undefined;
  const differs = (of: Head) => (of.type === "layer" ? of.name in otherwise(plan, language, "layers") : of.type === "speaker" && `#${of.id}` in otherwise(plan, language, "speakers"));
  const speaking = new Set(edition.lines.filter((line) => line.seconds > 0).map((line) => line.speaker));
  return (
    <div className="grow min-w-0 min-h-0 grid grid-cols-[19rem_minmax(0,1fr)]">
      <aside className="border-e border-rule flex flex-col min-h-0" aria-label={t("heads.name")}>
        <div className="grow overflow-auto">
          <Heads production={production} speaking={speaking} layers={here.layers} strips={(id) => stripOf(here, id)} voices={{ ...NO_STRIP, ...here.voices }} loudness={report?.layers ?? {}} chosen={head} differs={differs} readOnly={readOnly} onChoose={(next) => { setPanel("chosen"); setCueId(null); setHead((now) => (sameHead(now, next) ? null : next)); }} onMove={moveStrip} onSet={setStrip} />
        </div>
        <div className="border-t border-rule p-3 flex flex-col gap-2">
          {!edition.edition.is_source && <Tick label={t("heads.onlyHere", { language: edition.edition.own_name })} checked={onlyHere} disabled={readOnly} onChange={setOnlyHere} />}
          {!readOnly && <Button look="main" onClick={() => setAdding(true)}><Plus size={15} aria-hidden />{t("sounds.add")}</Button>}
        </div>
      </aside>
      <div className="min-w-0 min-h-0 overflow-auto p-4 flex flex-col gap-4">
        <div className="flex items-baseline gap-5 flex-wrap text-sm">
          {report ? (
            <>
              <Reading name={t("mix.integrated")} value={`${decibels(report.lufs)} LUFS`} />
              <Reading name={t("mix.voices")} value={`${decibels(report.voices)} LUFS`} />
              <Reading name={t("mix.truePeak")} value={`${decibels(report.true_peak_db)} dBTP`} />
              <Reading name={t("mix.range")} value={`${report.range_lu.toFixed(1)} LU`} />
              <Reading name={t("mix.most")} value={`${decibels(report.most_short_term)} LUFS`} />
              <Reading name={t("mix.length")} value={clock(report.seconds)} />
            </>
          ) : (
            <span className="text-soft flex items-center gap-3" role="status">
              {mix?.state === "making" ? t("transport.mixing", { percent: Math.round(mix.share * 100) }) : mix?.state === "failed" ? mix.fault : mix?.awaited ? t("mix.awaited") : t("mix.notMade")}
              {mix?.state !== "making" && !mix?.awaited && finishing && <Button className="h-7!" disabled={make.isPending} onClick={() => make.mutate("finished", tell)}>{t("mix.await")}</Button>}
              {mix?.awaited && <Button className="h-7!" disabled={awaitNot.isPending} onClick={() => awaitNot.mutate(undefined, tell)}>{t("mix.awaitNot")}</Button>}
              {mix?.state !== "making" && <Button className="h-7!" disabled={make.isPending} onClick={() => make.mutate("now", tell)}>{edition.edition.counts.sketch > 0 ? t("mix.makeSketches", { count: edition.edition.counts.sketch }) : t("mix.make")}</Button>}
            </span>
          )}
          <span className="grow" />
          {unclearOf.size > 0 && <button type="button" className="text-alarm underline decoration-dotted" onClick={nextUnclear}>{t("mix.unclear", { count: unclearOf.size })}</button>}
          {edition.edition.counts.sketch > 0 && <span className="text-soft">{t("mix.sketches", { count: edition.edition.counts.sketch })}</span>}
          <Button className="h-7! px-2!" aria-expanded={panel === "bed"} onClick={() => setPanel((now) => (now === "bed" ? "chosen" : "bed"))}><Clapperboard size={14} aria-hidden />{t("bed.name")}</Button>
          <Button className="h-7! px-2!" aria-expanded={panel === "loudness"} onClick={() => setPanel((now) => (now === "loudness" ? "chosen" : "loudness"))}><AudioWaveform size={14} aria-hidden />{t("mix.loudness")}</Button>
        </div>
        <div ref={frame}>
          {known && <Waterline production={production} edition={edition} layers={here.layers} cues={here.cues} told={told} pixels={scale} onZoom={zoom} chosen={cueId} onChoose={(id) => { setCueId(id); setPanel("chosen"); if (id !== null) setHead(null); }} onMove={moveCue} onLength={lengthen} onRemove={removeCue} unclear={unclearOf} names={names} readOnly={readOnly} />}
        </div>
        {told && told.left_out.length > 0 && <p className="text-sm text-alarm">{t("cue.someLeftOut", { names: told.left_out.map((id) => names.get(id) ?? id).join(", ") })}</p>}
        {(told?.cues ?? []).some((one) => one.cut) && <p className="text-xs text-soft">{t("cue.someCut", { count: (told?.cues ?? []).filter((one) => one.cut).length, language: edition.edition.own_name })}</p>}
        <div className="bg-paper border border-rule rounded-lg p-4">
          {panel === "bed" ? (
            <BedPanel production={production} plan={plan} laid={told} pieceOf={(block, key) => pieceAddress(production.id, language, SOURCE_LAYER, block, key)} readOnly={readOnly} onSet={set} />
          ) : panel === "loudness" ? (
            <LoudnessPanel edition={edition} plan={here} target={production.target_lufs} report={report} hasSource={source !== null} readOnly={readOnly} onTarget={(lufs, dialogue) => { if ((plan.dialogue ?? false) !== dialogue) set((now) => ({ ...now, dialogue })); if (lufs !== production.target_lufs) target.mutate(lufs, tell); }} onPlan={(more) => set((now) => ({ ...now, ...more }))} onLine={place.select} onDeeper={deeper} />
          ) : cue ? (
            <CuePanel key={cue.id} production={production} edition={edition} cue={cue} name={names.get(cue.id ?? "") ?? ""} layers={here.layers} laid={told?.cues.find((one) => one.id === cue.id)} leftOut={told?.left_out.includes(cue.id ?? "") ?? false} readOnly={readOnly} differs={(cue.id ?? "") in otherwise(plan, language, "cues")} onChange={(more) => setCue(cue.id ?? "", more)} onOther={(kind) => onOtherLayer(cue.id ?? "", kind)} onRemove={() => removeCue(cue.id ?? "")} onEverywhere={() => set((now) => asEverywhere(now, "cues", cue.id ?? "", language))} />
          ) : layer ? (
            <DuckPanel layer={layer} readOnly={readOnly} differs={layer.name in otherwise(plan, language, "layers")} onSet={(duck) => set((now) => changed(now, "layers", layer.name, { duck }, only))} onEverywhere={() => set((now) => asEverywhere(now, "layers", layer.name, language))} />
          ) : head?.type === "speaker" || chosenLine ? (
            <RoomPanel production={production} plan={plan} speaker={head?.type === "speaker" ? head.id : (chosenLine?.speaker ?? null)} line={head ? null : chosenLine ? { id: chosenLine.id, number: chosenLine.number } : null} part={chosenLine?.part ?? null} readOnly={readOnly} onSet={set} />
          ) : (
            <p className="text-sm text-soft">{t("mix.choose")}</p>
          )}
        </div>
      </div>
      <AddSound open={adding} onClose={() => setAdding(false)} onAdd={add} />
    </div>
  );
}

function Reading({ name, value }: { name: string; value: string }) {
  return (
    <span className="whitespace-nowrap">
      <span className="text-soft">{name} </span>
      <span className="font-semibold tabular-nums">{value}</span>
    </span>
  );
}
