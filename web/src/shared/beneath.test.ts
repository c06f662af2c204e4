import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { hushBeneath, setBeneath, stepBeneath } from "./beneath";

/** What is heard, without a loudspeaker. */
class Sounding {
  static made: Sounding[] = [];
  paused = true;
  ended = false;
  seeking = false;
  currentTime = 0;
  duration = 60;
  playbackRate = 1;
  volume = 1;
  preload = "";
  preservesPitch = false;
  constructor(public src: string) {
    Sounding.made.push(this);
  }
  play() {
    this.paused = false;
    return Promise.resolve();
  }
  pause() {
    this.paused = true;
  }
  removeAttribute() {
    this.src = "";
  }
}

const at = (time: number) => ({ time, held: false, since: 0 });
const german = { language: "de-DE", address: "/de.wav", holds: [], level: 0.5 };
const french = { language: "fr-FR", address: "/fr.wav", holds: [{ at: 2, seconds: 1 }], level: 0.5 };

beforeEach(() => {
  Sounding.made = [];
  vi.stubGlobal("Audio", Sounding);
});
afterEach(() => {
  setBeneath([]);
  vi.unstubAllGlobals();
});

describe("what plays beneath the programme", () => {
  it("goes where the programme is, at its speed", () => {
    setBeneath([german]);
    stepBeneath(at(7), true, 1.5, null);
    const [sound] = Sounding.made;
    expect(sound).toMatchObject({ currentTime: 7, paused: false, playbackRate: 1.5, volume: 0.5 });
    // A little behind, it hurries rather than jumps.
    stepBeneath(at(7.1), true, 1.5, null);
    expect(sound?.currentTime).toBe(7);
    expect(sound?.playbackRate).toBeGreaterThan(1.5);
    stepBeneath(at(7), false, 1.5, null);
    expect(sound?.paused).toBe(true);
  });
  it("has holds of its own", () => {
    setBeneath([french]);
    stepBeneath(at(5), true, 1, null);
    expect(Sounding.made[0]?.currentTime).toBe(6);
    // The picture stands still for longer elsewhere: it waits.
    stepBeneath({ time: 2, held: true, since: 1.5 }, true, 1, null);
    expect(Sounding.made[0]?.paused).toBe(true);
  });
  it("is silent where another is heard alone, and full where it is", () => {
    setBeneath([german, french]);
    stepBeneath(at(1), true, 1, "fr-FR");
    expect(Sounding.made.map((sound) => sound.volume)).toEqual([0, 1]);
  });
  it("goes on where it is still wanted, and ends where it is not", () => {
    setBeneath([german, french]);
    stepBeneath(at(1), true, 1, null);
    setBeneath([{ ...french, level: 0.2 }]);
    expect(Sounding.made).toHaveLength(2);
    expect(Sounding.made[0]).toMatchObject({ paused: true, src: "" });
    stepBeneath(at(1), true, 1, null);
    expect(Sounding.made[1]).toMatchObject({ paused: false, volume: 0.2 });
    hushBeneath();
    expect(Sounding.made[1]?.paused).toBe(true);
    // A new mix of the same edition is another sound.
    setBeneath([{ ...french, address: "/fr-2.wav" }]);
    expect(Sounding.made.map((sound) => sound.src)).toEqual(["", "", "/fr-2.wav"]);
  });
  it("says nothing past its end", () => {
    setBeneath([german]);
    stepBeneath(at(70), true, 1, null);
    expect(Sounding.made[0]?.paused).toBe(true);
  });
});
