import { describe, expect, it } from "vitest";

import { clock, decibels, initials, languageName, rate, seconds, span } from "./format";

describe("figures", () => {
  it.each([[0, "0:00.0"], [62.54, "1:02.5"], [59.96, "1:00.0"], [3600, "60:00.0"], [-1, "0:00.0"]])("%d s is %s", (seconds, text) => {
    expect(clock(seconds)).toBe(text);
  });
  it("rates and levels have their sign", () => {
    expect(rate(1.084)).toBe("×1.08");
    expect([decibels(-16), decibels(3), decibels(0)]).toEqual(["−16.0", "+3.0", "0.0"]);
  });
});

describe("initials", () => {
  it.each([["Keeper", "KE"], ["Old Keeper", "OK"], ["الحارس", "ال"], ["घड़ीवाला", "घड"], ["", "?"], ["李", "李"]])("%s", (name, text) => {
    expect(initials(name)).toBe(text);
  });
});

it("languages are named, and what is no tag stays as it is", () => {
  expect(languageName("pt-BR", "en")).toBe("Brazilian Portuguese");
  expect(languageName("?", "en")).toBe("?");
});

describe("times that are typed", () => {
  it.each([
    ["", null], ["62.5", 62.5], ["1:02,5", 62.5], ["1:00:02", 3602], ["1:75", 135], ["soon", undefined], ["-3", undefined],
  ])("%s", (typed, found) => {
    expect(seconds(typed)).toBe(found);
  });
  it("frames count at the picture's rate", () => {
    expect(seconds("00:01:02:12", 24)).toBeCloseTo(62.5, 6);
    expect(seconds("00:00:10:00", 25)).toBeCloseTo(10, 6);
    // Ten minutes of drop frame are ten minutes of the clock, within a frame (SMPTE ST 12-1).
    expect(Math.abs((seconds("00:10:00;00", 29.97) ?? 0) - 600)).toBeLessThan(1 / 29.97);
    // Without dropping, the same numbers lag the clock by 1 in 1000.
    expect(seconds("00:10:00:00", 29.97)).toBeCloseTo(600.6, 1);
  });
  it("no frame is numbered as high as the rate", () => expect(seconds("00:00:01:30", 25)).toBeUndefined());
});

describe("a time left", () => {
  const words = { h: "h", min: "min", s: "s" };
  it.each([[0, "1 s"], [62.2, "63 s"], [91, "2 min"], [3_540, "59 min"], [3_600, "1 h"], [10_884, "3 h 2 min"]])("%d", (left, said) => {
    expect(span(left, words)).toBe(said);
  });
});
