import { afterEach, beforeEach, expect, it, vi } from "vitest";

import { audible, balance, LayerPlayer, pieceTimes, type PlayedLayers } from "./layerPlayer";

const strip = { level_db: 0, pan: 0, mute: false, solo: false };

class Param {
  value = 0;
  set: [string, number, number][] = [];
  setTargetAtTime(to: number, at: number) { this.set.push(["target", to, at]); this.value = to; }
  setValueAtTime(to: number, at: number) { this.set.push(["value", to, at]); }
  linearRampToValueAtTime(to: number, at: number) { this.set.push(["ramp", to, at]); }
}
class Node {
  gain = new Param();
  pan = new Param();
  buffer: { duration: number; numberOfChannels: number } | null = null;
  started: [number, number] | null = null;
  stopped: number | null = null;
  to: unknown[] = [];
  connect(to: unknown) { this.to.push(to); return to; }
  disconnect() {}
  start(at: number, into: number) { this.started = [at, into]; }
  stop(at: number) { this.stopped = at; }
}
let nodes: Record<"gain" | "pan" | "source" | "split" | "join", Node[]>;
let clock: { currentTime: number };
let sides = 1;

beforeEach(() => {
  vi.useFakeTimers();
  nodes = { gain: [], pan: [], source: [], split: [], join: [] };
  const made = (kind: "gain" | "pan" | "source" | "split" | "join") => () => { const node = new Node(); nodes[kind].push(node); return node; };
  clock = { currentTime: 5 };
  sides = 1;
  vi.stubGlobal("AudioContext", class { get currentTime() { return clock.currentTime; } destination = {}; resume = () => Promise.resolve(); createGain = made("gain"); createStereoPanner = made("pan"); createChannelSplitter = made("split"); createChannelMerger = made("join"); createBufferSource = made("source"); decodeAudioData = () => Promise.resolve({ duration: 10, numberOfChannels: sides }); });
  vi.stubGlobal("fetch", vi.fn(() => Promise.resolve({ ok: true, arrayBuffer: () => Promise.resolve(new ArrayBuffer(8)) })));
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

const told = (blocks: string[], more: object = {}): PlayedLayers => ({
  recipe: "r", seconds: 30, block_seconds: 10, gain_db: 0, headroom_db: 0, cues: [], left_out: [],
  layers: [{ name: "Ash", voice: true, kind: "voice", ...strip, blocks: ["v0", "", "v2"], curve: [] }, { name: "music", voice: false, kind: "music", ...strip, level_db: -6, blocks, curve: [], ...more }],
});
const playing = async (from = 0) => {
  const times: number[] = [];
  const player = new LayerPlayer((layer, block, key) => `/${layer}/${block}/${key}`, (time) => times.push(time), () => times.push(-1));
  await player.play(told(["m0", "m1", "m2"]), from);
  await vi.advanceTimersByTimeAsync(1);
  return { player, times };
};

it("who is to be heard alone silences the others, and who is muted is not heard", () => {
  const layers = [{ name: "a", ...strip }, { name: "b", ...strip, mute: true }, { name: "c", ...strip, solo: true }];
  expect([...audible(layers)]).toEqual(["c"]);
  expect([...audible(layers.slice(0, 2))]).toEqual(["a"]);
});

it("a piece that has begun already is entered where it is", () => {
  expect(pieceTimes(3, 1, 10, 12)).toEqual({ at: 13, into: 0 });
  expect(pieceTimes(3, 1, 10, 15.5)).toEqual({ at: 15.5, into: 2.5 });
});

it("all layers begin together, at the same sample of the programme", async () => {
  await playing(4);
  const first = nodes.source.slice(0, 2).map((node) => node.started);
  expect(first[0]?.[0]).toBeCloseTo(first[1]?.[0] ?? -1, 6);
  expect((first[0]?.[1] ?? 0) + clock.currentTime - (first[0]?.[0] ?? 0)).toBeCloseTo(4 - 0.06, 6);
  // What comes within the next seconds is there already, on the same clock.
  const later = nodes.source.map((node) => node.started).filter((one) => one?.[1] === 0).map((one) => one?.[0]);
  expect(later).toContain(clock.currentTime + 0.06 + 6);
});

it("a level, a side and who is heard are heard within a fiftieth of a second", async () => {
  const { player } = await playing();
  player.setStrips([{ name: "Ash", ...strip, mute: true }, { name: "music", ...strip, level_db: -20, pan: 0.4 }]);
  const last = (node: Node | undefined, what: "gain" | "pan") => node?.[what].set.at(-1);
  // Behind each pan is what its layer is raised by.
  const [voice, music] = nodes.pan.map((node) => node.to[0] as Node);
  expect(last(voice, "gain")).toEqual(["target", 0, 5]);
  expect(last(music, "gain")?.[1]).toBeCloseTo(0.1, 5);
  expect(last(nodes.pan[1], "pan")).toEqual(["target", 0.4, 5]);
});

it("what has changed takes the place of what sounds, and nothing else is fetched again", async () => {
  const { player } = await playing();
  const before = vi.mocked(fetch).mock.calls.length;
  player.update(told(["other", "m1", "m2"]));
  await vi.advanceTimersByTimeAsync(5);
  expect(vi.mocked(fetch).mock.calls.slice(before).map(([address]) => address)).toEqual(["/music/0/other"]);
  const old = nodes.source.find((node) => node.stopped !== null);
  expect(old?.stopped).toBeGreaterThan(5);
});

it("at its end it says so", async () => {
  const { player, times } = await playing(29);
  clock.currentTime += 2;
  await vi.advanceTimersByTimeAsync(250);
  expect(times.at(-1)).toBe(-1);
  expect(player.playing).toBe(false);
});

it("what has two sides is balanced as the mix does it, not folded to one", async () => {
  expect(balance(0)).toEqual([1, expect.closeTo(1, 9)]);
  expect(balance(1)).toEqual([expect.closeTo(0, 9), 1]);
  expect(balance(-0.5)[1]).toBeCloseTo(Math.sin(Math.PI / 8) * Math.SQRT2, 9);
  sides = 2;
  const { player } = await playing();
  player.setStrips([{ name: "music", ...strip, pan: 1 }]);
  const fades = nodes.gain.filter((node) => node.to.some((to) => nodes.split.includes(to as Node)));
  expect(fades).toHaveLength(nodes.source.length);
  expect(nodes.gain.some((node) => node.gain.set.some(([, to]) => Math.abs(to) < 1e-9) && nodes.join.includes(node.to[0] as Node))).toBe(true);
});
