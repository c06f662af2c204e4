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
const USED = CODE.flatMap((text) => [...text.matchAll(/\bt\(\s*(?:"([^"]+)"|`([^`]+)`)/g)].map((match) => (match[1] ?? match[2]) as string));

// What stands in a template for a part of a name is one step of it, never more and never nothing.
const holds = (template: string) => new RegExp(`^${template.split(/\$\{[^}]*\}/).map((part) => part.replace(/[.*+?^${}()|[\]\\]/g, "\\$&")).join("[^.]+")}$`);

it("every word on the screen is in the catalogue", () => {
  expect(USED.length).toBeGreaterThan(100);
  for (const name of USED) {
    const found = name.includes("${") ? [...KNOWN].some((known) => holds(name).test(known)) : KNOWN.has(name);
    expect(found, name).toBe(true);
  }
});

it("the catalogue holds nothing that is not used", () => {
  const templates = USED.filter((name) => name.includes("${")).map(holds);
  const unused = [...KNOWN].filter((name) => !USED.includes(name) && !templates.some((one) => one.test(name)));
  expect(unused).toEqual([]);
});

// Between tags, and in what is read aloud or shown beside the pointer: one word is enough to be one.
const BARE = [/(?<!=)>\s*([A-Z][a-z]+(?:[ ,.!?’-]+[\w’]+)*[.!?…]?)\s*</g, /\b(?:title|placeholder|alt|aria-label|label|name)="([A-Z][^"{}]*)"/g];
const bare = (text: string) => BARE.flatMap((one) => [...text.matchAll(one)].map((match) => match[1]));

it("nothing is written on the screen past the catalogue", () => {
  expect(bare('<b>Save</b> <p>Save it.</p> <i title="Close" />')).toEqual(["Save", "Save it.", "Close"]);
  // Its own name is the same in every language.
  expect(CODE.flatMap(bare).filter((text) => text !== "Janoglot")).toEqual([]);
});
