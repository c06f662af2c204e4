import { expect, it } from "vitest";

import { exchangeOf } from "./exchange";
import { laidOut } from "./laidOut";

const lines = (speakers: number[]) => speakers.map((speaker, index) => ({ speaker, words: index === 1 ? " " : "x" }));

it("finds where speakers take turns", () => {
  expect(exchangeOf(lines([1, 9, 1, 1, 2, 1, 2, 1, 2, 1, 2])).map((line) => line.speaker)).toEqual([1, 2, 1, 2, 1, 2]);
  expect(exchangeOf(lines([1, 9, 1, 1])).map((line) => line.speaker)).toEqual([1, 1, 1]);
  expect(exchangeOf([])).toEqual([]);
});

it("lays labels out so that none covers another", () => {
  const placed = laidOut([0, 0, 0, 300].map((at) => ({ x: 100 + at, y: 100, width: 60 })), { width: 600, height: 300 });
  for (const [index, one] of placed.entries())
    for (const other of placed.slice(index + 1))
      expect(Math.abs(one.y - other.y) >= 13 || one.x + one.width <= other.x || other.x + other.width <= one.x).toBe(true);
});
