import { act, renderHook } from "@testing-library/react";
import { beforeEach, describe, expect, it } from "vitest";

import { howChosen, useChosen } from "./useChosen";

const lines = [1, 2, 3, 4, 5].map((id) => ({ id }));
let current: number | null;
let hook: { result: { current: ReturnType<typeof useChosen> }; rerender: () => void };
const doing = (what: (chosen: ReturnType<typeof useChosen>) => void) => {
  act(() => what(hook.result.current));
  hook.rerender();
};
const ids = () => [...hook.result.current.ids];

beforeEach(() => {
  current = null;
  hook = renderHook(() => useChosen(lines, current, (line) => (current = line)));
});

describe("lines chosen together", () => {
  it("go from the one that was chosen first, in either direction", () => {
    doing((chosen) => chosen.choose(3, "one"));
    doing((chosen) => chosen.choose(5, "range"));
    expect(ids()).toEqual([3, 4, 5]);
    doing((chosen) => chosen.choose(1, "range"));
    expect(ids()).toEqual([1, 2, 3]);
    expect(current).toBe(1);
  });
  it("begin at the line that is selected, and a new choice begins anew", () => {
    current = 2;
    hook.rerender();
    doing((chosen) => chosen.choose(4, "range"));
    expect(ids()).toEqual([2, 3, 4]);
    doing((chosen) => chosen.letGo());
    doing((chosen) => chosen.choose(5, "range"));
    expect(ids()).toEqual([4, 5]);
  });
  it("are added and taken out one by one, and let go of by choosing the last again", () => {
    doing((chosen) => chosen.choose(2, "one"));
    doing((chosen) => chosen.choose(4, "more"));
    expect(ids()).toEqual([2, 4]);
    doing((chosen) => chosen.choose(2, "more"));
    expect(ids()).toEqual([4]);
    doing((chosen) => chosen.choose(4, "one"));
    expect(ids()).toEqual([]);
  });
  it("grow and shrink by keys from the selected line, and never over the end", () => {
    current = 4;
    hook.rerender();
    doing((chosen) => chosen.extend(1));
    expect(ids()).toEqual([4, 5]);
    doing((chosen) => chosen.extend(1));
    expect(ids()).toEqual([4, 5]);
    doing((chosen) => chosen.extend(-1));
    expect(ids()).toEqual([4]);
    doing((chosen) => chosen.extend(-1));
    expect(ids()).toEqual([3, 4]);
  });
  it("all of them at once, and none", () => {
    doing((chosen) => chosen.all());
    expect(ids()).toHaveLength(5);
    doing((chosen) => chosen.letGo());
    expect(ids()).toEqual([]);
  });
});

it("Shift takes a range, Ctrl or Cmd one more", () => {
  const keys = { shiftKey: false, ctrlKey: false, metaKey: false };
  expect([howChosen(keys), howChosen({ ...keys, metaKey: true }), howChosen({ ...keys, shiftKey: true, ctrlKey: true })]).toEqual(["one", "more", "range"]);
});
