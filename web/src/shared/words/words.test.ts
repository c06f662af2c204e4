import { readdirSync, readFileSync, statSync } from "node:fs";
import { join } from "node:path";

import { expect, it } from "vitest";

import en from "./en.json";

type Tree = { [name: string]: string | Tree };

function names(tree: Tree, before = ""): string[] {
  return Object.entries(tree).flatMap(([name, value]) =>
    typeof value === "string" ? [`${before}${name}`] : names(value, `${before}${name}.`),
  );
}

function sources(folder: string): string[] {
  return readdirSync(folder).flatMap((name) => {
    const place = join(folder, name);
    if (statSync(place).isDirectory()) return sources(place);
    return /\.tsx?$/.test(name) && !/\.test\.|generated/.test(name) ? [readFileSync(place, "utf8")] : [];
  });
}

const KNOWN = new Set(names(en as Tree).map((name) => name.replace(/_(one|other)$/, "")));
const CODE = sources(join(import.meta.dirname, "../.."));
const USED = CODE.flatMap((text) => [...text.matchAll(/\bt\(\s*(["`])([^"`]+)\1/g)].map((match) => match[2] as string));

it("every word on the screen is in the catalogue", () => {
  expect(USED.length).toBeGreaterThan(100);
  for (const name of USED) {
    const start = name.split("${")[0] as string;
    const found = start === name ? KNOWN.has(name) : [...KNOWN].some((known) => known.startsWith(start));
    expect(found, name).toBe(true);
  }
});

it("the catalogue holds nothing that is not used", () => {
  const starts = USED.filter((name) => name.includes("${")).map((name) => name.split("${")[0] as string);
  const unused = [...KNOWN].filter((name) => !USED.includes(name) && !starts.some((start) => name.startsWith(start)));
  expect(unused).toEqual([]);
});

it("nothing is written on the screen past the catalogue", () => {
  for (const text of CODE) {
    const bare = [...text.matchAll(/>\s*([A-Z][a-z]+(?: [a-z]+)+)[^<{}]*</g)].map((match) => match[1]);
    expect(bare).toEqual([]);
  }
});
