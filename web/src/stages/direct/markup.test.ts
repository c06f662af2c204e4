import { expect, it } from "vitest";

import { coloured } from "./markup";

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
