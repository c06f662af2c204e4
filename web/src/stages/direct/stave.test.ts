import { describe, expect, it } from "vitest";

import { amountOf, gaps, melodyPath, middle, parted, turned, type Mark, type Stave } from "./stave";

const STAVE: Stave = {
  known: true, seconds: 2, step: 0.5, hz: [100, 200, 0, 100], energy: [1, 1, 0, 1],
  words: [{ text: "Mind", start: 0, end: 0.4 }, { text: "the", start: 0.4, end: 0.6 }, { text: "step", start: 0.9, end: 1.6 }],
};

describe("dials", () => {
  it("say nothing of a word until one is turned", () => {
    expect(amountOf([], "pace", 0)).toBe(1);
    const marks = turned([], "pace", 1, 2, 0.8);
    expect([0, 1, 2, 3].map((word) => amountOf(marks, "pace", word))).toEqual([1, 0.8, 0.8, 1]);
  });

  it("turned back leave no mark", () => {
    expect(turned(turned([], "lift", 1, 1, 3), "lift", 1, 1, 0)).toEqual([]);
  });

  it("take a word out of a longer stretch, whose other words keep what they had", () => {
    const whole: Mark[] = [{ kind: "lift", word: 0, count: 5, amount: 2 }];
    const marks = turned(whole, "lift", 2, 1, -1);
    expect([0, 1, 2, 3, 4].map((word) => amountOf(marks, "lift", word))).toEqual([2, 2, -1, 2, 2]);
    expect(turned(whole, "level", 2, 1, -6)).toHaveLength(2);
  });
});

describe("gaps", () => {
  it("are what lies between the words", () => {
    expect(gaps(STAVE).map((one) => Math.round(one * 1000))).toEqual([0, 0, 300]);
  });

  it("are set in the place of a pause that was added, and left to the voice again", () => {
    const marks = parted([{ kind: "pause", word: 2, count: 1, amount: 0.4 }, { kind: "stress", word: 2, count: 1, amount: 1 }], 2, 0.25);
    expect(marks.map((mark) => [mark.kind, mark.amount])).toEqual([["stress", 1], ["gap", 0.25]]);
    expect(parted(marks, 2, null).map((mark) => mark.kind)).toEqual(["stress"]);
    expect(parted([], 2, -1)[0]?.amount).toBe(0);
  });
});

describe("the melody", () => {
  it("has its middle in the middle, and is broken where nothing is voiced", () => {
    expect(middle(STAVE)).toBe(100);
    expect(melodyPath(STAVE, 200, 100)).toBe("M0.0 50.0L50.0 0.0M150.0 50.0");
    expect(melodyPath({ ...STAVE, hz: [0, 0] }, 200, 100)).toBe("");
  });
});
