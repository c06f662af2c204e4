import { RadioGroup } from "radix-ui";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { EditionLines, Mix } from "../../shared/api/client";
import { decibels } from "../../shared/format";
import { Button, FIELD, Tick } from "../../shared/ui/controls";
import { LoudnessCurve } from "./LoudnessCurve";
import type { SoundWorld } from "./soundWorld";

/** What a programme is for, LUFS; the last is of its dialogue alone. */
const PURPOSES = [-16, -18, -23, -24, -27] as const;
/** dB more that all else gives way under a line that is not clear. */
export const DEEPER_BY = 6;

/** How loud the programme is to be, what was measured of it, and the lines that are hidden under something. */
export function LoudnessPanel({ edition, plan, target, report, hasSource, readOnly, onTarget, onPlan, onLine, onDeeper }: {
  edition: EditionLines;
  plan: SoundWorld;
  target: number;
  report: NonNullable<Mix["report"]> | null;
  /** Whether there is a recording that it is for. */
  hasSource: boolean;
  readOnly: boolean;
  onTarget: (lufs: number, dialogue: boolean) => void;
  onPlan: (more: Partial<SoundWorld>) => void;
  onLine: (line: number) => void;
  onDeeper: (lines: readonly number[]) => void;
}) {
  const { t } = useTranslation();
  const known = (PURPOSES as readonly number[]).includes(target) && (target === -27) === (plan.dialogue ?? false);
  const [own, setOwn] = useState(!known);
  const unclear = edition.lines.filter((line) => report?.unclear[String(line.id)] !== undefined);
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,1.6fr)] gap-6">
      <section aria-labelledby="target">
        <h3 id="target" className="font-semibold mb-2">{t("mix.target")}</h3>
        <RadioGroup.Root aria-labelledby="target" className="flex flex-col gap-1.5" disabled={readOnly} value={own ? "own" : String(target)} onValueChange={(value) => { setOwn(value === "own"); if (value !== "own") onTarget(Number(value), value === "-27"); }}>
          {[...PURPOSES.map(String), "own"].map((value) => (
            <label key={value} className="flex items-start gap-2 text-sm">
              <RadioGroup.Item value={value} className="mt-0.5 size-4 rounded-full border border-soft data-[state=checked]:border-tide grid place-items-center">
                <RadioGroup.Indicator className="block size-2 rounded-full bg-tide" />
              </RadioGroup.Item>
              {value === "own" ? (
                <span className="flex items-center gap-2">{t("mix.targetOwn")}{own && <input type="number" step={0.5} min={-40} max={-8} aria-label={t("mix.targetOwn")} className={`${FIELD} w-20! py-0.5!`} readOnly={readOnly} defaultValue={target} onBlur={(event) => event.target.value !== "" && Number(event.target.value) !== target && onTarget(Number(event.target.value), plan.dialogue ?? false)} />}</span>
              ) : (
                <span><span className="font-semibold">{`${decibels(Number(value))} LUFS`}</span> <span className="text-soft">{t(`mix.target_${-Number(value)}`)}</span></span>
              )}
            </label>
          ))}
        </RadioGroup.Root>
        <div className="flex flex-col gap-1.5 mt-3 text-sm">
          {own && <Tick label={t("mix.dialogue")} checked={plan.dialogue ?? false} disabled={readOnly} onChange={(dialogue) => onPlan({ dialogue })} />}
          {hasSource && <Tick label={t("mix.asLong")} checked={plan.ends !== "words"} disabled={readOnly} onChange={(on) => onPlan({ ends: on ? "picture" : "words" })} />}
          <Tick label={t("mix.mono")} checked={plan.mono ?? false} disabled={readOnly} onChange={(mono) => onPlan({ mono })} />
          <Figure label={t("mix.ceiling")} value={plan.ceiling_db ?? -1} low={-12} high={-0.1} readOnly={readOnly} onSet={(ceiling_db) => onPlan({ ceiling_db })} />
          <Figure label={t("mix.clear")} value={plan.clear_lu ?? 10} low={0} high={40} readOnly={readOnly} onSet={(clear_lu) => onPlan({ clear_lu })} />
        </div>
      </section>
      <div className="flex flex-col gap-3 min-w-0">
        <LoudnessCurve values={report?.short_term ?? []} target={target} seconds={edition.seconds} />
        <section aria-labelledby="unclear">
          <h3 id="unclear" className="font-semibold flex items-center gap-3">
            {report ? t("mix.unclear", { count: unclear.length }) : t("mix.unclearUnknown")}
            {unclear.length > 0 && !readOnly && <Button className="h-7! px-2!" onClick={() => onDeeper(unclear.map((line) => line.id))}>{t("mix.deeperAll")}</Button>}
          </h3>
          <ul className="flex flex-col">
            {unclear.map((line) => (
              <li key={line.id} className="flex items-center gap-2 text-sm py-0.5">
                <button type="button" className="text-start underline decoration-dotted truncate min-w-0 grow" onClick={() => onLine(line.id)}>{t("mix.unclearLine", { number: line.number, lu: decibels(report?.unclear[String(line.id)] ?? 0), words: line.words })}</button>
                {!readOnly && <Button className="h-7! px-2!" aria-label={t("mix.deeperLine", { number: line.number, db: DEEPER_BY })} onClick={() => onDeeper([line.id])}>{t("mix.deeper", { db: DEEPER_BY })}</Button>}
              </li>
            ))}
          </ul>
        </section>
      </div>
    </div>
  );
}

function Figure({ label, value, low, high, readOnly, onSet }: { label: string; value: number; low: number; high: number; readOnly: boolean; onSet: (value: number) => void }) {
  return (
    <label className="flex items-center justify-between gap-2">
      <span>{label}</span>
      <input key={value} type="number" step={0.5} min={low} max={high} className={`${FIELD} w-20! py-0.5!`} readOnly={readOnly} defaultValue={value} onBlur={(event) => event.target.value !== "" && Number(event.target.value) !== value && onSet(Number(event.target.value))} />
    </label>
  );
}
