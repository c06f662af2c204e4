import { describe, expect, it } from "vitest";

import type { EditionLines, Line, Schemas } from "../../shared/api/client";
import { byHarm, heldAt, inSight, intoHold, marksFor, rungs, snapped, tickStep, trouble, wave, wordRows } from "./ladder";
import { retimed } from "./useTiming";

const line = (id: number, slot: [number, number] | null, start: number, seconds: number, more: Partial<Line> = {}): Line => ({
  id, slot, start, seconds, number: id, part: null, speaker: 1, notes: "", words: "x", revision: 1, state: "current", quality: "finish", voice: "curlew",
  wrong_language: false, by_person: false, own: null, directed: null, natural: 1, over: 0, late: 0, into_silence: 0, collides: 0, harm: 0, flags: [], in_sight: null, timing: {}, marks: [], rate: 1, ...more,
});
const four = [line(1, [4, 6], 4, 2), line(2, null, 1, 2), line(3, null, 0, 0), line(4, [0, 9], 0.5, 0)];

describe("rungs", () => {
  it("stand by their start, without lines that have neither slot nor take", () => {
    expect(rungs(four).map((rung) => rung.line.id)).toEqual([4, 2, 1]);
  });
  it("are seen when anything of them is, however early they began", () => {
    expect(inSight(rungs(four), 7, 8).map((rung) => rung.line.id)).toEqual([4]);
    expect(inSight(rungs(four), 5, 8).map((rung) => rung.line.id)).toEqual([4, 1]);
  });
});

it("a line that outlasts its part is said while the picture is held, and no longer than it is held", () => {
  const holds = [{ part: 1, at: 10, seconds: 2, frames: 50 }, { part: 2, at: 20, seconds: 3, frames: 75 }];
  expect(holds.map((hold) => heldAt(holds, hold))).toEqual([10, 22]);
  expect(intoHold(holds, line(1, [8, 9], 8, 1.5, { part: 1 }))).toBe(0);
  expect(intoHold(holds, line(1, [8, 9], 8, 3.5, { part: 1 }))).toBe(1.5);
  expect(intoHold(holds, line(1, [18, 19], 20, 9, { part: 2 }))).toBe(3);
  expect(intoHold(holds, line(1, [18, 19], 20, 9, { part: 3 }))).toBe(0);
});

it("words stand where they are said, and those too near share a row", () => {
  const said = line(1, null, 0, 2, { words: "“High  water!” he said.", marks: [[0, 0.5, 1, 4], [0.5, 0.9, 6, 5], [1.2, 1.3, 14, 2], [1.25, 1.9, 17, 4]] });
  expect(wordRows(said, 100)).toEqual([{ at: 0, text: "“High" }, { at: 0.5, text: "water!”" }, { at: 1.2, text: "he said." }]);
  expect(wordRows(said, 400).map((row) => row.text)).toEqual(["“High", "water!”", "he", "said."]);
  expect(wordRows(said, 10)).toEqual([{ at: 0, text: "“High water!” he said." }]);
  expect(wordRows(line(2, null, 0, 2), 100)).toEqual([]);
});

it("trouble is told worst first", () => {
  expect(trouble(line(1, null, 0, 1, { over: 0.4, harm: 0.4, late: 1 }))).toBe("over");
  expect(trouble(line(1, null, 0, 1, { late: 1, harm: 0.6, flags: ["late"] }))).toBe("late");
  expect(trouble(line(1, null, 0, 1, { flags: ["fast"] }))).toBe("fast");
  expect(trouble(line(1, null, 0, 1))).toBe("none");
  const bad = [line(1, null, 0, 1, { harm: 0.2 }), line(2, null, 1, 1), line(3, null, 2, 1, { harm: 0.9 })];
  expect(byHarm(bad).map((one) => one.id)).toEqual([3, 1]);
});

describe("dragging", () => {
  it("comes to lie on the nearest mark within reach, else where it is", () => {
    expect(snapped(3.96, [4, 3.9], 0.1)).toBe(4);
    expect(snapped(3.7, [4, 3.9], 0.1)).toBe(3.7);
    expect(snapped(-1, [], 0.1)).toBe(0);
  });
  it("goes by the slot and the neighbours", () => {
    const steps = rungs([line(1, [0, 2], 0, 2), line(2, [3, 5], 3.1, 1.5), line(3, [6, 7], 6, 1)]);
    const second = steps[1];
    expect(second && marksFor(second, steps)).toEqual([3, 5, 2, 2, 6, 6]);
  });
});

it("ticks stand about as far apart at every zoom", () => {
  for (const pixels of [0.05, 1, 14, 60, 400]) {
    const apart = tickStep(pixels) * pixels;
    expect(apart).toBeGreaterThanOrEqual(pixels >= 0.1 ? 55 : 1);
  }
  expect(tickStep(60)).toBe(1);
});

it("a waveform fills its height and no more than its width", () => {
  const path = wave(Uint8Array.from([0, 255, 64]), 20, 60);
  expect(path.match(/M/g)).toHaveLength(3);
  expect(path).toContain("h20.0");
});

it("an answer moves only the lines that it names", () => {
  const edition = { lines: four, seconds: 9, mix_recipe: "a", edition: { counts: { over: 0 } } } as unknown as EditionLines;
  const answer = { lines: [line(2, null, 1.5, 2, { harm: 0.5 })], seconds: 10, mix_recipe: "b", settings: {}, holds: [] } as unknown as Schemas["Retimed"];
  const after = retimed(edition, answer);
  expect(after.lines.map((one) => one.start)).toEqual([4, 1.5, 0, 0.5]);
  expect(after.lines[0]).toBe(four[0]);
  expect(after.edition.counts.over).toBe(1);
  expect(after.mix_recipe).toBe("b");
});
