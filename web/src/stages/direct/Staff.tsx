import { useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import { amountOf, gaps, melodyPath, type Mark, type Stave } from "./stave";

const HEIGHT = 168;
const LIFT_PIXELS = HEIGHT / 24;

/** A line along its own time: the melody over its words, each as wide as it lasts, and the silences between them. */
export function Staff({ stave, marks, chosen, language, direction, readOnly, time, onChoose, onLift, onPace, onGap, onStress, onHear }: {
  stave: Stave; marks: readonly Mark[]; chosen: readonly [number, number]; language: string; direction: "ltr" | "rtl"; readOnly: boolean; time: number | null;
  onChoose: (word: number, extend: boolean) => void; onLift: (by: number) => void; onPace: (by: number) => void; onGap: (word: number, seconds: number) => void; onStress: () => void; onHear: (alone: boolean) => void;
}) {
  const { t } = useTranslation();
  const box = useRef<HTMLDivElement>(null);
  const [held, setHeld] = useState<{ kind: "lift" | "gap"; word: number; from: number; by: number } | null>(null);
  const width = 1000;
  const share = (seconds: number) => `${(100 * seconds) / Math.max(stave.seconds, 0.01)}%`;
  const focus = (word: number, extend: boolean) => {
    onChoose(word, extend);
    box.current?.querySelectorAll<HTMLElement>("[data-word]")[word]?.focus();
  };
  const press = (event: React.KeyboardEvent, word: number) => {
    const along = direction === "rtl" ? -1 : 1;
    const acts: Record<string, () => void> = {
      ArrowLeft: () => focus(Math.min(stave.words.length - 1, Math.max(0, word - along)), event.shiftKey),
      ArrowRight: () => focus(Math.min(stave.words.length - 1, Math.max(0, word + along)), event.shiftKey),
      h: () => onHear(false), w: () => onHear(true),
      ...(readOnly ? {} : { ArrowUp: () => onLift(0.5), ArrowDown: () => onLift(-0.5), "[": () => onPace(-0.05), "]": () => onPace(0.05), b: onStress }),
    };
    const act = acts[event.key];
    if (!act || event.ctrlKey || event.metaKey || event.altKey) return;
    event.preventDefault();
    event.stopPropagation();
    act();
  };
  const take = (event: React.PointerEvent, kind: "lift" | "gap", word: number) => {
    if (readOnly) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    setHeld({ kind, word, from: kind === "lift" ? event.clientY : event.clientX, by: 0 });
  };
  const drag = (event: React.PointerEvent) => {
    if (!held) return;
    const pixels = (box.current?.clientWidth ?? width) / Math.max(stave.seconds, 0.01);
    const by = held.kind === "lift" ? Math.round((2 * (held.from - event.clientY)) / LIFT_PIXELS) / 2 : ((event.clientX - held.from) * (direction === "rtl" ? -1 : 1)) / pixels;
    setHeld({ ...held, by });
  };
  const letGo = () => {
    if (held?.kind === "lift" && held.by) onLift(held.by);
    if (held?.kind === "gap" && Math.abs(held.by) > 0.01) onGap(held.word, Math.round(Math.max(0, (silences[held.word] ?? 0) + held.by) * 100) / 100);
    setHeld(null);
  };
  const silences = gaps(stave, marks);
  const inside = (word: number) => chosen[0] <= word && word <= chosen[1];
  return (
    <div ref={box} className="relative select-none" dir={direction} role="group" data-keyed aria-label={t("direct.stave")}>
      <svg viewBox={`0 0 ${width} ${HEIGHT}`} preserveAspectRatio="none" className={`w-full h-42 bg-sunk border-y border-rule ${direction === "rtl" ? "-scale-x-100" : ""}`} role="img" aria-label={t("direct.melody")}>
        {[-8, -4, 0, 4, 8].map((semitones) => <line key={semitones} x1={0} x2={width} y1={HEIGHT / 2 - semitones * LIFT_PIXELS} y2={HEIGHT / 2 - semitones * LIFT_PIXELS} className={semitones === 0 ? "stroke-soft" : "stroke-rule"} strokeWidth={1} strokeDasharray={semitones === 0 ? undefined : "2 6"} vectorEffect="non-scaling-stroke" />)}
        {stave.words.map((word, index) => inside(index) && <rect key={index} x={(word.start / stave.seconds) * width} width={((word.end - word.start) / stave.seconds) * width} y={0} height={HEIGHT} className="fill-tide-wash" />)}
        <path d={melodyPath(stave, width, HEIGHT)} fill="none" className="stroke-tide" strokeWidth={2.5} strokeLinecap="round" strokeLinejoin="round" vectorEffect="non-scaling-stroke" />
        {time !== null && <line x1={(time / stave.seconds) * width} x2={(time / stave.seconds) * width} y1={0} y2={HEIGHT} className="stroke-lamp" strokeWidth={2} vectorEffect="non-scaling-stroke" />}
      </svg>
      <div className="relative h-14 border-b border-rule" lang={language}>
        {stave.words.map((word, index) => {
          const moved = held?.kind === "lift" && held.word === index && held.by !== 0;
          const stress = amountOf(marks, "stress", index);
          const directed = marks.some((mark) => mark.kind !== "gap" && mark.kind !== "pause" && mark.word <= index && index < mark.word + (mark.count ?? 1));
          return (
            <button
              key={index}
              type="button"
              data-word={index}
              aria-pressed={inside(index)}
              tabIndex={index === chosen[0] ? 0 : -1}
              title={word.text}
              className={`absolute top-1 h-11 px-0.5 text-sm truncate rounded-sm border touch-none ${inside(index) ? "bg-tide text-paper border-tide" : "bg-paper border-rule hover:border-tide"} ${stress > 0 ? "font-bold" : stress < 0 ? "opacity-70" : ""} ${directed ? "underline decoration-2 underline-offset-4" : ""}`}
              style={{ insetInlineStart: share(word.start), width: share(Math.max(0.03, word.end - word.start)) }}
              onClick={(event) => onChoose(index, event.shiftKey)}
              onKeyDown={(event) => press(event, index)}
              onPointerDown={(event) => inside(index) && take(event, "lift", index)}
              onPointerMove={drag}
              onPointerUp={letGo}
            >
              {moved ? `${held.by > 0 ? "+" : "−"}${Math.abs(held.by)} st` : word.text}
            </button>
          );
        })}
      </div>
      <div className="relative h-6">
        {silences.map((silence, index) => {
          const set = marks.some((mark) => mark.kind === "gap" && mark.word === index);
          if (index === 0 || (silence < 0.06 && !set)) return null;
          const now = held?.kind === "gap" && held.word === index ? Math.max(0, silence + held.by) : silence;
          return (
            <span
              key={index}
              className={`absolute top-0.5 h-5 px-1 min-w-11 text-center rounded-sm text-2xs whitespace-nowrap cursor-ew-resize touch-none -translate-x-1/2 rtl:translate-x-1/2 ${set ? "bg-lamp text-lamp-ink" : "bg-lamp-wash"}`}
              style={{ insetInlineStart: share((stave.words[index - 1]?.end ?? 0) + silence / 2) }}
              title={t("direct.gapBefore", { word: stave.words[index]?.text ?? "" })}
              onPointerDown={(event) => take(event, "gap", index)}
              onPointerMove={drag}
              onPointerUp={letGo}
            >
              <bdi dir="ltr">{t("direct.ms", { ms: Math.round(now * 1000) })}</bdi>
            </span>
          );
        })}
      </div>
    </div>
  );
}
