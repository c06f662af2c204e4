import { expect, it } from "vitest";

import type { EditionLines, Line, Schemas } from "../../shared/api/client";
import { retimed } from "./useTiming";

const line = (id: number, more: Partial<Line>) => ({ id, start: id, harm: 0, ...more }) as Line;

it("a change of timing moves just the lines that lie otherwise, and counts again what does not fit", () => {
  const still = line(1, { harm: 0.5 });
  const edition = {
    lines: [still, line(2, { harm: 0.3 }), line(3, {})], seconds: 10, mix_recipe: "a", timing: {}, holds: [],
    edition: { counts: { over: 2, lines: 3 } },
  } as unknown as EditionLines;
  const answer = {
    lines: [line(2, { start: 2.4 })], seconds: 11, mix_recipe: "b", settings: { hard_fast: 1.5 }, holds: [{ part: 1 }],
  } as unknown as Schemas["Retimed"];
  const found = retimed(edition, answer);
  expect(found.lines[0]).toBe(still);
  expect(found.lines.map((one) => one.start)).toEqual([1, 2.4, 3]);
  expect(found.edition.counts).toEqual({ over: 1, lines: 3 });
  expect(found).toMatchObject({ seconds: 11, mix_recipe: "b", timing: { hard_fast: 1.5 }, holds: [{ part: 1 }] });
  // What stood before is not written into.
  expect(edition.edition.counts.over).toBe(2);
});
