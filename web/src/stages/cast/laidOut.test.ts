import { describe, expect, it } from "vitest";

import { laidOut } from "./laidOut";

const area = { width: 400, height: 300 };
const covers = (a: { x: number; y: number; width: number }, b: { x: number; y: number; width: number }) =>
  Math.abs(a.y - b.y) < 14 && a.x < b.x + b.width && b.x < a.x + a.width;

describe("labels of the contrast map", () => {
  it("stay where they are when nothing is in the way", () => {
    const labels = [{ x: 10, y: 20, width: 40 }, { x: 10, y: 60, width: 40 }];
    expect(laidOut(labels, area)).toEqual(labels);
  });
  it("never cover each other, in the order in which they were given", () => {
    const labels = Array.from({ length: 12 }, (_, number) => ({ x: 100, y: 150 + (number % 3), width: 60, number }));
    const placed = laidOut(labels, area);
    expect(placed.map((label) => label.number)).toEqual(labels.map((label) => label.number));
    for (const [at, one] of placed.entries()) for (const other of placed.slice(at + 1)) expect(covers(one, other)).toBe(false);
    for (const one of placed) expect(one.y >= 7 && one.y <= 293).toBe(true);
  });
  it("stand left of their points where they would run out on the right", () => {
    const [one] = laidOut([{ x: 380, y: 40, width: 60 }], area);
    expect(one?.x).toBe(288);
  });
});
