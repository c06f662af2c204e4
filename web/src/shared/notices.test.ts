import { beforeEach, expect, it } from "vitest";

import { useNotices } from "./notices";

beforeEach(() => useNotices.setState({ shown: [] }));
const shown = () => useNotices.getState().shown.map((one) => [one.text, one.count]);

it("said again, it is one notice that counts", () => {
  const { say } = useNotices.getState();
  say({ tone: "bad", text: "away" });
  say({ tone: "calm", text: "kept" });
  say({ tone: "bad", text: "away" });
  expect(shown()).toEqual([["kept", 1], ["away", 2]]);
});

it("never more than four stand there, the oldest gone first", () => {
  const { say } = useNotices.getState();
  for (const text of ["1", "2", "3", "4", "5"]) say({ tone: "calm", text });
  expect(shown().map(([text]) => text)).toEqual(["2", "3", "4", "5"]);
});

it("one is taken away by hand", () => {
  useNotices.getState().say({ tone: "bad", text: "away" });
  useNotices.getState().drop(useNotices.getState().shown[0]?.id ?? -1);
  expect(shown()).toEqual([]);
});
