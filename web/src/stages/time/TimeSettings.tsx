import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { StageProps } from "../../shared/stage";
import type { Line } from "../../shared/api/client";
import { rate } from "../../shared/format";
import { askForEditionFile, useHandOver } from "../../shared/handOver";
import { TIMING_SETTINGS } from "../../shared/settings.generated";
import { Button, Tick } from "../../shared/ui/controls";
import { Range } from "./Range";
import { Pacing } from "./TimePanel";
import { useWhatIf, type TimingActions } from "./useTiming";

type Name = "comfortable_fast" | "hard_fast" | "comfortable_slow" | "hard_slow" | "run_on" | "early" | "late" | "tight_early" | "tight_late" | "breath";
/** How each is stepped, and where a slider ends before the setting does: beyond that nobody has wanted it. */
const RATES: readonly [Name, number][] = [["comfortable_fast", 0.01], ["hard_fast", 0.01], ["comfortable_slow", 0.01], ["hard_slow", 0.01]];
const ROOM: readonly [Name, number, number?][] = [["run_on", 0.1, 4], ["early", 0.05, 1], ["late", 0.05, 1], ["tight_early", 0.01], ["tight_late", 0.01], ["breath", 0.01]];
const PAIRED: Partial<Record<Name, [Name, "above" | "below"]>> = {
  comfortable_fast: ["hard_fast", "above"], hard_fast: ["comfortable_fast", "below"], comfortable_slow: ["hard_slow", "below"], hard_slow: ["comfortable_slow", "above"],
};

/** Parts whose picture may be held rather than their speech be hurried, with how long each is held here. */
function GrowingParts({ production, edition, actions, readOnly }: { production: StageProps["production"]; edition: StageProps["edition"]; actions: TimingActions; readOnly: boolean }) {
  const { t } = useTranslation();
  const held = new Map(edition.holds.map((hold) => [hold.part, hold]));
  const { waiting, take } = useHandOver(production.id);
  return (
    <details className="text-xs" open={edition.holds.length > 0}>
      <summary className="cursor-pointer py-1">{t("time.growing")}</summary>
      <ul className="flex flex-col gap-1 max-h-40 overflow-auto">
        {production.parts.map((part) => {
          const hold = held.get(part.id);
          return (
            <li key={part.id}>
              <span className="flex items-center gap-2">
                <Tick label={part.name} checked={part.may_grow} disabled={readOnly} onChange={(on) => void actions.grow(part.id, on)} className="grow min-w-0 text-xs!" />
                {hold && <span className="whitespace-nowrap">{t("time.heldFor", { seconds: hold.seconds.toFixed(2), frames: hold.frames })}</span>}
              </span>
            </li>
          );
        })}
      </ul>
      {edition.holds.length > 0 && (
        <p className="flex gap-3 pt-1">
          <span className="text-soft">{t("time.holdList")}</span>
          {(["csv", "otio"] as const).map((ending) => (
            <button key={ending} type="button" className="underline" aria-busy={waiting} onClick={() => void take(() => askForEditionFile(production.id, edition.edition.language, { file: `holds.${ending}` }))}>{ending.toUpperCase()}</button>
          ))}
        </p>
      )}
    </details>
  );
}

/** The edition's limits; while one is moved, what would come of it is said. */
export function TimeSettings({ production, edition, line, actions, readOnly }: {
  production: StageProps["production"]; edition: StageProps["edition"]; line: Line | undefined; actions: TimingActions; readOnly: boolean;
}) {
  const { t } = useTranslation();
  const [all, setAll] = useState(false);
  const { found, ask } = useWhatIf(production.id, edition.edition.language);
  const timing = edition.timing;
  const speaker = production.speakers.find((one) => one.id === line?.speaker);
  const own = speaker ? timing.speakers[String(speaker.id)] : undefined;
  const second = (value: number) => `${value.toFixed(2)} s`;
  /** A comfortable rate beyond its limit takes the limit along. */
  const withPair = (name: Name, value: number): Record<string, number> => {
    const pair = PAIRED[name];
    if (!pair) return { [name]: value };
    const other = timing[pair[0]];
    return { [name]: value, ...((pair[1] === "above" ? other < value : other > value) ? { [pair[0]]: value } : {}) };
  };
  const row = ([name, step, max]: readonly [Name, number, number?]) => (
    <Range
      key={name}
      name={t(`time.set.${name}`)}
      value={timing[name]}
      min={TIMING_SETTINGS[name].min}
      max={max ?? TIMING_SETTINGS[name].max}
      step={step}
      show={name.startsWith("comfortable") || name.startsWith("hard") ? rate : second}
      disabled={readOnly}
      onMove={(value) => ask(value === null ? null : withPair(name, value))}
      onSet={(value) => actions.settings(withPair(name, value))}
    />
  );
  return (
    <section className="border-t border-rule pt-3 flex flex-col gap-2">
      <h2 className="text-sm font-semibold">{production.timed ? t("time.limits", { language: edition.edition.own_name }) : t("time.pacing")}</h2>
      {!production.timed && <Pacing edition={edition} actions={actions} readOnly={readOnly} />}
      {production.timed && (
        <>
          {(all ? [...RATES, ...ROOM] : [...RATES.slice(0, 2), ...ROOM.slice(0, 1)]).map(row)}
          <p className="text-xs min-h-8" role="status">
            {found && (
              <>
                {found.lines.length > 0 && <span className="text-alarm font-semibold">{t("time.noLonger", { count: found.lines.length })} </span>}
                {found.mended.length > 0 && <span className="text-tide font-semibold">{t("time.fitAgain", { count: found.mended.length })} </span>}
                {found.lines.length === 0 && found.mended.length === 0 && <span className="text-soft">{t("time.sameFit", { count: found.then.misfits })} </span>}
                <span className="text-soft">{t("time.thenFast", { count: found.then.fast })}</span>
              </>
            )}
          </p>
          {production.parts.length > 0 && <GrowingParts production={production} edition={edition} actions={actions} readOnly={readOnly} />}
          <span className="flex gap-2 flex-wrap">
            <Button className="h-7! text-xs!" aria-expanded={all} onClick={() => setAll(!all)}>{all ? t("time.fewer") : t("time.more")}</Button>
            {speaker && (
              <Button
                className="h-7! text-xs!"
                disabled={readOnly}
                onClick={() => void actions.settings({ speakers: { [String(speaker.id)]: own ? null : { comfortable_fast: timing.comfortable_fast, hard_fast: timing.hard_fast } } })}
              >
                {own ? t("time.speakerBack", { speaker: speaker.name }) : t("time.speakerOwn", { speaker: speaker.name })}
              </Button>
            )}
          </span>
          {speaker && own && (["comfortable_fast", "hard_fast"] as const).map((name) => (
            <Range
              key={name}
              name={`${speaker.name}: ${t(`time.set.${name}`)}`}
              value={own[name] ?? timing[name]}
              min={1}
              max={name === "hard_fast" ? 1.6 : 1.5}
              step={0.01}
              show={rate}
              disabled={readOnly}
              onSet={(value) => {
                const next = { ...own, [name]: value };
                if ((next.hard_fast ?? timing.hard_fast) < (next.comfortable_fast ?? timing.comfortable_fast)) next[name === "hard_fast" ? "comfortable_fast" : "hard_fast"] = value;
                return actions.settings({ speakers: { [String(speaker.id)]: next } });
              }}
            />
          ))}
        </>
      )}
    </section>
  );
}
