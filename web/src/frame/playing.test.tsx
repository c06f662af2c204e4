import { act, render, screen } from "@testing-library/react";
import { Profiler } from "react";
import { beforeEach, expect, it } from "vitest";

import type { Line } from "../shared/api/client";
import { usePlayer } from "../shared/player";
import { Clock, Spoken } from "./playing";

const LINE = { id: 1, words: "Mind the third step.", start: 10, seconds: 2, marks: [[0, 0.4, 0, 4], [0.4, 0.8, 5, 3], [0.8, 1.4, 9, 5], [1.4, 2, 15, 4]] } as unknown as Line;

/** Sixty frames a second of playing, from one time to another. */
function play(from: number, to: number) {
  for (let time = from; time < to; time += 1 / 60) act(() => usePlayer.setState({ time }));
}

beforeEach(() => usePlayer.setState({ time: 0, playing: true }));

it("the clock is drawn when it reads otherwise, not with every frame", () => {
  let drawn = 0;
  render(<Profiler id="clock" onRender={() => drawn++}><Clock loaded /></Profiler>);
  play(0, 3);
  // It reads tenths of a second; of 180 frames.
  expect(drawn).toBeLessThanOrEqual(32);
  expect(screen.getByText(/^0:0[23]/)).toBeTruthy();
});

it("the words are drawn once for each word that is said", () => {
  let drawn = 0;
  render(<Profiler id="words" onRender={() => drawn++}><Spoken line={LINE} sounding /></Profiler>);
  play(10, 12);
  expect(drawn).toBeLessThanOrEqual(6);
  act(() => usePlayer.setState({ time: 11 }));
  expect(screen.getByText("third").tagName).toBe("MARK");
});

it("a line that is not being said is still", () => {
  let drawn = 0;
  render(<Profiler id="words" onRender={() => drawn++}><Spoken line={LINE} sounding={false} /></Profiler>);
  play(10, 12);
  expect(drawn).toBe(1);
  expect(screen.getByText("Mind the third step.")).toBeTruthy();
});
