import { describe, expect, it } from "vitest";

import { inStep, middleOfFrame, middleOfLastFrame, pictureAt, timeIn } from "./picture";

describe("the picture of an edition", () => {
  const holds = [{ at: 3, seconds: 1 }, { at: 9, seconds: 2 }];
  it.each([[2, 2, false], [3.5, 3, true], [5, 4, false], [11, 9, true], [13, 10, false]])("at %f s shows %f s", (at, time, held) => {
    expect(pictureAt(holds, at)).toMatchObject({ time, held });
    // An edition with the same holds is where it was.
    expect(timeIn(holds, pictureAt(holds, at)).time).toBeCloseTo(at);
  });
  it("without holds is the source's", () => {
    expect(pictureAt([], 7.2)).toEqual({ time: 7.2, held: false, since: 0 });
  });
});

describe("two editions heard together", () => {
  const own = [{ at: 3, seconds: 1 }];
  it.each([
    ["before any hold", 2, 2, false],
    ["in a hold that both have", 3.5, 3.5, false],
    ["the other's hold is shorter: it waits", 4.6, 4, true],
    ["after both", 6, 5, false],
  ])("%s", (_, at, time, still) => {
    const found = timeIn(own, pictureAt([{ at: 3, seconds: 2 }], at));
    expect(found.time).toBeCloseTo(time);
    expect(found.still).toBe(still);
  });
  it("a track without holds is the source, and waits in every hold", () => {
    expect(timeIn([], pictureAt(own, 3.4))).toEqual({ time: 3, still: true });
    expect(timeIn([], pictureAt(own, 9))).toEqual({ time: 8, still: false });
  });
});

it("a frame is shown from its middle", () => {
  expect(middleOfFrame(1, 25)).toBeCloseTo(1.02);
  expect(middleOfFrame(0.9999, 25)).toBeCloseTo(1.02);
  expect(middleOfFrame(0.99, 25)).toBeCloseTo(0.98);
});

it.each([[3, 2.98], [3.01, 3.02], [2.9999, 2.98], [0, 0.02]])("at the end of a part at %f s its own last frame is held", (end, middle) => {
  expect(middleOfLastFrame(end, 25)).toBeCloseTo(middle);
});

it("whoever follows catches up unseen, and jumps only when far off", () => {
  expect(inStep(0.01, 25)).toEqual({ seek: false, rate: 1 });
  expect(inStep(0.1, 25).rate).toBeLessThan(1);
  expect(inStep(-0.1, 25).rate).toBeGreaterThan(1);
  expect(inStep(0.6, 25).seek).toBe(true);
});

it.each([-0.24, -0.1, 0.1, 0.24])("a follower %f s away is within two frames after a second, and does not swing", (start) => {
  let away = start;
  for (let frame = 0; frame < 60; frame++) {
    const { seek, rate } = inStep(away, 25);
    expect(seek).toBe(false);
    away += (rate - 1) / 60;
    expect(Math.abs(away)).toBeLessThanOrEqual(Math.abs(start));
  }
  expect(Math.abs(away)).toBeLessThan(2 / 25);
});
