import { useVirtualizer } from "@tanstack/react-virtual";
import { RotateCcw } from "lucide-react";
import { useEffect, useMemo, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import type { Line } from "../../shared/api/client";
import { startVoicing, useChange } from "../../shared/api/queries";
import { useNotices } from "../../shared/notices";
import { usePlace } from "../../shared/place";
import type { StageProps } from "../../shared/stage";
import { Button, Empty, FIELD } from "../../shared/ui/controls";
import { Setting } from "../../shared/ui/Setting";
import { SpeakerMark } from "../../shared/ui/SpeakerMark";
import { TakeDot } from "../../shared/ui/TakeDot";
import { Staff } from "./Staff";
import { amountOf, DIALS, gaps, parted, turned, type Dial, type Mark } from "./stave";
import { useDirection } from "./useDirection";

const ORDER: readonly Dial[] = ["pace", "stress", "lift", "turn", "range", "level"];

/** How each line is said: its words on a stave, with everything that can be taken hold of. */
export function DirectStage({ production, edition }: StageProps) {
  const { t } = useTranslation();
  const place = usePlace();
  const selected = edition.lines.find((line) => line.id === place.line) ?? edition.lines[0];
  if (!selected) return <Empty title={t("direct.empty")} />;
  return (
    <>
      <LineList production={production} edition={edition} selected={selected} onSelect={place.select} />
      <div className="grow min-w-0 overflow-auto">
        <Directed key={selected.id} production={production} edition={edition} line={selected} />
      </div>
    </>
  );
}

function LineList({ production, edition, selected, onSelect }: Pick<StageProps, "production" | "edition"> & { selected: Line; onSelect: (line: number) => void }) {
  const { t } = useTranslation();
  const box = useRef<HTMLDivElement>(null);
  const speakers = useMemo(() => new Map(production.speakers.map((speaker) => [speaker.id, speaker])), [production.speakers]);
  // The virtualiser hands out functions that change what they give; the compiler's memo is no help here.
  // eslint-disable-next-line react-hooks/incompatible-library
  const rows = useVirtualizer({ count: edition.lines.length, getScrollElement: () => box.current, estimateSize: () => 44, overscan: 10 });
  const at = edition.lines.indexOf(selected);
  useEffect(() => rows.scrollToIndex(at, { align: "auto" }), [rows, at]);
  return (
    <div ref={box} className="w-72 xl:w-88 shrink-0 border-e border-rule bg-paper overflow-auto" role="listbox" aria-label={t("direct.lines")}>
      <div className="relative" style={{ height: rows.getTotalSize() }}>
        {rows.getVirtualItems().map((row) => {
          const line = edition.lines[row.index];
          const speaker = line && speakers.get(line.speaker ?? -1);
          if (!line) return null;
          return (
            <button key={line.id} type="button" role="option" aria-selected={line.id === selected.id} className={`absolute inset-x-0 h-11 px-3 flex items-center gap-2 text-start border-b border-rule ${line.id === selected.id ? "bg-tide-wash" : "hover:bg-sunk"}`} style={{ top: row.start }} onClick={() => onSelect(line.id)}>
              <span className="w-7 text-end text-xs text-soft shrink-0">{line.number}</span>
              {speaker && <SpeakerMark name={speaker.name} position={speaker.position} size={22} />}
              <span className="grow truncate text-sm" lang={edition.edition.language} dir={edition.edition.direction}>{line.words || t("take.empty")}</span>
              <TakeDot line={line} />
            </button>
          );
        })}
      </div>
    </div>
  );
}

function Directed({ production, edition, line }: Pick<StageProps, "production" | "edition"> & { line: Line }) {
  const { t } = useTranslation();
  const say = useNotices((state) => state.say);
  const { language, direction } = edition.edition;
  const readOnly = production.role === "reader";
  const { direction: directed, stave, fault, set } = useDirection(production.id, language, line.id, line.words);
  const voice = useChange(production.id, () => startVoicing(production.id, language, "take", [line.id]));
  const [[from, to], choose] = useState<readonly [number, number]>([0, 0]);
  const speaker = production.speakers.find((one) => one.id === line.speaker);
  const marks: readonly Mark[] = directed?.marks ?? [];
  const count = to - from + 1;
  const dial = (which: Dial, amount: number) => {
    const { min, max, step } = DIALS[which];
    set(turned(marks, which, from, count, Math.round(Math.min(max, Math.max(min, Math.round(amount / step) * step)) * 1000) / 1000));
  };
  const chosen = stave?.words.slice(from, to + 1).map((word) => word.text).join(" ") ?? "";
  const silence = stave ? (gaps(stave, marks)[from] ?? 0) : 0;
  return (
    <section className="p-5 flex flex-col gap-4" aria-label={t("direct.line", { number: line.number })}>
      <header className="flex items-center gap-3 min-w-0">
        {speaker && <SpeakerMark name={speaker.name} position={speaker.position} size={32} />}
        <div className="min-w-0 grow">
          <h2 className="font-semibold truncate">{speaker?.name} <span className="text-soft font-normal text-sm">{t("time.line", { number: line.number })}</span></h2>
          {line.notes && <p className="text-sm italic text-soft truncate">{line.notes}</p>}
        </div>
        <TakeDot line={line} />
        {!readOnly && line.words.trim() && line.state !== "current" && (
          <Button disabled={voice.isPending} onClick={() => voice.mutate(undefined, { onError: (error: Error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) })}>{t("direct.voice")}</Button>
        )}
      </header>
      {!line.words.trim() ? (
        <p className="text-soft">{t("direct.noWords")}</p>
      ) : fault ? (
        <p className="text-alarm" role="alert">{fault.message}</p>
      ) : !stave ? (
        <p className="text-soft" role="status">{t("common.loading")}</p>
      ) : !stave.known ? (
        <p className="text-soft max-w-prose">{line.state === "uncast" ? t("direct.uncast") : t("direct.light")}</p>
      ) : (
        <>
          <Staff
            stave={stave}
            marks={marks}
            chosen={[from, Math.min(to, stave.words.length - 1)]}
            language={language}
            direction={direction}
            readOnly={readOnly}
            onChoose={(word, extend) => choose(extend ? [Math.min(from, word), Math.max(from, word)] : [word, word])}
            onLift={(by) => dial("lift", amountOf(marks, "lift", from) + by)}
            onPace={(by) => dial("pace", amountOf(marks, "pace", from) + by)}
            onGap={(word, seconds) => set(parted(marks, word, seconds))}
            onStress={() => dial("stress", amountOf(marks, "stress", from) > 0 ? 0 : 1)}
          />
          {(directed?.lost ?? 0) > 0 && <p className="text-sm text-alarm">{t("direct.lost", { count: directed?.lost ?? 0 })}</p>}
          <div className="max-w-xl flex flex-col gap-2 rounded-md border border-rule bg-paper p-4">
            <div className="flex items-center gap-2">
              <h3 className="text-sm font-semibold truncate grow" lang={language} dir={direction}>{chosen}</h3>
              {marks.length > 0 && !readOnly && (
                <Button className="h-7! px-2! text-xs!" onClick={() => set([])}><RotateCcw size={13} aria-hidden />{t("direct.clear")}</Button>
              )}
            </div>
            {ORDER.map((which) => {
              const { min, max, step } = DIALS[which];
              return <Setting key={which} name={t(`direct.dial.${which}`)} value={amountOf(marks, which, from)} min={min} max={max} step={step} show={(value) => reading(which, value)} disabled={readOnly} onSet={(value) => dial(which, value)} />;
            })}
            {from > 0 && (
              <label className="grid grid-cols-[4.5rem_1fr_4rem] items-center gap-2 text-sm">
                <span>{t("direct.gap")}</span>
                <input
                  key={`${from}/${silence}`}
                  className={`${FIELD} w-24!`}
                  type="number"
                  min={0}
                  max={10000}
                  step={25}
                  disabled={readOnly}
                  defaultValue={Math.round(silence * 1000)}
                  onBlur={(event) => event.target.value !== event.target.defaultValue && set(parted(marks, from, event.target.value === "" ? null : Number(event.target.value) / 1000))}
                  onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
                />
                <span className="text-end text-soft">ms</span>
              </label>
            )}
            <p className="text-xs text-soft">{t("direct.keys")}</p>
          </div>
        </>
      )}
    </section>
  );
}

/** How a dial's amount reads. */
function reading(dial: Dial, value: number): string {
  const signed = `${value > 0 ? "+" : value < 0 ? "−" : ""}${Math.abs(value)}`;
  if (dial === "pace" || dial === "range") return `× ${value.toFixed(2)}`;
  return dial === "level" ? `${signed} dB` : dial === "stress" ? signed : `${signed} st`;
}
