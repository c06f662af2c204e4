import { useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import { usePlace } from "../../shared/place";
import { usePlayer } from "../../shared/player";
import { usePeaks } from "../../shared/usePeaks";
import { useSourceMedia, useSourcePeaks } from "../../shared/useSourceMedia";
import type { EditionLines, Line, Production } from "../../shared/api/client";
import { clock, rate } from "../../shared/format";
import { speakerLine } from "../../shared/ui/SpeakerMark";
import { heldAt, inSight, isTimed, marksFor, rungs, snapped, tickStep, trouble, wave, wordRows, WORDS_FROM, type Rung } from "./ladder";
import type { Lips, TimingActions } from "./useTiming";

/** Source beside dub; a script without times has no slots to stand there, and its speakers' names take less. */
export const columns = (timed: boolean) => (timed ? "grid-cols-[3.4rem_minmax(0,1fr)_64px_minmax(0,1fr)_7.5rem] gap-0" : "grid-cols-[3.4rem_minmax(0,13rem)_0px_minmax(0,1fr)_7.5rem] gap-0");
const BAND = 64;
const WAVE = 34;
/** Drawn beyond what is seen, so that nothing is blank while it is scrolled. */
const BEYOND = 700;
const SNAP = 7;

interface Drag {
  line: number;
  edge: "body" | "end";
  from: number;
  to: number;
}

/** The ladder: time runs down; the source on one rail, the dub on the other, a band between each pair. */
export function Ladder({
  production,
  edition,
  source,
  pixels,
  onZoom,
  lips,
  actions,
  readOnly,
}: {
  production: Production;
  edition: EditionLines;
  source: EditionLines;
  lips: ReadonlyMap<number, Lips>;
  pixels: number;
  onZoom: (by: number) => void;
  actions: TimingActions;
  readOnly: boolean;
}) {
  const { t } = useTranslation();
  const place = usePlace();
  const box = useRef<HTMLDivElement>(null);
  const [seen, setSeen] = useState({ top: 0, height: 800 });
  const [drag, setDrag] = useState<Drag | null>(null);
  const steps = useMemo(() => rungs(edition.lines), [edition.lines]);
  const positions = useMemo(() => new Map(production.speakers.map((speaker) => [speaker.id, speaker])), [production.speakers]);
  const sourceLines = useMemo(() => new Map(source.lines.map((line) => [line.id, line])), [source.lines]);
  const height = (edition.seconds + 2) * pixels;

  // Zooming keeps what stands at the middle where it stands.
  const before = useRef(pixels);
  const pointer = useRef<number | null>(null);
  useLayoutEffect(() => {
    const view = box.current;
    if (view && before.current !== pixels) {
      // What one looks at stays where it is: what is under the pointer, else the chosen line, else the middle.
      const step = steps.find((one) => one.line.id === place.line);
      const chosen = step ? (step.slot?.[0] ?? step.start) * before.current - view.scrollTop : -1;
      const still = pointer.current ?? (chosen >= 0 && chosen <= view.clientHeight ? chosen : view.clientHeight / 2);
      view.scrollTop = ((view.scrollTop + still) / before.current) * pixels - still;
      before.current = pixels;
      pointer.current = null;
    }
    // When the scale changes, not whenever a take does.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [pixels]);
  useEffect(() => {
    const step = steps.find((one) => one.line.id === place.line);
    const view = box.current;
    if (!step || !view) return;
    const y = (step.slot?.[0] ?? step.start) * pixels;
    if (y < view.scrollTop + 20 || y > view.scrollTop + view.clientHeight - 120) view.scrollTop = y - view.clientHeight / 3;
    // When the choice changes, not whenever a take does.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [place.line]);
  useEffect(() => {
    const view = box.current;
    if (!view) return;
    const look = () => setSeen({ top: view.scrollTop, height: view.clientHeight });
    look();
    const watch = new ResizeObserver(look);
    watch.observe(view);
    const turn = (event: WheelEvent) => {
      if (!event.ctrlKey && !event.metaKey) return;
      event.preventDefault();
      pointer.current = event.clientY - view.getBoundingClientRect().top;
      onZoom(event.deltaY < 0 ? 1.15 : 1 / 1.15);
    };
    view.addEventListener("scroll", look, { passive: true });
    view.addEventListener("wheel", turn, { passive: false });
    return () => {
      watch.disconnect();
      view.removeEventListener("scroll", look);
      view.removeEventListener("wheel", turn);
    };
  }, [onZoom]);

  const from = (seen.top - BEYOND) / pixels;
  const to = (seen.top + seen.height + BEYOND) / pixels;
  const shown = useMemo(() => inSight(steps, from, to), [steps, from, to]);
  const wanted = useMemo(() => shown.map((step) => ({ line: step.line.id, take: step.line.natural === null ? "" : `${step.line.natural}/${step.line.words}` })), [shown]);
  const peaks = usePeaks(production.id, edition.edition.language, wanted);
  const sourceWanted = useMemo(
    () => shown.map((step) => {
      const line = sourceLines.get(step.line.id);
      return { line: step.line.id, take: !line || line.natural === null ? "" : `${line.natural}/${line.words}` };
    }),
    [shown, sourceLines],
  );
  const sourcePeaks = usePeaks(production.id, source.edition.language, edition.edition.is_source ? NONE : sourceWanted);
  const recorded = useSourcePeaks(production.id, useSourceMedia(production.id));
  const step = tickStep(pixels);
  const firstTick = Math.max(0, Math.floor(from / step));
  const ticks = Array.from({ length: Math.max(0, Math.min(Math.ceil((to - from) / step) + 1, 400)) }, (_, index) => (firstTick + index) * step).filter((one) => one <= edition.seconds + 2);

  function nudge(line: Line, by: number) {
    if (readOnly || line.seconds === 0) return;
    if (line.slot) void actions.lines([line.id], { mode: "pinned", at: Math.max(0, Math.round((line.start + by) * 1000) / 1000) });
    else void actions.lines([line.id], { pause: Math.round((pauseBefore(line, steps) + by) * 1000) / 1000 });
  }
  function drop(done: Drag) {
    const found = steps.find((one) => one.line.id === done.line);
    setDrag(null);
    if (!found || Math.abs(done.to - done.from) < 0.004) return;
    if (done.edge === "end") void actions.lines([done.line], { seconds: Math.max(0.1, Math.round((done.to - found.start) * 1000) / 1000) });
    else if (found.slot) void actions.lines([done.line], { mode: "pinned", at: done.to });
    else nudge(found.line, done.to - done.from);
  }
  function begin(event: React.PointerEvent, rung: Rung, edge: Drag["edge"]) {
    if (readOnly || event.button !== 0 || rung.line.seconds === 0) return;
    event.preventDefault();
    event.stopPropagation();
    place.select(rung.line.id);
    const target = event.currentTarget as HTMLElement;
    (target.closest("button") ?? target).focus();
    const marks = marksFor(rung, steps);
    const begun = edge === "end" ? rung.end : rung.start;
    const zero = event.clientY + (box.current?.scrollTop ?? 0);
    let state: Drag = { line: rung.line.id, edge, from: begun, to: begun };
    const move = (next: PointerEvent) => {
      const raw = begun + (next.clientY + (box.current?.scrollTop ?? 0) - zero) / pixels;
      // Held with Alt it goes where it is put.
      state = { ...state, to: next.altKey ? Math.max(0, raw) : snapped(raw, marks, SNAP / pixels) };
      setDrag(state);
    };
    const end = () => {
      window.removeEventListener("pointermove", move);
      window.removeEventListener("pointerup", end);
      window.removeEventListener("keydown", stop, true);
      drop(state);
    };
    const stop = (key: KeyboardEvent) => {
      if (key.key !== "Escape") return;
      key.preventDefault();
      state = { ...state, to: begun };
      end();
    };
    window.addEventListener("pointermove", move);
    window.addEventListener("pointerup", end);
    window.addEventListener("keydown", stop, true);
  }

  return (
    <div ref={box} className="grow min-h-0 overflow-auto relative px-3" role="list" data-keyed aria-label={t("time.ladder")} tabIndex={-1}>
      <div className={`relative grid ${columns(isTimed(edition.lines))}`} style={{ height }}>
        <div className="relative" aria-hidden>
          {ticks.map((tick) => (
            <span key={tick} className="absolute inset-x-0 text-2xs text-soft border-t border-rule" style={{ top: tick * pixels }}>
              {step < 1 ? fine(tick) : clock(tick)}
            </span>
          ))}
        </div>
        <div className="relative">
          {edition.holds.map((hold) => {
            const at = heldAt(edition.holds, hold);
            return at < from - hold.seconds || at > to ? null : (
              <div key={hold.part} className="absolute inset-x-0 held-picture text-2xs text-soft px-2 overflow-hidden" style={{ top: at * pixels, height: hold.seconds * pixels }}>
                {t("time.held", { seconds: hold.seconds.toFixed(2), frames: hold.frames })}
              </div>
            );
          })}
          {shown.map((rung) => !rung.slot && (
            <p key={rung.line.id} className="absolute inset-x-0 flex items-baseline gap-2 px-2 text-xs" style={{ top: rung.start * pixels }}>
              <span className="truncate font-semibold">{positions.get(rung.line.speaker)?.name}</span>
            </p>
          ))}
          {shown.map((rung) => rung.slot && (
            <SourceBlock
              key={rung.line.id}
              top={rung.slot[0] * pixels}
              height={(rung.slot[1] - rung.slot[0]) * pixels}
              colour={speakerLine(positions.get(rung.line.speaker)?.position ?? 0)}
              name={positions.get(rung.line.speaker)?.name ?? ""}
              words={sourceLines.get(rung.line.id)?.words ?? ""}
              language={source.edition.language}
              direction={source.edition.direction}
              mouth={lips.get(rung.line.id)?.original}
              pixels={pixels}
              peaks={recorded ? ofSlot(recorded, sourceLines.get(rung.line.id)?.slot) : edition.edition.is_source ? peaks.get(rung.line.id) : sourcePeaks.get(rung.line.id)}
            />
          ))}
        </div>
        <Bands steps={shown} pixels={pixels} top={Math.max(0, from * pixels)} height={Math.max(0, Math.min(height, to * pixels) - Math.max(0, from * pixels))} selected={place.line} drag={drag} />
        <div className="relative">
          {shown.map((rung) => (
            <DubBlock
              key={rung.line.id}
              step={rung}
              pixels={pixels}
              drag={drag?.line === rung.line.id ? drag : null}
              colour={speakerLine(positions.get(rung.line.speaker)?.position ?? 0)}
              name={positions.get(rung.line.speaker)?.name ?? ""}
              language={edition.edition.language}
              direction={edition.edition.direction}
              selected={rung.line.id === place.line}
              peaks={peaks.get(rung.line.id)}
              mouth={lips.get(rung.line.id)?.dub}
              readOnly={readOnly}
              onSelect={() => place.select(rung.line.id)}
              onGrab={(event, edge) => begin(event, rung, edge)}
              onNudge={(by) => nudge(rung.line, by)}
            />
          ))}
        </div>
        <div className="relative text-sm">
          {shown.map((rung, index) => (
            <FitFigure key={rung.line.id} step={rung} pixels={pixels} room={((shown[index + 1]?.start ?? edition.seconds + 2) - rung.start) * pixels} />
          ))}
        </div>
        <Needle production={production.id} language={edition.edition.language} pixels={pixels} />
      </div>
    </div>
  );
}

/** What of the source's own waveform lies in a slot. */
function ofSlot(peaks: Uint8Array, slot: readonly number[] | null | undefined): Uint8Array | undefined {
  return slot ? peaks.subarray(Math.round((slot[0] ?? 0) * 50), Math.round((slot[1] ?? 0) * 50)) : undefined;
}

const NONE: readonly { line: number; take: string }[] = [];

/** The silence before a line that has no slot. */
export function pauseBefore(line: Line, steps: readonly Rung[]): number {
  const at = steps.findIndex((one) => one.line.id === line.id);
  const before = steps.slice(0, at).reverse().find((one) => one.line.seconds > 0);
  return before ? line.start - before.end : line.start;
}

function fine(seconds: number): string {
  const minutes = Math.floor(seconds / 60 + 1e-9);
  return `${minutes}:${(seconds - minutes * 60).toFixed(1).padStart(4, "0")}`;
}

function Wave({ peaks, height, colour }: { peaks: Uint8Array | undefined; height: number; colour: string }) {
  const path = useMemo(() => (peaks ? wave(peaks, WAVE, Math.min(height, 4000)) : ""), [peaks, height]);
  if (!path) return null;
  return (
    <svg aria-hidden className="shrink-0 block self-stretch pointer-events-none" width={WAVE} height={height} viewBox={`0 0 ${WAVE} ${Math.min(height, 4000)}`} preserveAspectRatio="none">
      <path d={path} stroke={colour} strokeWidth={1.1} />
    </svg>
  );
}

const MOUTH = { closed: "inset-x-0 h-[3px] bg-ink", teeth: "inset-x-0.5 h-[2px] bg-soft", open: "inset-x-[3px] size-1.5 rounded-full border border-ink -translate-y-0.5" } as const;

/** What the lips do, at the rail: a bar where they close, a thin one where they meet the teeth, a ring where they open. */
function Mouth({ shapes, pixels, side }: { shapes: Lips["dub"] | undefined; pixels: number; side: "start" | "end" }) {
  if (!shapes?.length || pixels < 18) return null;
  return (
    <span aria-hidden className={`absolute inset-y-0 w-3 pointer-events-none ${side === "start" ? "start-[38px]" : "end-[38px]"}`}>
      {shapes.map((one, index) => <span key={index} className={`absolute ${MOUTH[one.shape]}`} style={{ top: one.at * pixels }} />)}
    </span>
  );
}

function SourceBlock({ top, height, colour, name, words, language, direction, peaks, mouth, pixels }: {
  mouth: Lips["original"] | undefined; pixels: number;
  top: number; height: number; colour: string; name: string; words: string; language: string; direction: "ltr" | "rtl"; peaks: Uint8Array | undefined;
}) {
  return (
    <div
      className="absolute inset-x-0 overflow-hidden ps-2 text-xs leading-[1.15rem] border border-rule bg-sunk/50 text-soft flex gap-1"
      style={{ top, height: Math.max(height, 3), borderInlineEndColor: colour, borderInlineEndWidth: 4 }}
    >
      {height >= 15 && (
        <span className="min-w-0 grow">
          <span className="font-semibold">{name}</span> <span lang={language} dir={direction}>{words}</span>
        </span>
      )}
      {mouth && <span className="w-3 shrink-0" />}
      <Wave peaks={peaks} height={Math.max(height - 2, 1)} colour={colour} />
      <Mouth shapes={mouth} pixels={pixels} side="end" />
    </div>
  );
}

function DubBlock({ step, pixels, drag, colour, name, language, direction, selected, peaks, mouth, readOnly, onSelect, onGrab, onNudge }: {
  step: Rung; pixels: number; drag: Drag | null; colour: string; name: string; language: string; direction: "ltr" | "rtl"; selected: boolean; peaks: Uint8Array | undefined; mouth: Lips["dub"] | undefined; readOnly: boolean;
  onSelect: () => void; onGrab: (event: React.PointerEvent, edge: Drag["edge"]) => void; onNudge: (by: number) => void;
}) {
  const { t } = useTranslation();
  const { line } = step;
  const silent = line.seconds === 0;
  const start = silent ? (step.slot?.[0] ?? 0) : drag?.edge === "body" ? drag.to : step.start;
  const end = silent ? (step.slot?.[1] ?? 0) : drag?.edge === "end" ? Math.max(drag.to, step.start + 0.1) : start + (step.end - step.start);
  const top = start * pixels;
  const height = Math.max((end - start) * pixels, 3);
  const bad = line.harm > 0;
  const rung = useRef<HTMLButtonElement>(null);
  useEffect(() => {
    // Keys are for the line that is chosen: where another has them, it takes them over.
    const active = document.activeElement;
    if (selected && active instanceof HTMLElement && active !== rung.current && active.dataset.line !== undefined && rung.current?.closest("[data-keyed]")?.contains(active)) rung.current.focus({ preventScroll: true });
  }, [selected]);
  // Near enough, every word stands where it is said.
  const spread = !silent && pixels >= WORDS_FROM ? wordRows(line, height / line.seconds) : [];
  return (
    <div role="listitem" className={`absolute inset-x-0 ${selected ? "z-10" : ""}`} style={{ top, height }}>
      {spread.length > 0 && (
        <span aria-hidden className="absolute inset-y-0 start-12 end-2 pointer-events-none z-10 text-xs leading-none">
          {spread.map(({ at, text }) => <span key={at} lang={language} dir={direction} className="absolute inset-x-0 truncate border-t border-rule pt-0.5" style={{ top: (at * height) / line.seconds }}>{text}</span>)}
        </span>
      )}
      <button
        ref={rung}
        type="button"
        data-line={line.id}
        aria-current={selected ? "true" : undefined}
        aria-label={t("time.rung", { number: line.number, speaker: name, at: clock(step.start), words: line.words || t("take.empty") })}
        className={`w-full h-full overflow-hidden text-start pe-2 text-xs leading-[1.15rem] flex items-start gap-1 border ${selected ? "border-tide outline-2 outline-tide" : bad ? "border-alarm" : "border-rule"} ${silent ? "border-dashed bg-transparent text-soft ps-2" : "bg-paper"} ${line.timing.mode === "pinned" || line.timing.seconds ? "pinned-edge" : ""}`}
        style={silent ? { touchAction: "none" } : { borderInlineStartColor: colour, borderInlineStartWidth: 4, touchAction: "none" }}
        onClick={onSelect}
        onPointerDown={(event) => onGrab(event, "body")}
        onKeyDown={(event) => {
          if (!event.altKey || (event.key !== "ArrowUp" && event.key !== "ArrowDown")) return;
          event.preventDefault();
          event.stopPropagation();
          onNudge((event.key === "ArrowUp" ? -1 : 1) * (event.shiftKey ? 0.1 : 0.01));
        }}
      >
        {!silent && <Wave peaks={peaks} height={Math.max(height - 2, 1)} colour={colour} />}
        {!silent && mouth && <span className="w-3 shrink-0" />}
        {height >= 15 && !spread.length && (
          <span className="min-w-0 grow" lang={language} dir={direction}>
            {silent && <span className="block text-2xs">{t(`take.${line.state}`)}</span>}
            {line.words}
          </span>
        )}
      </button>
      {!silent && <Mouth shapes={mouth} pixels={pixels} side="start" />}
      {!silent && !readOnly && height >= 18 && (
        <span aria-hidden className="absolute inset-x-3 bottom-0 h-1.5 cursor-ns-resize hover:bg-tide/40" style={{ touchAction: "none" }} onPointerDown={(event) => onGrab(event, "end")} />
      )}
      {drag && (
        <span className="absolute -top-5 end-0 text-2xs bg-quay text-quay-ink rounded-sm px-1 z-20">
          {drag.edge === "end" ? `${(end - start).toFixed(2)} s` : `${fine(start)} (${drag.to >= drag.from ? "+" : "−"}${Math.abs(drag.to - drag.from).toFixed(2)} s)`}
        </span>
      )}
    </div>
  );
}

const FILL = { over: "var(--alarm)", late: "var(--lamp)", fast: "var(--lamp)", none: "var(--tide)" } as const;

function Bands({ steps, pixels, top, height, selected, drag }: { steps: Rung[]; pixels: number; top: number; height: number; selected: number | null; drag: Drag | null }) {
  return (
    <div className="relative">
      <svg aria-hidden className="absolute block rtl:-scale-x-100" style={{ top }} width={BAND} height={height}>
        {steps.map(({ line, slot, start, end }) => {
          if (!slot || line.seconds === 0) return null;
          const kind = trouble(line);
          const moved = drag?.line === line.id ? drag : null;
          const begin = moved?.edge === "body" ? moved.to : start;
          const finish = moved ? (moved.edge === "end" ? moved.to : moved.to + end - start) : end;
          const y = (time: number) => (time * pixels - top).toFixed(1);
          return (
            <polygon key={line.id} points={`0,${y(slot[0])} ${BAND},${y(begin)} ${BAND},${y(finish)} 0,${y(slot[1])}`} fill={FILL[kind]} fillOpacity={kind === "none" ? 0.2 : 0.5} stroke={selected === line.id ? "var(--tide)" : "none"} />
          );
        })}
      </svg>
    </div>
  );
}

function FitFigure({ step, pixels, room }: { step: Rung; pixels: number; room: number }) {
  const { t } = useTranslation();
  const { line } = step;
  if (line.seconds === 0 || room < 11) return null;
  const kind = trouble(line);
  const detail =
    line.harm > 0 && kind === "over" ? t("time.over", { seconds: line.harm.toFixed(1) })
      : line.late > 0.1 ? t("time.late", { seconds: line.late.toFixed(1) })
      : line.late < -0.1 ? t("time.early", { seconds: (-line.late).toFixed(1) }) : "";
  return (
    <div
      className={`absolute inset-x-0 ps-3 leading-4 text-xs whitespace-nowrap ${kind === "over" ? "text-alarm font-semibold" : kind === "none" ? "text-soft" : "text-ink font-semibold"}`}
      style={{ top: step.start * pixels + 1 }}
    >
      {line.slot ? rate(line.rate) : clock(line.seconds)}
      {detail && (room > 30 ? <span className="block">{detail}</span> : <span> {detail}</span>)}
    </div>
  );
}

function Needle({ production, language, pixels }: { production: number; language: string; pixels: number }) {
  const { loaded, time } = usePlayer();
  if (loaded?.production !== production || loaded.language !== language) return null;
  return <div aria-hidden className="absolute inset-x-0 h-0.5 bg-lamp pointer-events-none z-20" style={{ top: time * pixels }} />;
}
