import { fireEvent, screen, waitFor } from "@testing-library/react";
import { expect, it } from "vitest";

import { edition, line, PRODUCTION, serve, show } from "../../testing";
import { GuidePanel } from "./GuidePanel";
import { LexiconSheet } from "./LexiconSheet";
import { SourceActingSheet } from "./SourceActingSheet";
import { SsmlSheet } from "./SsmlSheet";

const LINE = { ...line(7, "Mind the step."), voice: "buzzard" };
const AT = "/api/productions/5/editions/es-MX/";
const props = { production: { ...PRODUCTION, role: "owner" } as never, edition: edition("es-MX", [LINE]), open: true, onClose: () => undefined };

it("what is proposed as in the source is looked at, weakened, left out and taken", async () => {
  const acting = (id: number, mood: string) => ({ line: id, number: id, moods: [{ mood, strength: 1 }], stresses: [], away: { pitch: 4, range: 0, level: 6, pace: 1, voiced: 0 } });
  const asked = serve({ [`GET ${AT}source-acting/`]: () => ({ recorded: true, measured: 9, unheard: 0, finding: null, proposals: [acting(7, "shouted"), acting(8, "sad")] }), [`PUT ${AT}source-acting/`]: () => null });
  show(<SourceActingSheet {...props} />);
  expect((await screen.findAllByText(/higher by 4 st, louder by 6 dB|louder by 6 dB, higher by 4 st/)).length).toBe(2);
  fireEvent.click(screen.getByRole("checkbox", { name: "Line 8" }));
  fireEvent.keyDown(screen.getByRole("slider", { name: "Strength" }), { key: "ArrowLeft" });
  fireEvent.click(screen.getByRole("button", { name: "Take 1 line" }));
  await waitFor(() => expect(asked.find((one) => one.method === "PUT")?.body).toEqual({ lines: [{ line: 7, moods: [{ mood: "shouted", strength: 0.9 }], stresses: [] }] }));
});

it("without a recording that is said", async () => {
  serve({ [`GET ${AT}source-acting/`]: () => ({ recorded: false, measured: 0, unheard: 0, finding: null, proposals: [] }) });
  show(<SourceActingSheet {...props} />);
  expect(await screen.findByText(/no source recording/)).toBeTruthy();
});

it("a guide says what is wrong with it, and is turned down and deleted", async () => {
  const guide = { state: "ready", name: "me.wav", language: "", by_word: false, followed: true, heard: "soup", faults: [{ code: "other_words", said: "soup" }, { code: "noise", said: "" }], sound: true, timing: 1, melody: 0.5, energy: 1 };
  const asked = serve({ [`GET ${AT}lines/7/guide/`]: () => guide, [`PATCH ${AT}lines/7/guide/`]: () => guide, [`DELETE ${AT}lines/7/guide/`]: () => undefined });
  show(<GuidePanel production={props.production} language="es-MX" line={LINE as never} readOnly={false} />);
  expect(await screen.findByText("Other words than the line's were heard: “soup”.")).toBeTruthy();
  expect(screen.getByText("There is much noise in it.")).toBeTruthy();
  fireEvent.keyDown(screen.getByRole("slider", { name: "Melody" }), { key: "ArrowRight" });
  await waitFor(() => expect(asked.find((one) => one.method === "PATCH")?.body).toEqual({ melody: 0.55 }));
  fireEvent.click(screen.getByRole("button", { name: "Delete the recording for good" }));
  await waitFor(() => expect(asked.some((one) => one.method === "DELETE")).toBe(true));
});

it("a microphone that is not there is said in words", async () => {
  serve({ [`GET ${AT}lines/7/guide/`]: () => ({ state: "none", faults: [] }) });
  Object.assign(navigator, { mediaDevices: { getUserMedia: () => Promise.reject(new DOMException("no", "NotAllowedError")) } });
  show(<GuidePanel production={props.production} language="es-MX" line={LINE as never} readOnly={false} />);
  fireEvent.click(await screen.findByRole("button", { name: "Record" }));
  expect(await screen.findByText(/may not use the microphone/)).toBeTruthy();
});

it("an entry is added to the lexicon, and what does not agree is told", async () => {
  const told = { entries: [{ id: 3, phrase: "Imka", kind: "alias", said: "Eemka", language: "es-MX", case_matters: false, exact: false, note: "", shared: false, lines: [7], against: "Imca" }], proposed: [{ phrase: "RNLI", count: 4, kind: "characters" }] };
  const asked = serve({ [`GET ${AT}lexicon/`]: () => told, [`POST ${AT}lexicon/`]: () => told });
  show(<LexiconSheet {...props} />);
  expect(await screen.findByText("Another entry says “Imca”")).toBeTruthy();
  fireEvent.click(screen.getByRole("button", { name: "RNLI (4)" }));
  fireEvent.click(screen.getByRole("button", { name: "Add" }));
  await waitFor(() => expect(asked.find((one) => one.method === "POST")?.body).toMatchObject({ phrase: "RNLI", kind: "characters" }));
  await waitFor(() => expect((screen.getByLabelText("Word or phrase") as HTMLInputElement).value).toBe(""));
});

it("markup that is wrong is not taken, and its place is gone to", async () => {
  const text = '<speak>\n<s>Mind the step.</s>\n</speak>';
  const asked = serve({ [`GET ${AT}ssml/`]: () => new Response(text), [`PUT ${AT}ssml/`]: (one) => ({ problems: (one.body as { text: string }).text.includes("slowish") ? [{ line: 2, column: 4, severity: "error", message: "“slowish” is no rate." }] : [], changed: [7], taken: false }) });
  show(<SsmlSheet {...props} line={LINE as never} />);
  const field = (await screen.findByLabelText("The lines as SSML")) as HTMLTextAreaElement;
  fireEvent.change(field, { target: { value: text.replace("Mind", '<prosody rate="slowish">Mind</prosody>') } });
  fireEvent.click(await screen.findByRole("button", { name: "2:4 “slowish” is no rate." }));
  expect(field.selectionStart).toBe(11);
  expect((screen.getByRole("button", { name: "Take it over" }) as HTMLButtonElement).disabled).toBe(true);
  fireEvent.change(field, { target: { value: text.replace("Mind", "Watch") } });
  await waitFor(() => expect((screen.getByRole("button", { name: "Take it over" }) as HTMLButtonElement).disabled).toBe(false));
  fireEvent.click(screen.getByRole("button", { name: "Take it over" }));
  await waitFor(() => expect(asked.filter((one) => (one.body as { only_look?: boolean } | undefined)?.only_look === false).length).toBe(1));
});
