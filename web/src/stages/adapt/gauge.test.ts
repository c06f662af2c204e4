import { describe, expect, it } from "vitest";

import type { Line } from "../../shared/api/client";
import { bar, estimated, weight, type Gauge } from "./gauge";
import { pieces, sourceSpans, wordingSpans } from "./marks";
import { reason, type Doubt, type Standing } from "./useAdapt";

const gauge: Gauge = { natural: 2, slot: 2.2, room: 2.2, rate: 1, over: -0.7, standing: "fits", syllables: 10, trim: 0 };
const limits = { comfortable: 1.15, hard: 1.35 };

describe("the estimate between two answers", () => {
  it("goes with the letters", () => {
    const longer = estimated({ text: "aaaa aaaa", gauge }, "aaaa aaaa aaaa aaaa aaaa", limits);
    expect(longer.natural).toBeCloseTo(4, 0);
    expect(longer.standing).toBe("over");
    expect(longer.over).toBeGreaterThan(0.5);
    expect(longer.trim).toBeGreaterThan(5);
    expect(estimated({ text: "aaaa aaaa", gauge }, "aaaa aaaa", limits).natural).toBe(2);
  });
  it("stands on its own feet with nothing to go by", () => {
    expect(estimated({ text: "", gauge }, "aaa", limits).standing).toBe("fits");
    expect(weight("a, b.")).toBeGreaterThan(weight("a b"));
    expect(weight("... !")).toBe(0);
  });
  it("gives a pause its time when something follows it", () => {
    const stop = weight("Viene la marea.") - weight("Viene la marea");
    const next = weight("Viene la marea. S") - weight("Viene la marea.");
    expect(stop).toBeLessThan(2);
    expect(next).toBeGreaterThan(5);
    expect(weight("1.5")).toBeLessThan(weight("1. 5"));
  });
  // What a rich voice made of these, in seconds: from one to the next.
  it.each([
    ["Al final del muro del puerto hay una casa sin puerta del lado de tierra. V", 5.275, "Al final del muro del puerto hay una casa sin puerta del lado de tierra. Vien", 5.45],
    ["Cuidado con el tercer escalón, está flojo desde el inv", 3.9, "Cuidado con el tercer escalón, está flojo desde el invier", 4.1],
    ["Que trajeron las herramientas equivocad", 2.625, "Que trajeron las herramientas equivocadas", 2.8],
    ["El reloj llenaba el cuarto como un árbol llena un jardín", 3.775, "El reloj llenaba el cuarto como un árbol llena un jardín.", 3.95],
    ["El reloj llenaba el cuarto como un árbol llena un jardín.", 3.95, "El reloj llenaba el cuarto como un árbol llena un jardín. E", 4.25],
  ])("is right to a twentieth: %s", (before, known, text, seconds) => {
    expect(Math.abs(estimated({ text: before, gauge: { ...gauge, natural: known } }, text, limits).natural / seconds - 1)).toBeLessThan(0.05);
  });
});

it("the bar ends where the words do, and shows where the slot does", () => {
  const short = bar(gauge);
  expect(short.within).toBeLessThan(short.slot);
  expect(short.beyond).toBe(0);
  const long = bar({ ...gauge, natural: 4.4 });
  expect(long.slot + long.beyond).toBeCloseTo(1);
});

const doubt: Doubt = {
  line: 1, unknown: [[3, 4]], misspelt: [[3, 4], [8, 2]], rude: [], findings: [], heard: null,
  terms: [{ at: 0, length: 3, original: "the", text: "der", kept: false, forbidden: false, note: "" }, { at: 0, length: 2, original: "", text: "xy", kept: false, forbidden: true, note: "" }],
};

describe("marks", () => {
  it("cut a text into pieces that are the text again, one mark for one place", () => {
    const found = pieces("xy abcd ef.", wordingSpans(doubt));
    expect(found.map((piece) => piece.text).join("")).toBe("xy abcd ef.");
    expect(found.filter((piece) => piece.kind).map((piece) => piece.kind)).toEqual(["forbidden", "unknown", "misspelt"]);
    expect(sourceSpans(doubt)).toEqual([{ at: 0, length: 3, kind: "missing", note: "→ der" }]);
  });
  it("beyond the text are left out", () => {
    expect(pieces("ab", [{ at: 1, length: 9, kind: "rude" }])).toEqual([{ text: "ab", kind: null }]);
  });
});

it("a line is looked at for the most pressing reason", () => {
  const line = (more: Partial<Line>) => ({ words: "x", over: 0, state: "current", ...more }) as Line;
  const standing = (more: Partial<Standing>) => ({ state: "edited", source_difference: [], ...more }) as unknown as Standing;
  expect(reason(line({ words: " " }), undefined, undefined)).toBe("empty");
  expect(reason(line({ over: 0.4 }), standing({ source_difference: [["new", "a"]] }), doubt)).toBe("too_long");
  expect(reason(line({}), standing({ source_difference: [["new", "a"]] }), doubt)).toBe("changed");
  expect(reason(line({}), standing({ state: "draft" }), undefined)).toBe("doubtful");
  expect(reason(line({}), standing({ state: "approved" }), doubt)).toBeNull();
  expect(reason(line({}), standing({}), undefined)).toBeNull();
});
