import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";

import { expect, it } from "vitest";

import { english, reviewWords, saying } from ".";

const FILES = readdirSync(import.meta.dirname).filter((name) => name.endsWith(".json"));
const fields = (text: string) => [...text.matchAll(/\{\{(\w+)\}\}/g)].map((match) => match[1]).sort();

it("every language has every word, with the same fields in it", () => {
  expect(FILES.length).toBe(11);
  for (const name of FILES) {
    const words = JSON.parse(readFileSync(join(import.meta.dirname, name), "utf8")) as Record<string, string>;
    expect(Object.keys(words), name).toEqual(Object.keys(english));
    for (const [key, text] of Object.entries(words)) {
      expect(text.trim(), `${name} ${key}`).not.toBe("");
      expect(fields(text), `${name} ${key}`).toEqual(fields(english[key as keyof typeof english]));
    }
  }
});

it("a language that is not there is English, and what is missing is left out", async () => {
  const say = saying(await reviewWords("xx"));
  expect(say("forName", { name: "Marisol" })).toBe("For Marisol");
  expect(saying(await reviewWords("ar"))("fine")).toBe("جيد");
});
