import { expect, it } from "vitest";

import { newLayer, type Cue } from "./soundWorld";
import { at, band, cueLevel, drawnTo, rowsOf, scaleStep, thickness, waveAbove } from "./waterline";

const layer = newLayer("music");
const cue: Cue = { id: "a", layer: "music", sound: { made: "rain" }, at: { seconds: 0 } };

it("a curve runs straight between its points, and stays at its ends", () => {
  const curve = [[1, 0], [2, -6], [4, -6]];
  expect([0, 1, 1.5, 3, 9].map((seconds) => at(curve, seconds))).toEqual([0, 0, -3, -6, -6]);
  expect(at([], 3)).toBe(0);
});

it("a cue is as loud as its layer, its own level, what is drawn, its fades and what it gives way by", () => {
  const laid = { start: 10, seconds: 8 };
  expect(cueLevel(cue, layer, [], laid, 4)).toBe(-14);
  expect(cueLevel({ ...cue, gain_db: 3, points: [[0, 0], [4, -8]] }, layer, [], laid, 2)).toBe(-15);
  expect(cueLevel(cue, layer, [[10, -9], [20, -9]], laid, 4)).toBe(-23);
  expect(cueLevel({ ...cue, fade_in: 2 }, layer, [], laid, 1)).toBeCloseTo(-17, 1);
  expect(cueLevel({ ...cue, fade_in: 2, curve: "straight" }, layer, [], laid, 1)).toBeCloseTo(-20, 1);
});

it("a band is as thick as it is loud, and thins where it gives way", () => {
  const outline = band(cue, layer, [[2, 0], [3, -9], [5, -9], [6, 0]], { start: 0, seconds: 8 }, 10, 40);
  const down = (x: number) => Number(new RegExp(`[ML]${x.toFixed(1)},([\\d.]+)`).exec(outline.slice(outline.indexOf("L")))?.[1]);
  expect(down(20)).toBeGreaterThan(down(40));
  expect(down(60)).toBeCloseTo(down(20), 0);
  expect([thickness(-90), thickness(20)]).toEqual([0.03, 1]);
});

it("cues that lie over one another have rows of their own", () => {
  const rows = rowsOf([{ id: "a", start: 0, seconds: 5 }, { id: "b", start: 2, seconds: 2 }, { id: "c", start: 5, seconds: 1 }, { id: "d", start: 4.5, seconds: 4 }]);
  expect([...rows]).toEqual([["a", 0], ["b", 1], ["d", 1], ["c", 0]]);
});

it("a dragged edge is drawn to a line's, within a few pixels", () => {
  expect([drawnTo(4.95, [5, 9], 50), drawnTo(4.5, [5, 9], 50), drawnTo(3, [], 50)]).toEqual([5, 4.5, 3]);
});

it("a voice stands on the line, as high as it is loud", () => {
  const outline = waveAbove(new Uint8Array([10, 200, 100, 20]), 1, 0.08, 100, 90, 60);
  expect(outline.startsWith("M100.0,90")).toBe(true);
  expect(outline.endsWith("L108.0,90Z")).toBe(true);
  expect(outline).toContain(",30.0");
});

it("the scale has room for its figures", () => {
  expect([400, 100, 4, 0.1].map(scaleStep)).toEqual([1, 1, 30, 900]);
});
