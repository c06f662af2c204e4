import type { Line } from "./api/client";

/** The line that sounds at `time`: the last that has begun, while it lasts; lines come in the script's order. */
export function lineAt(lines: readonly Line[], time: number): Line | null {
  let found: Line | null = null;
  for (const line of lines) {
    if (line.seconds <= 0 || line.start > time + 0.02) continue;
    if (time < line.start + line.seconds + 0.05 && (!found || line.start >= found.start)) found = line;
  }
  return found;
}

/** The characters of the word that is spoken at `time` (seconds from the line's start), as [from, to). */
export function wordAt(line: Line, time: number): [number, number] | null {
  let found: [number, number] | null = null;
  for (const mark of line.marks) {
    const [start = 0, , at = 0, length = 0] = mark;
    if (start > time + 0.03) break;
    found = [at, at + length];
  }
  return found;
}

/** As the engine spoke them: with single spaces, which the word marks count in. */
export function spokenWords(line: Line): string {
  return line.words.trim().split(/\s+/).join(" ");
}
