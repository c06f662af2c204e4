import { expect, it } from "vitest";

import { coloured, sentences } from "./markup";

it("every sign of the markup is in one piece, in order", () => {
  const text = '<s jn:line="4">Mind <break time="1s"/>the &amp; step</s>';
  const pieces = coloured(text);
  expect(pieces.map((piece) => piece.text).join("")).toBe(text);
  expect(pieces.filter((piece) => piece.kind === "value").map((piece) => piece.text)).toEqual(['"4"', '"1s"']);
  expect(pieces.filter((piece) => piece.kind === "text").map((piece) => piece.text)).toEqual(["Mind ", "the &amp; step"]);
});

it("what is half typed is shown all the same", () => {
  for (const text of ["", "<", "<s", '<s a="', "a < b > c", '<s a="x'])
    expect(coloured(text).map((piece) => piece.text).join("")).toBe(text);
});

it("sentences are folded to their words and what is marked in them", () => {
  const text = '<speak><s jn:line="1">Mind <break time="1s"/>the R&amp;D <prosody rate="80%">step</prosody>.</s>\n<s>Go.</s></speak>';
  expect(sentences(text)).toEqual([{ at: 7, words: "Mind the R&D step.", marks: ["break 1s", "prosody 80%"] }, { at: text.indexOf("<s>Go"), words: "Go.", marks: [] }]);
  expect(sentences("<s half typed")).toEqual([]);
});
