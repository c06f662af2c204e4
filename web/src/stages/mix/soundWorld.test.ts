import { expect, it } from "vitest";

import { asEverywhere, changed, inEdition, newLayer, soundName, stripOf, type SoundWorld } from "./soundWorld";

const plan: SoundWorld = {
  layers: [newLayer("music"), newLayer("ambience", "sea")],
  cues: [{ id: "a", layer: "sea", sound: { made: "surf" }, at: { seconds: 0 }, gain_db: 0 }],
  speakers: [{ speaker: "#3", pan: -0.5 }],
};

it("what is said for one edition is laid over the rest there, and nowhere else", () => {
  const here = changed(changed(plan, "layers", "music", { level_db: -20, duck: { amount_db: 14 } }, "de-DE"), "cues", "a", { gain_db: -6 }, "de-DE");
  const german = inEdition(here, "de-DE");
  expect(german.layers[0]).toMatchObject({ level_db: -20, duck: { amount_db: 14, lead: 0.35 } });
  expect(german.cues[0]?.gain_db).toBe(-6);
  expect(inEdition(here, "es-MX")).toBe(here);
  expect(here.layers[0]?.level_db).toBe(-14);
});

it("said for all, it holds for all: what one edition said of the same goes", () => {
  const here = changed(plan, "layers", "music", { level_db: -20, pan: 0.3 }, "de-DE");
  const all = changed(here, "layers", "music", { level_db: -10 }, null);
  expect(inEdition(all, "de-DE").layers[0]).toMatchObject({ level_db: -10, pan: 0.3 });
  expect(inEdition(asEverywhere(here, "layers", "music", "de-DE"), "de-DE").layers[0]).toMatchObject({ level_db: -14, pan: 0 });
});

it("a speaker has a strip as soon as something is set of it", () => {
  expect(stripOf(plan, 3)).toEqual({ level_db: 0, pan: -0.5, mute: false, solo: false, speaker: "#3" });
  expect(stripOf(changed(plan, "speakers", "#7", { mute: true }, null), 7).mute).toBe(true);
  const german = changed(plan, "speakers", "#9", { solo: true }, "de-DE");
  expect(stripOf(inEdition(german, "de-DE"), 9).solo).toBe(true);
  expect(stripOf(german, 9).solo).toBe(false);
});

it("a sound goes by what it was described as, or by its name in the library", () => {
  expect([soundName({ made: "rain" }, new Map()), soundName({ kept: 4 }, new Map([[4, "Bell buoy"]])), soundName({ kept: 5 }, new Map())]).toEqual(["rain", "Bell buoy", ""]);
});
