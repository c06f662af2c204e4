import { describe, expect, it } from "vitest";

import type { Line } from "./api/client";
import { lineAt, spokenWords, wordAt } from "./lines";

function line(id: number, start: number, seconds: number, more: Partial<Line> = {}): Line {
  return {
    id, number: id, part: null, speaker: 1, notes: "", slot: null, words: "Mind the step", revision: 1,
    state: "current", quality: "finish", voice: "curlew", wrong_language: false, by_person: false, own: null, directed: null, natural: seconds, start, seconds, rate: 1, over: 0,
    late: 0, into_silence: 0, collides: 0, harm: 0, flags: [], in_sight: null, timing: {}, marks: [], ...more,
  };
}

describe("lineAt", () => {
  const lines = [line(1, 1, 2), line(2, 3.5, 2), line(3, 4, 0), line(4, 5, 2)];
  it("finds the line that sounds, and none in a pause", () => {
    expect(lineAt(lines, 1.5)?.id).toBe(1);
    expect(lineAt(lines, 3.2)).toBeNull();
    expect(lineAt(lines, 0)).toBeNull();
    expect(lineAt(lines, 99)).toBeNull();
  });
  it("takes the one that began last where people talk at once, and never an unvoiced one", () => {
    expect(lineAt(lines, 5.2)?.id).toBe(4);
    expect(lineAt(lines, 4.1)?.id).toBe(2);
  });
});

describe("wordAt", () => {
  const spoken = line(1, 0, 2, { marks: [[0.2, 0.6, 0, 4], [0.6, 0.9, 5, 3], [0.9, 2, 9, 4]] });
  it("gives the characters of the word that is spoken", () => {
    expect(wordAt(spoken, 0.7)).toEqual([5, 8]);
    expect(wordAt(spoken, 1.9)).toEqual([9, 13]);
  });
  it("marks nothing before the first word or without marks", () => {
    expect(wordAt(spoken, 0.1)).toBeNull();
    expect(wordAt(line(2, 0, 1), 0.5)).toBeNull();
  });
});

it("spoken words have single spaces, as their marks count them", () => {
  expect(spokenWords(line(1, 0, 1, { words: "  Mind\n the   step " }))).toBe("Mind the step");
});
