import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import type { Mix } from "./api/client";

/** A loudspeaker that only remembers. */
class Sounding extends EventTarget {
  static made: Sounding[] = [];
  paused = true;
  muted = false;
  currentTime = 0;
  duration = NaN;
  playbackRate = 1;
  volume = 1;
  preload = "";
  preservesPitch = false;
  refuses = false;
  played: string[] = [];
  constructor(public src = "") {
    super();
    Sounding.made.push(this);
  }
  play() {
    if (this.refuses) return Promise.reject(new Error("no such sound"));
    this.paused = false;
    this.played.push(this.src);
    return Promise.resolve();
  }
  pause() {
    this.paused = true;
  }
  removeAttribute() {
    this.src = "";
  }
  /** It has come to its end. */
  end() {
    this.paused = true;
    this.dispatchEvent(new Event("ended"));
  }
}

const mixes = vi.hoisted(() => ({ asked: vi.fn(), fetched: vi.fn() }));
vi.mock("./api/queries", () => ({
  askForMix: mixes.asked,
  fetchMix: mixes.fetched,
  mixSound: (production: number, language: string, recipe: string) => `/${production}/${language}/${recipe}.wav`,
  queryClient: { invalidateQueries: vi.fn() },
}));
const mix = (more: Partial<Mix>) => ({ recipe: "r1", state: "ready", share: 1, fault: "", report: { seconds: 250 }, ...more }) as Mix;

/** The module anew, with what it plays on: the programme and the short sounds. */
async function made() {
  vi.resetModules();
  Sounding.made = [];
  const { usePlayer, useSample } = await import("./player");
  const [programme, sample] = Sounding.made as [Sounding, Sounding];
  return { player: usePlayer, samples: useSample, programme, sample };
}

beforeEach(() => {
  vi.stubGlobal("Audio", Sounding);
  mixes.asked.mockReset().mockResolvedValue(mix({}));
  mixes.fetched.mockReset();
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

describe("the programme", () => {
  it("plays from where it is asked to, and is asked for once", async () => {
    const { player, programme } = await made();
    player.getState().setSpeed(1.25);
    await player.getState().play(1, "es-MX", "r1", 12.5);
    expect(programme).toMatchObject({ src: "/1/es-MX/r1.wav", currentTime: 12.5, playbackRate: 1.25, paused: false });
    expect(player.getState()).toMatchObject({ playing: true, preparing: null, duration: 250, fault: null });
    player.getState().pause();
    await player.getState().play(1, "es-MX", "r1", null);
    expect(mixes.asked).toHaveBeenCalledTimes(1);
    expect(programme.currentTime).toBe(12.5);
  });

  it("waits for a mix that is being made, and tells how far it is", async () => {
    vi.useFakeTimers();
    mixes.asked.mockResolvedValue(mix({ state: "making", share: 0 }));
    mixes.fetched.mockResolvedValueOnce(mix({ state: "making", share: 0.5 })).mockResolvedValueOnce(mix({}));
    const { player, programme } = await made();
    const playing = player.getState().play(1, "es-MX", "r1", 0);
    await vi.advanceTimersByTimeAsync(260);
    expect(player.getState().preparing).toBe(0.5);
    expect(programme.played).toEqual([]);
    await vi.advanceTimersByTimeAsync(260);
    await playing;
    expect(programme.played).toEqual(["/1/es-MX/r1.wav"]);
  });

  it("stays silent where somebody stopped it before it was made", async () => {
    vi.useFakeTimers();
    mixes.asked.mockResolvedValue(mix({ state: "making", share: 0 }));
    const { player, programme } = await made();
    const playing = player.getState().play(1, "es-MX", "r1", 0);
    await vi.advanceTimersByTimeAsync(10);
    player.getState().pause();
    await vi.advanceTimersByTimeAsync(400);
    await playing;
    expect(mixes.fetched).not.toHaveBeenCalled();
    expect(programme.played).toEqual([]);
    expect(player.getState()).toMatchObject({ playing: false, preparing: null });
  });

  it("says why it cannot be heard", async () => {
    mixes.asked.mockResolvedValue(mix({ state: "failed", fault: "The disk is full." }));
    const { player } = await made();
    await player.getState().play(1, "es-MX", "r1", 0);
    expect(player.getState()).toMatchObject({ playing: false, preparing: null, fault: "The disk is full." });
    player.getState().clearFault();
    expect(player.getState().fault).toBeNull();
  });

  it("has what is beneath it made first, and is not heard while that is heard alone", async () => {
    const { player, programme } = await made();
    await player.getState().play(1, "es-MX", "r1", 0, [{ language: "de-DE", address: null, holds: [], level: 0.5 }]);
    expect(mixes.asked.mock.calls.map((call: unknown[]) => call[1])).toEqual(["de-DE", "es-MX"]);
    expect(Sounding.made.map((sound) => sound.src)).toContain("/1/de-DE/r1.wav");
    player.getState().setAlone("de-DE");
    expect(programme.muted).toBe(true);
    player.getState().setAlone("es-MX");
    expect(programme.muted).toBe(false);
  });

  it("follows the sound: its length, its end", async () => {
    const { player, programme } = await made();
    await player.getState().playFile(1, "en-GB", "/source.wav", 3);
    programme.duration = 61.5;
    programme.dispatchEvent(new Event("durationchange"));
    expect(player.getState()).toMatchObject({ duration: 61.5, playing: true });
    player.getState().seek(20);
    expect(programme.currentTime).toBe(20);
    programme.end();
    expect(player.getState().playing).toBe(false);
  });
});

describe("short sounds", () => {
  it("are one at a time, and asked for again they stop", async () => {
    const { samples, sample, player } = await made();
    await player.getState().playFile(1, "en-GB", "/source.wav", 0);
    samples.getState().toggle("/a.wav");
    expect(player.getState().playing).toBe(false);
    samples.getState().toggle("/b.wav");
    await Promise.resolve();
    expect(samples.getState()).toMatchObject({ address: "/b.wav", loading: false });
    samples.getState().toggle("/b.wav");
    expect(samples.getState().address).toBeNull();
    expect(sample.paused).toBe(true);
  });

  it("of a row follow one another to the end of the row", async () => {
    const { samples, sample } = await made();
    samples.getState().playRow("Keeper", ["/en.wav", "/es.wav", "/de.wav"]);
    expect(samples.getState().row).toBe("Keeper");
    sample.end();
    sample.end();
    sample.end();
    expect(sample.played).toEqual(["/en.wav", "/es.wav", "/de.wav"]);
    expect(samples.getState()).toMatchObject({ address: null, row: "" });
    samples.getState().playRow("Keeper", ["/en.wav", "/es.wav"]);
    samples.getState().playRow("Keeper", ["/en.wav", "/es.wav"]);
    expect(samples.getState()).toMatchObject({ address: null, queue: [], row: "" });
  });

  it("that are not there are told of, and end their row", async () => {
    const { samples, sample } = await made();
    sample.refuses = true;
    samples.getState().playRow("Imka", ["/gone.wav", "/next.wav"]);
    await vi.waitFor(() => expect(samples.getState().fault).toBe("/gone.wav"));
    expect(samples.getState()).toMatchObject({ address: null, loading: false, queue: [], row: "" });
  });
});
