import { RotateCcw } from "lucide-react";
import { ToggleGroup } from "radix-ui";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { StageProps } from "../../shared/stage";
import { useNotices } from "../../shared/notices";
import { usePlace } from "../../shared/place";
import type { Line } from "../../shared/api/client";
import { clock, rate, seconds as toSeconds } from "../../shared/format";
import { useKeys } from "../../shared/useKeys";
import { Button, FIELD, IconButton } from "../../shared/ui/controls";
import { SpeakerMark } from "../../shared/ui/SpeakerMark";
import { byHarm, intoHold, isTimed, rungs } from "./ladder";
import { pauseBefore } from "./Ladder";
import { TimeSettings } from "./TimeSettings";
import { useCures, type Cure, type Lips, type TimingActions } from "./useTiming";

const MODES = ["within", "hold", "run", "pinned"] as const;

/** How the chosen line sits, what would make it fit, all that does not fit, and the edition's limits. */
export function TimePanel({ production, edition, line, sourceWords, lips, actions, readOnly }: {
  production: StageProps["production"]; edition: StageProps["edition"]; line: Line | undefined; sourceWords: string; lips: Lips | undefined; actions: TimingActions; readOnly: boolean;
}) {
  const { t } = useTranslation();
  const place = usePlace();
  const bad = byHarm(edition.lines);
  return (
    <aside className="w-72 xl:w-88 shrink-0 border-s border-rule bg-paper overflow-auto p-4 flex flex-col gap-4" aria-label={t("time.panel")}>
      {line ? (
        <Chosen key={line.id} production={production} edition={edition} line={line} sourceWords={sourceWords} lips={lips} actions={actions} readOnly={readOnly} />
      ) : (
        <p className="text-sm text-soft">{t("time.choose")}</p>
      )}
      {(isTimed(edition.lines) || bad.length > 0) && <section className="border-t border-rule pt-3 flex flex-col gap-1.5">
        <h2 className="text-sm font-semibold">{bad.length ? t("time.overCount", { count: bad.length }) : edition.lines.some((one) => one.seconds > 0) ? t("time.allFit") : t("time.noneVoiced")}</h2>
        {bad.length > 0 && (
          <ol className="max-h-40 overflow-auto border border-rule rounded-sm divide-y divide-rule">
            {bad.slice(0, 200).map((one) => (
              <li key={one.id}>
                <button type="button" className={`w-full px-2 h-7 flex items-center gap-2 text-xs text-start hover:bg-sunk ${one.id === line?.id ? "bg-tide-wash" : ""}`} onClick={() => place.select(one.id)}>
                  <span className="w-7 text-end text-soft shrink-0">{one.number}</span>
                  <span className="grow truncate" dir={edition.edition.direction}>{one.words}</span>
                  <span className="text-alarm font-semibold whitespace-nowrap">{`${one.harm.toFixed(1)} s`}</span>
                </button>
              </li>
            ))}
          </ol>
        )}
      </section>}
      <TimeSettings production={production} edition={edition} line={line} actions={actions} readOnly={readOnly} />
    </aside>
  );
}

function Chosen({ production, edition, line, sourceWords, lips, actions, readOnly }: {
  production: StageProps["production"]; edition: StageProps["edition"]; line: Line; sourceWords: string; lips: Lips | undefined; actions: TimingActions; readOnly: boolean;
}) {
  const { t } = useTranslation();
  const speaker = production.speakers.find((one) => one.id === line.speaker);
  const voiced = line.seconds > 0;
  const held = voiced ? intoHold(edition.holds, line) : 0;
  const silence = line.into_silence - held;
  return (
    <section className="flex flex-col gap-2">
      <h2 className="flex items-center gap-2 font-semibold min-w-0">
        {speaker && <SpeakerMark name={speaker.name} position={speaker.position} size={24} />}
        <span className="truncate">{speaker?.name}</span>
        <span className="text-soft font-normal text-sm ms-auto whitespace-nowrap">{t("time.line", { number: line.number })}</span>
      </h2>
      {sourceWords !== line.words && <p className="text-sm text-soft">{sourceWords}</p>}
      <p className="text-sm" lang={edition.edition.language} dir={edition.edition.direction}>{line.words || t("take.empty")}</p>
      {line.slot && line.natural !== null && <Gauge line={line} />}
      <dl className="grid grid-cols-[1fr_auto] gap-y-0.5 text-sm">
        {line.slot && <Figure name={t("time.slot")} value={`${clock(line.slot[0] ?? 0)} – ${clock(line.slot[1] ?? 0)}`} />}
        {voiced && <Figure name={t("time.played")} value={`${clock(line.start)} – ${clock(line.start + line.seconds)}`} />}
        {voiced && <Figure name={t("time.rate")} value={rate(line.rate)} bad={line.flags.includes("fast")} />}
        {silence > 0.02 && <Figure name={t("time.silence")} value={`${silence.toFixed(1)} s`} />}
        {held > 0.02 && <Figure name={t("time.intoHold")} value={`${held.toFixed(1)} s`} />}
        {line.slot && Math.abs(line.late) > 0.02 && <Figure name={line.late > 0 ? t("time.lateBy") : t("time.earlyBy")} value={`${Math.abs(line.late).toFixed(2)} s`} bad={line.late > 0 && line.harm > 0} />}
        {line.harm > 0 && <Figure name={t("time.overBy")} value={`${line.harm.toFixed(1)} s`} bad />}
        {line.collides > 0 && <Figure name={t("time.collidesBy")} value={`${line.collides.toFixed(2)} s`} bad />}
      </dl>
      {line.slot && (
        <div className="flex items-center gap-1">
          <ToggleGroup.Root
            type="single"
            value={line.timing.mode ?? "within"}
            aria-label={t("time.mode")}
            disabled={readOnly}
            className="grid grid-cols-4 grow rounded-md border border-rule text-xs"
            onValueChange={(mode) => mode && void actions.lines([line.id], mode === "pinned" ? { mode, at: line.start } : { mode: mode as (typeof MODES)[number] })}
          >
            {MODES.map((mode) => (
              <ToggleGroup.Item key={mode} value={mode} title={t(`time.modeWhat.${mode}`)} className="px-1 h-7 first:rounded-s-md last:rounded-e-md data-[state=on]:bg-tide data-[state=on]:text-paper data-[state=on]:font-semibold">
                {t(`time.modes.${mode}`)}
              </ToggleGroup.Item>
            ))}
          </ToggleGroup.Root>
          <IconButton name={t("time.follow")} className="size-7" disabled={readOnly || Object.keys(line.timing).length === 0} onClick={() => void actions.lines([line.id], null)}>
            <RotateCcw size={14} aria-hidden />
          </IconButton>
        </div>
      )}
      {lips && lips.score !== null && (
        <p className="text-sm flex items-center gap-2">
          <span className="grow">{t("time.lips", { percent: Math.round(lips.score * 100) })}</span>
          {!readOnly && Math.abs(lips.nudge) >= 0.01 && (
            <Button className="h-7! text-xs!" onClick={() => void actions.lines([line.id], { mode: "pinned", at: Math.max(0, Math.round((line.start + lips.nudge) * 1000) / 1000) })}>
              {t("time.lipsNudge", { ms: `${lips.nudge > 0 ? "+" : "−"}${Math.abs(Math.round(lips.nudge * 1000))}`, percent: Math.round((lips.nudged ?? 0) * 100) })}
            </Button>
          )}
        </p>
      )}
      {!line.slot && voiced && <Pause edition={edition} line={line} actions={actions} readOnly={readOnly} />}
      {line.harm > 0 && <Cures production={production} edition={edition} line={line} actions={actions} readOnly={readOnly} />}
    </section>
  );
}

/** Ways to make the line fit, each with what it really gains. */
function Cures({ production, edition, line, actions, readOnly }: {
  production: StageProps["production"]; edition: StageProps["edition"]; line: Line; actions: TimingActions; readOnly: boolean;
}) {
  const { t } = useTranslation();
  const place = usePlace();
  const say = useNotices((state) => state.say);
  const cures = useCures(production.id, edition.edition.language, line.id, edition.mix_recipe);
  function apply(cure: Cure) {
    if (cure.own) void actions.lines([line.id], cure.own);
    else if (cure.kind === "trim") place.go({ stage: "adapt", line: line.id });
    else if (cure.kind === "quicker_voice") place.go({ stage: "cast", line: line.id });
    else if (line.part !== null) void actions.grow(line.part, true);
    else say({ tone: "calm", text: t("time.noPart") });
  }
  const first = cures.data?.find((cure) => cure.own);
  useKeys({ c: () => first && !readOnly && apply(first) });
  if (cures.isPending) return <p className="text-sm text-soft" role="status">{t("time.curing")}</p>;
  if (!cures.data?.length) return <p className="text-sm text-soft">{t("time.noCure")}</p>;
  return (
    <div className="flex flex-col gap-1">
      <h3 className="text-xs text-soft">{t("time.cures")}</h3>
      {cures.data.map((cure) => (
        <button
          key={`${cure.kind}${cure.voice}`}
          type="button"
          disabled={readOnly}
          className={`flex items-center gap-2 rounded-md border px-2 py-1 text-sm text-start hover:border-tide disabled:opacity-60 ${cure === first ? "border-tide bg-tide-wash/60" : "border-rule"}`}
          onClick={() => apply(cure)}
        >
          <span className="grow">{t(`time.cure.${cure.kind}`, { amount: cure.kind === "faster" ? cure.amount.toFixed(2) : cure.kind === "trim" ? Math.round(cure.amount) : cure.amount.toFixed(2), voice: nameOf(cure.voice), count: Math.round(cure.amount) })}</span>
          {cure === first && <kbd className="text-2xs border border-rule rounded-sm px-1 text-soft">c</kbd>}
          <span className={`whitespace-nowrap text-xs ${cure.left > 0 ? "text-soft" : "font-semibold text-tide"}`}>
            {cure.left > 0 ? t("time.gains", { seconds: cure.gain.toFixed(1) }) : t("time.fits")}
          </span>
        </button>
      ))}
    </div>
  );
}

function nameOf(voice: string): string {
  return voice ? (voice[0] ?? "").toUpperCase() + voice.slice(1) : "";
}

/** The silence before a line of a script without times; below nothing it begins while the one before speaks. */
function Pause({ edition, line, actions, readOnly }: { edition: StageProps["edition"]; line: Line; actions: TimingActions; readOnly: boolean }) {
  const { t } = useTranslation();
  const now = pauseBefore(line, rungs(edition.lines));
  const [typed, setTyped] = useState<string | null>(null);
  function save() {
    const value = Number((typed ?? "").replace(",", ".").replace("−", "-"));
    if (typed !== null && typed.trim() && Number.isFinite(value)) void actions.lines([line.id], { pause: value });
    setTyped(null);
  }
  return (
    <label className="flex items-center gap-2 text-sm">
      <span className="grow">{t("time.pauseBefore")}</span>
      <input
        className={`${FIELD} w-20! py-1 text-end`}
        inputMode="decimal"
        disabled={readOnly}
        value={typed ?? now.toFixed(2)}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={save}
        onKeyDown={(event) => {
          if (event.key === "Enter") save();
          if (event.key === "Escape") setTyped(null);
        }}
      />
      <span className="text-soft">s</span>
      <IconButton name={t("time.pauseBack")} className="size-7" disabled={readOnly || line.timing.pause === undefined} onClick={() => void actions.lines([line.id], null)}>
        <RotateCcw size={14} aria-hidden />
      </IconButton>
    </label>
  );
}

/** The slot as a bar, the natural length and the played length under it on one scale. */
function Gauge({ line }: { line: Line }) {
  const { t } = useTranslation();
  const slot = (line.slot?.[1] ?? 0) - (line.slot?.[0] ?? 0);
  const natural = line.natural ?? 0;
  const longest = Math.max(slot, natural, line.seconds);
  const share = (value: number) => `${(100 * value) / longest}%`;
  return (
    <div role="img" aria-label={t("time.gauge", { slot: slot.toFixed(1), natural: natural.toFixed(1), played: line.seconds.toFixed(1) })} className="flex flex-col gap-1 text-2xs text-soft">
      {([["slot", slot, "bg-rule"], ["natural", natural, "bg-soft/50"], ["played", line.seconds, line.harm > 0 ? "bg-alarm" : "bg-tide"]] as const).map(([name, value, look]) => (
        <span key={name} className="grid grid-cols-[4rem_1fr_2.5rem] items-center gap-2">
          {t(`time.gauge_${name}`)}
          <span className="h-2 rounded-sm bg-sunk"><span className={`block h-2 rounded-sm ${look}`} style={{ width: share(value) }} /></span>
          <span className="text-end">{value.toFixed(1)} s</span>
        </span>
      ))}
    </div>
  );
}

function Figure({ name, value, bad = false }: { name: string; value: string; bad?: boolean }) {
  return (
    <>
      <dt className="text-soft">{name}</dt>
      <dd className={`text-end ${bad ? "text-alarm font-semibold" : ""}`}>{value}</dd>
    </>
  );
}

/** A target length for a script without times, and the three paces. */
export function Pacing({ edition, actions, readOnly }: { edition: StageProps["edition"]; actions: TimingActions; readOnly: boolean }) {
  const { t } = useTranslation();
  const say = useNotices((state) => state.say);
  const [wanted, setWanted] = useState("");
  async function aimAt() {
    const target = toSeconds(wanted);
    if (!target) return;
    try {
      const found = await actions.aim(target);
      if (await actions.settings({ pace: found.pace, untimed_rate: found.untimed_rate }))
        say({ tone: "calm", text: Math.abs(found.off) > 0.5 ? t("time.aimedNear", { length: clock(found.seconds), wanted: clock(target) }) : t("time.aimed", { length: clock(found.seconds) }) });
    } catch (error) {
      say({ tone: "bad", text: error instanceof Error && error.message ? error.message : t("common.unreachable") });
    }
  }
  return (
    <div className="flex flex-col gap-2">
      <p className="text-sm flex"><span className="grow">{t("time.whole")}</span><span>{clock(edition.seconds)}</span></p>
      <ToggleGroup.Root
        type="single"
        value={String(PACES.find(([, pace]) => Math.abs(pace - edition.timing.pace) < 0.01)?.[0] ?? "")}
        aria-label={t("time.pace")}
        disabled={readOnly}
        className="grid grid-cols-3 rounded-md border border-rule text-xs"
        onValueChange={(name) => name && void actions.settings({ pace: PACES.find(([one]) => one === name)?.[1] ?? 1, untimed_rate: 1 })}
      >
        {PACES.map(([name]) => (
          <ToggleGroup.Item key={name} value={name} className="h-7 first:rounded-s-md last:rounded-e-md data-[state=on]:bg-tide data-[state=on]:text-paper data-[state=on]:font-semibold">
            {t(`time.paces.${name}`)}
          </ToggleGroup.Item>
        ))}
      </ToggleGroup.Root>
      <form className="flex items-center gap-2 text-sm" onSubmit={(event) => { event.preventDefault(); void aimAt(); }}>
        <label htmlFor="target-length" className="grow">{t("time.makeIt")}</label>
        <input id="target-length" className={`${FIELD} w-20! py-1 text-end`} placeholder="4:30" disabled={readOnly} value={wanted} onChange={(event) => setWanted(event.target.value)} />
        <Button type="submit" disabled={readOnly || !toSeconds(wanted)}>{t("time.aim")}</Button>
      </form>
    </div>
  );
}

const PACES = [["unhurried", 0.75], ["natural", 1], ["brisk", 1.35]] as const;
