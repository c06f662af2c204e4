import type { Line } from "../../shared/api/client";

export interface Rung {
  line: Line;
  /** Seconds. Null where the script gives the line no slot. */
  slot: [number, number] | null;
  start: number;
  end: number;
}

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

export type Trouble = "over" | "late" | "fast" | "none";

export function trouble(line: Line, comfortable: number): Trouble {
  if (line.over > 0) return "over";
  if (line.late > 0.02) return "late";
  return line.rate > comfortable + 0.001 ? "fast" : "none";
}
