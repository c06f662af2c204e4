import { spokenWords } from "../../shared/lines";
import type { EditionLines, Line } from "../../shared/api/client";

export interface Rung {
  line: Line;
  /** Seconds. Null where the script gives the line no slot. */
  slot: [number, number] | null;
  start: number;
  end: number;
}

/** Whether any line has a slot to keep to. */
export const isTimed = (lines: readonly Line[]): boolean => lines.some((line) => line.slot !== null);

/** Lines as they stand in time, earliest first; lines with neither slot nor take are left out. */
export function rungs(lines: readonly Line[]): Rung[] {
  return lines
    .filter((line) => line.slot || line.seconds > 0)
    .map((line) => ({
      line,
      slot: line.slot ? ([line.slot[0] ?? 0, line.slot[1] ?? 0] as [number, number]) : null,
      start: line.start,
      end: line.start + line.seconds,
    }))
    .sort((a, b) => a.start - b.start || a.line.number - b.line.number);
}

/** The rungs of which anything lies between two times; a rung may be long, so its begin says too little. */
export function inSight(steps: readonly Rung[], from: number, to: number): Rung[] {
  return steps.filter((step) => Math.min(step.start, step.slot?.[0] ?? step.start) <= to && Math.max(step.end, step.slot?.[1] ?? step.end) >= from);
}

export type Trouble = "over" | "late" | "fast" | "none";

export function trouble(line: Line): Trouble {
  if (line.harm > 0) return line.over > 0 || line.flags.includes("short") ? "over" : "late";
  return line.flags.includes("fast") ? "fast" : line.late > 0.02 ? "late" : "none";
}

/** The lines that do not fit, the most harmful first; among equals in the order of time. */
export function byHarm(lines: readonly Line[]): Line[] {
  return lines.filter((line) => line.harm > 0).sort((a, b) => b.harm - a.harm || a.start - b.start);
}

/**
 * Where a time that is dragged to comes to lie: on the nearest of `marks` within `reach`, else where it is.
 * All in seconds.
 */
export function snapped(time: number, marks: readonly number[], reach: number): number {
  let best = time;
  let nearest = reach;
  for (const mark of marks) {
    const away = Math.abs(mark - time);
    if (away <= nearest) {
      nearest = away;
      best = mark;
    }
  }
  return Math.max(0, Math.round(best * 1000) / 1000);
}

/** What a rung is dragged against: its own slot, and where its neighbours end and begin. */
export function marksFor(step: Rung, steps: readonly Rung[]): number[] {
  const at = steps.indexOf(step);
  const before = steps[at - 1];
  const after = steps[at + 1];
  return [step.slot?.[0], step.slot?.[1], before?.end, before?.slot?.[1], after?.start, after?.slot?.[0]].filter((one): one is number => one !== undefined);
}

/** Seconds between the ticks of the clock, so that they stand some 60 pixels apart. */
export function tickStep(pixels: number): number {
  const wanted = 60 / pixels;
  return [0.1, 0.2, 0.5, 1, 2, 5, 10, 15, 30, 60, 120, 300, 600].find((step) => step >= wanted) ?? 1200;
}

/** A waveform standing upright: an SVG path as wide as `width`, `height` tall, both sides of the middle. */
export function wave(peaks: Uint8Array, width: number, height: number): string {
  const count = Math.max(1, Math.min(peaks.length, Math.floor(height / 2)));
  const size = peaks.length / count;
  let path = "";
  for (let at = 0; at < count; at++) {
    let peak = 0;
    for (let one = Math.floor(at * size); one < Math.max(Math.floor((at + 1) * size), Math.floor(at * size) + 1); one++) peak = Math.max(peak, peaks[one] ?? 0);
    const half = Math.max(0.4, (Math.sqrt(peak / 255) * width) / 2);
    path += `M${(width / 2 - half).toFixed(1)} ${((at + 0.5) * (height / count)).toFixed(1)}h${(2 * half).toFixed(1)}`;
  }
  return path;
}

type Holds = EditionLines["holds"];

/** When a hold begins in this edition's time: after the ones before it. */
export function heldAt(holds: Holds, hold: Holds[number]): number {
  return hold.at + holds.filter((one) => one.at < hold.at).reduce((sum, one) => sum + one.seconds, 0);
}

/** Seconds of a line that are said while its part's picture stands still. */
export function intoHold(holds: Holds, line: Pick<Line, "part" | "start" | "seconds">): number {
  const hold = holds.find((one) => one.part === line.part);
  return hold ? Math.min(hold.seconds, Math.max(0, line.start + line.seconds - heldAt(holds, hold))) : 0;
}

/** From so many pixels a second on, words stand at their own times. */
export const WORDS_FROM = 110;
const ROW = 15;

/** A line's words at the times at which they are said, in seconds from its start; words too near share a row. */
export function wordRows(line: Line, pixels: number): { at: number; text: string }[] {
  const words = spokenWords(line);
  const rows: { at: number; text: string }[] = [];
  line.marks.forEach(([start = 0, , from = 0], index) => {
    const to = line.marks[index + 1]?.[2] ?? words.length;
    const text = words.slice(index === 0 ? 0 : from, to).trim();
    const last = rows.at(-1);
    if (last && (start - last.at) * pixels < ROW) last.text += ` ${text}`;
    else rows.push({ at: start, text });
  });
  return rows;
}
