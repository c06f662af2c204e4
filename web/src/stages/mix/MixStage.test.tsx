import { act, fireEvent, screen, waitFor, within } from "@testing-library/react";
import { expect, it } from "vitest";

import { PRODUCTION, edition, line, refused, serve, show } from "../../testing";
import { MixStage } from "./MixStage";
import { newLayer, type SoundWorld } from "./soundWorld";

const SOUNDS = "/api/productions/5/sounds/";
const EDITION = "/api/productions/5/editions/es-MX";
const words = [line(1, "La marea.", { seconds: 4 }), line(2, "La sopa.", { speaker: 2, seconds: 2, start: 6 }), line(3, "Todo.", { seconds: 1.5, start: 9 })];
const report = { seconds: 65.2, lufs: -16.04, true_peak_db: -1.2, limited_db: 0, short_term: [-18, -16], range_lu: 6.1, most_short_term: -13, most_momentary: -12, voices: -16.4, layers: { Pilot: -16.2, music: -30.5 }, unclear: {}, channels: 2 };
const mix = (state: string, more: object = {}) => ({ recipe: "ab12", state, share: 0.4, fault: "", report: state === "ready" ? report : null, ...more });
const world = (more: Partial<SoundWorld> = {}): SoundWorld => ({
  layers: [newLayer("music")],
  cues: [{ id: "c1", layer: "music", sound: { composed: { mood: "calm" } }, at: { seconds: 2 }, fade_in: 0.3, fade_out: 1 }],
  ...more,
});
const layers = (more: object = {}) => ({
  recipe: "ab12", seconds: 12, block_seconds: 10, gain_db: 0, headroom_db: 12, left_out: [],
  layers: [{ name: "Pilot", voice: true, kind: "voice", level_db: 0, pan: 0, mute: false, solo: false, blocks: ["a"], curve: [] }],
  cues: [{ id: "c1", layer: "music", start: 2, seconds: 8, sound_seconds: 60, joins: [], cut: false }], ...more,
});
const server = (more: Record<string, (asked: { body: unknown }) => unknown> = {}) => serve({
  [`GET ${SOUNDS}`]: () => world(), [`PUT ${SOUNDS}`]: ({ body }) => body, [`GET ${EDITION}/mixes/`]: () => mix("ready"), [`GET ${EDITION}/layers/`]: () => layers(),
  [`GET ${EDITION}/peaks/`]: () => [], "GET /api/productions/5/media/": () => [], ...more,
});
const stage = (production = PRODUCTION, more: object = {}) => show(<MixStage production={production} edition={edition("es-MX", words, { seconds: 12, ...more })} source={edition("en-GB", words)} />, "/?line=2");
const put = (asked: { method: string; body: unknown }[]) => asked.filter((one) => one.method === "PUT").at(-1)?.body as SoundWorld;

it("without a voiced line it says what comes first", () => {
  server();
  stage(PRODUCTION, { mix_recipe: "" });
  expect(screen.getByText("Nothing to mix yet")).toBeTruthy();
});

it("a mix that is ready shows what was measured of it, and of each layer", async () => {
  server();
  stage();
  expect(await screen.findByText("−16.0 LUFS")).toBeTruthy();
  expect(screen.getByText("1:05.2")).toBeTruthy();
  expect(screen.getByText("6.1 LU")).toBeTruthy();
  expect(screen.getByText("−16.2 LUFS")).toBeTruthy();
  expect(await screen.findByText("−30.5 LUFS")).toBeTruthy();
});

it("one that is made says how far it is, and one that went wrong why", async () => {
  let state = mix("making");
  server({ [`GET ${EDITION}/mixes/`]: () => state });
  stage();
  expect(await screen.findByText(/40 %/)).toBeTruthy();
  state = mix("failed", { fault: "What this mix is made of is not kept any more." });
  expect(await screen.findByText("What this mix is made of is not kept any more.", {}, { timeout: 2_000 })).toBeTruthy();
});

it("one that is missing is asked for, and a refusal is said", async () => {
  const asked = server({ [`GET ${EDITION}/mixes/`]: () => mix("absent"), [`POST ${EDITION}/mixes/`]: () => refused(400, "nothing_to_mix", "There is nothing to mix.") });
  stage();
  fireEvent.click(await screen.findByRole("button", { name: "Make the mix" }));
  expect(await screen.findByText("There is nothing to mix.")).toBeTruthy();
  expect(asked.some((one) => one.method === "POST")).toBe(true);
});

it("a loudness is for a purpose, and that of pictures is of the dialogue", async () => {
  const asked = server({ "PATCH /api/productions/5/": () => PRODUCTION });
  const shown = stage();
  fireEvent.click(await screen.findByRole("button", { name: "Loudness" }));
  fireEvent.click(await screen.findByRole("radio", { name: /−27.0 LUFS/ }));
  await waitFor(() => expect(asked.find((one) => one.method === "PATCH")?.body).toEqual({ target_lufs: -27 }));
  await waitFor(() => expect(put(asked).dialogue).toBe(true));
  shown.unmount();
  stage({ ...PRODUCTION, role: "reader" });
  fireEvent.click(await screen.findByRole("button", { name: "Loudness" }));
  expect((await screen.findByRole<HTMLButtonElement>("radio", { name: /−23.0 LUFS/ })).disabled).toBe(true);
});

it("who is not to be heard is muted at once, for all editions or for this one alone", async () => {
  const asked = server();
  stage();
  fireEvent.click(await screen.findByRole("button", { name: "Do not hear Pilot" }));
  await waitFor(() => expect(put(asked).speakers).toEqual([{ speaker: "#1", mute: true }]));
  expect(screen.getByRole("button", { name: "Hear Pilot again" }).getAttribute("aria-pressed")).toBe("true");
  fireEvent.click(screen.getByRole("checkbox", { name: "Changes are for Español (México) alone" }));
  fireEvent.click(screen.getByRole("button", { name: "Hear Cook alone" }));
  await waitFor(() => expect(put(asked).editions).toEqual({ "es-MX": { speakers: { "#2": { solo: true } } } }));
});

it("a cue is moved, lengthened and taken out by keys", async () => {
  const asked = server();
  stage();
  const cue = await screen.findByRole("button", { name: "Music, calm, at 0:02.0, for 0:08.0" });
  fireEvent.keyDown(cue, { key: "ArrowRight" });
  await waitFor(() => expect(put(asked).cues[0]?.at).toEqual({ seconds: 2.1 }));
  fireEvent.keyDown(cue, { key: "ArrowLeft", shiftKey: true });
  await waitFor(() => expect(put(asked).cues[0]?.at).toEqual({ seconds: 1.1 }));
  fireEvent.keyDown(cue, { key: "ArrowRight", altKey: true, shiftKey: true });
  await waitFor(() => expect(put(asked).cues[0]?.seconds).toBe(9));
  fireEvent.keyDown(cue, { key: "Delete" });
  await waitFor(() => expect(put(asked).cues).toEqual([]));
});

it("keys that come faster than the page is drawn are all counted", async () => {
  const asked = server();
  stage();
  const cue = await screen.findByRole("button", { name: /^Music, calm/ });
  // Both before anything is drawn again.
  act(() => {
    cue.dispatchEvent(new KeyboardEvent("keydown", { key: "ArrowRight", bubbles: true }));
    cue.dispatchEvent(new KeyboardEvent("keydown", { key: "ArrowLeft", shiftKey: true, bubbles: true }));
  });
  await waitFor(() => expect(put(asked).cues[0]?.at).toEqual({ seconds: 1.1 }));
});

it("a cue is tied to the end of a part, and music is cut to end there", async () => {
  const asked = server({ "GET /api/sounds/cuts/": () => [{ pieces: [[0, 9], [20, 60]], joins: [9], speed: 1, seconds: 8, cost: 0.1 }] });
  stage();
  fireEvent.click(await screen.findByRole("button", { name: /^Music, calm/ }));
  fireEvent.keyDown(screen.getByRole("button", { name: /^Music, calm/ }), { key: "Enter" });
  fireEvent.change(await screen.findByRole("combobox", { name: "Until when Music, calm is heard" }), { target: { value: "part/end/#7" } });
  await waitFor(() => expect(put(asked).cues[0]?.until).toEqual({ seconds: 0, part: "#7", edge: "end" }));
  fireEvent.click(screen.getByRole("checkbox", { name: "Cut to end with the cue" }));
  await waitFor(() => expect(put(asked).cues[0]?.fit).toBe(true));
  expect(await screen.findByText("1 join: 0:09.0")).toBeTruthy();
  expect(screen.getByRole("button", { name: "Hear join 1, at 0:09.0" })).toBeTruthy();
});

it("a cue is laid on another layer of its kind, with a level of its own", async () => {
  const asked = server({});
  stage();
  fireEvent.click(await screen.findByRole("button", { name: /^Music, calm/ }));
  fireEvent.keyDown(screen.getByRole("button", { name: /^Music, calm/ }), { key: "Enter" });
  fireEvent.change(await screen.findByRole("combobox", { name: "Layer of Music, calm" }), { target: { value: "+ music" } });
  await waitFor(() => expect(put(asked).cues[0]?.layer).toBe("Music 2"));
  expect(put(asked).layers.map((layer) => [layer.name, layer.kind])).toContainEqual(["Music 2", "music"]);
});

it("a description is understood, varied and laid under the chosen line", async () => {
  const told = { parts: [{ sound: "knock", settings: { times: 3 }, level_db: 0, dials: [] }], missed: ["unicorn"], near: [], goes_on: false };
  const asked = server({ "GET /api/sounds/": () => told });
  stage();
  fireEvent.click(await screen.findByRole("button", { name: "Add a sound" }));
  fireEvent.change(screen.getByLabelText("What is to be heard"), { target: { value: "three knocks, a unicorn" } });
  expect(await screen.findByText("knock (times 3)")).toBeTruthy();
  expect(screen.getByText("Not understood: unicorn.")).toBeTruthy();
  expect(screen.getAllByRole("button", { name: /^Hear variation/ })).toHaveLength(5);
  fireEvent.click(screen.getByRole("button", { name: "Add variation 3" }));
  await waitFor(() => expect(put(asked).cues[1]).toMatchObject({ layer: "effects", sound: { made: "three knocks, a unicorn", number: 3 }, at: { seconds: 0, line: "#2" } }));
  expect(put(asked).layers.map((one) => one.kind)).toEqual(["music", "effects"]);
});

it("a hidden line is framed, and one key makes all else give way there", async () => {
  const asked = server({ [`GET ${EDITION}/mixes/`]: () => mix("ready", { report: { ...report, unclear: { 2: 3.5 } } }) });
  stage();
  expect(await screen.findByText("hidden: +3.5 LU")).toBeTruthy();
  fireEvent.keyDown(document.body, { key: "u" });
  await waitFor(() => expect(put(asked).deeper).toEqual([{ line: "#2", db: 6 }]));
});

it("a speaker in a part, or a line, is heard from somewhere", async () => {
  const asked = server();
  stage();
  const rooms = await screen.findByRole("region", { name: "Where it is heard from" });
  fireEvent.change(within(rooms).getByRole("combobox", { name: "Where from: Cook in “Quay”" }), { target: { value: "telephone" } });
  await waitFor(() => expect(put(asked).places).toEqual([{ amount: 1, room: "telephone", speaker: "#2", part: "#7", line: "" }]));
});

it("the source's sound is used by part, and its layer is there at once", async () => {
  const asked = server({ "GET /api/productions/5/media/": () => [{ id: 9, purpose: "source", played: true, state: "ready", name: "ferry.mp4", offset: null, sure: 0 }] });
  stage();
  fireEvent.click(await screen.findByRole("button", { name: "The source’s sound" }));
  fireEvent.change(await screen.findByRole("combobox", { name: "The source’s sound: In “Quay”" }), { target: { value: "voices out" } });
  await waitFor(() => expect(put(asked).bed).toEqual({ use: "off", parts: { "#7": "voices out" } }));
  expect(put(asked).layers.map((one) => one.name)).toEqual(["music", "source"]);
});

it("a refusal is said, and the page is as the server has it", async () => {
  server({ [`PUT ${SOUNDS}`]: () => refused(400, "bad_input", "That cannot be.") });
  stage();
  fireEvent.click(await screen.findByRole("button", { name: "Do not hear Pilot" }));
  expect(await screen.findByText("That cannot be.")).toBeTruthy();
  await waitFor(() => expect(screen.getByRole("button", { name: "Do not hear Pilot" })).toBeTruthy());
});
