import { describe, expect, it } from "vitest";

import { clock, decibels, initials, languageName, rate } from "./format";

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
