import { describe, expect, it } from "vitest";

import type { EditionLines, Line } from "./api/client";
import { replaced, withLines } from "./deltas";

const line = (id: number, words: string) => ({ id, words }) as Line;

describe("what has changed since", () => {
  it("puts changed lines in their places and keeps every other as it is", () => {
    const still = line(1, "Mind the step.");
    const old = { mark: "3.0", seconds: 9, lines: [still, line(2, "Which?")] } as unknown as EditionLines;
    const answer = { mark: "4.0", seconds: 10, whole: false, lines: [line(2, "Which tide?")] } as unknown as EditionLines;
    const found = withLines(old, answer);
    expect(found.lines.map((one) => one.words)).toEqual(["Mind the step.", "Which tide?"]);
    expect(found.lines[0]).toBe(still);
    expect(found).toMatchObject({ mark: "4.0", seconds: 10 });
    expect(old.lines[1]?.words).toBe("Which?");
  });
  it("with nothing changed the list itself is the same, so that nothing is drawn again", () => {
    const old = { lines: [line(1, "a")] } as unknown as EditionLines;
    expect(withLines(old, { lines: [] } as unknown as EditionLines).lines).toBe(old.lines);
  });
  it("drops what was known of a line that was looked at and has nothing any more", () => {
    expect(replaced([{ line: 1 }, { line: 2 }], [{ line: 3 }], [2, 3])).toEqual([{ line: 1 }, { line: 3 }]);
  });
});
