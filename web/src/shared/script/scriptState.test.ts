import { describe, expect, it } from "vitest";

import type { ScriptLine, ScriptPart } from "../api/client";
import { range } from "../useChosen";
import { asTable, asText, cutHere, merged, neighbourFor, speakersLike, type ScriptState } from "./scriptState";

const line = (id: number, place: string, words = `line ${id}`, revision = 1): ScriptLine => ({
  id, place, part: null, speaker: 1, kind: "spoken", in_sight: null, slot: null, notes: "", words, revision,
});
const answer = (over: Partial<ScriptPart>): ScriptPart => ({
  stamp: 1, whole: false, lines: [], removed: [], speakers: null, parts: null, undo: null, redo: null, others: false, ...over,
});
const start = (): ScriptState =>
  merged(undefined, answer({ whole: true, lines: [line(1, "A"), line(2, "B"), line(3, "C")], speakers: [], parts: [] }));

describe("merged", () => {
  it("keeps what did not change as the same object", () => {
    const before = start();
    const after = merged(before, answer({ stamp: 2, lines: [line(2, "B", "other", 2), line(3, "C")] }));
    expect(after.lines[0]).toBe(before.lines[0]);
    expect(after.lines[2]).toBe(before.lines[2]);
    expect(after.lines[1]?.words).toBe("other");
    expect(after.stamp).toBe(2);
  });
  it("puts lines in and takes lines out by place", () => {
    const after = merged(start(), answer({ lines: [line(9, "AV"), line(3, "@")], removed: [2] }));
    expect(after.lines.map((one) => one.id)).toEqual([3, 1, 9]);
  });
  it("lets no older answer take back what was saved since", () => {
    const before = merged(start(), answer({ lines: [line(1, "A", "newest", 5)] }));
    expect(merged(before, answer({ lines: [line(1, "A", "older", 4)] })).lines[0]?.words).toBe("newest");
  });
  it("keeps the key of a line that was made here", () => {
    const cut = cutHere(start(), 2, 4, "line two", -1);
    expect(cut.lines.map((one) => one.words)).toEqual(["line 1", "line", "two", "line 3"]);
    const after = merged(cut, answer({ lines: [line(2, "B", "line", 2), line(8, "BV", "two")] }), new Map([[8, "new-1"]]));
    expect(after.lines.map((one) => [one.id, one.key])).toEqual([[1, "1"], [2, "2"], [8, "new-1"], [3, "3"]]);
  });
});

describe("choosing and moving", () => {
  const lines = [1, 2, 3, 4].map((id) => ({ id }));
  it("takes a range in either direction", () => {
    expect(range(lines, 3, 1)).toEqual([1, 2, 3]);
    expect(range(lines, 9, 2)).toEqual([2]);
  });
  it.each([
    [[2], -1, null], [[3], -1, 1], [[1], -1, undefined], [[2, 3], 1, 4], [[4], 1, undefined], [[1, 3], 1, 4], [[], 1, undefined],
  ] as const)("moves %j by %i behind %j", (chosen, by, behind) => {
    expect(neighbourFor(lines, new Set<number>(chosen), by)).toBe(behind);
  });
});

describe("copying and finding", () => {
  const speakers = new Map([[1, { id: 1, name: "Keeper", position: 0, lines: 1, note: "" }]]);
  it("copies as text and as a table", () => {
    expect(asText([{ ...line(1, "A", "Mind it."), notes: "low" }], speakers)).toBe("Keeper: (low) Mind it.");
    expect(asTable([line(1, "A", "a < b")], speakers)).toBe("<table><tr><td>Keeper</td><td>a &lt; b</td></tr></table>");
  });
  it("finds a speaker by two letters", () => {
    const all = ["The Keeper", "Imka", "Old Kestrel", "Pell"].map((name) => ({ name }));
    expect(speakersLike(all, "ke").map((one) => one.name)).toEqual(["The Keeper", "Old Kestrel"]);
    expect(speakersLike(all, "tk").map((one) => one.name)).toEqual(["The Keeper"]);
    expect(speakersLike(all, "im").map((one) => one.name)).toEqual(["Imka"]);
    expect(speakersLike(all, "zz")).toEqual([]);
  });
});
