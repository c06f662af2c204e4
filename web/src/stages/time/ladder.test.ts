import { expect, it } from "vitest";

import type { Line } from "../../shared/api/client";
import { rungs, trouble } from "./ladder";

const base = {
  number: 1, part: null, speaker: 1, notes: "", words: "x", revision: 1, state: "current", quality: "finish",
  voice: "curlew",
  wrong_language: false, natural: 1, over: 0, late: 0, into_silence: 0, marks: [], rate: 1,
} as const;

it("rungs stand in the order of time, without lines that have no place yet", () => {
  const lines: Line[] = [
    { ...base, id: 1, slot: [5, 6], start: 5, seconds: 1, marks: [] },
    { ...base, id: 2, slot: null, start: 0, seconds: 0, marks: [] },
    { ...base, id: 3, slot: null, start: 1, seconds: 2, marks: [] },
    { ...base, id: 4, slot: [2, 3], start: 2, seconds: 0, marks: [] },
  ];
  expect(rungs(lines).map((rung) => [rung.line.id, rung.start, rung.end])).toEqual([[3, 1, 3], [4, 2, 2], [1, 5, 6]]);
});

it("trouble is told worst first", () => {
  const line = (more: Partial<Line>): Line => ({ ...base, id: 1, slot: [0, 1], start: 0, seconds: 1, marks: [], ...more });
  expect(trouble(line({ over: 0.2, late: 1, rate: 1.35 }), 1.15)).toBe("over");
  expect(trouble(line({ late: 0.4, rate: 1.3 }), 1.15)).toBe("late");
  expect(trouble(line({ rate: 1.3 }), 1.15)).toBe("fast");
  expect(trouble(line({ rate: 1.15 }), 1.15)).toBe("none");
});
