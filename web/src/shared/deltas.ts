import type { EditionLines } from "./api/client";

/** An edition with those lines as they are now that an answer holds. What has not changed stays the very same object. */
export function withLines(old: EditionLines, answer: EditionLines): EditionLines {
  const changed = new Map(answer.lines.map((line) => [line.id, line]));
  return { ...answer, lines: changed.size ? old.lines.map((line) => changed.get(line.id) ?? line) : old.lines };
}

/** Entries by line, with those of the lines that were looked at put in the place of what was known of them. */
export function replaced<Entry extends { line: number }>(old: readonly Entry[], now: readonly Entry[], looked: readonly number[]): Entry[] {
  const again = new Set(looked);
  return [...old.filter((one) => !again.has(one.line)), ...now];
}
