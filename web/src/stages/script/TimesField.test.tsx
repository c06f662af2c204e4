import { fireEvent, screen, waitFor } from "@testing-library/react";
import { beforeEach, expect, it, vi } from "vitest";

import { refused, serve, show } from "../../testing";
import type { EditedLine } from "../../shared/script/scriptState";
import type { ScriptActions } from "../../shared/script/useScript";
import { NoteField, TimesField } from "./TimesField";

const lookAgain = vi.fn(() => Promise.resolve(undefined));
const actions = { lookAgain } as unknown as ScriptActions;
const line = (more: object = {}) => ({ id: 11, slot: [1.234, 3.5], notes: "softly", ...more }) as unknown as EditedLine;
const field = (name: RegExp) => screen.getByLabelText(name) as HTMLInputElement;

beforeEach(() => lookAgain.mockClear());

it("what is typed over is saved, and what is not keeps its milliseconds", async () => {
  const asked = serve({ "PATCH /api/lines/11/": () => ({}) });
  show(<TimesField line={line()} number={4} fps={25} actions={actions} />);
  expect(field(/^In/).value).toBe("0:01.2");
  fireEvent.change(field(/^Out/), { target: { value: "0:04.25" } });
  fireEvent.keyDown(field(/^Out/), { key: "Enter" });
  await waitFor(() => expect(lookAgain).toHaveBeenCalled());
  expect(asked[0]?.body).toEqual({ start: 1.234, end: 4.25 });
});

it("a time that is none is shown so and never sent, nor half a slot", () => {
  const asked = serve({});
  show(<TimesField line={line()} number={4} fps={25} actions={actions} />);
  fireEvent.change(field(/^In/), { target: { value: "half past" } });
  expect(field(/^In/).getAttribute("aria-invalid")).toBe("true");
  fireEvent.keyDown(field(/^In/), { key: "Enter" });
  fireEvent.change(field(/^In/), { target: { value: "" } });
  fireEvent.keyDown(field(/^In/), { key: "Enter" });
  expect(asked).toEqual([]);
  fireEvent.keyDown(field(/^In/), { key: "Escape" });
  expect(field(/^In/).value).toBe("0:01.2");
});

it("both empty take the times away; frames are read at the picture's rate", async () => {
  const asked = serve({ "PATCH /api/lines/11/": () => ({}) });
  show(<TimesField line={line()} number={4} fps={25} actions={actions} />);
  fireEvent.change(field(/^In/), { target: { value: "" } });
  fireEvent.change(field(/^Out/), { target: { value: "" } });
  fireEvent.blur(field(/^Out/));
  await waitFor(() => expect(asked[0]?.body).toEqual({ start: null, end: null }));
  fireEvent.change(field(/^In/), { target: { value: "00:00:01:05" } });
  fireEvent.change(field(/^Out/), { target: { value: "00:00:02:10" } });
  fireEvent.keyDown(field(/^Out/), { key: "Enter" });
  await waitFor(() => expect(asked[1]?.body).toEqual({ start: 1.2, end: 2.4 }));
});

it("what is refused is said, and what was typed stays", async () => {
  serve({ "PATCH /api/lines/11/": () => refused(400, "bad_input", "The out-time is not after the in-time.") });
  show(<TimesField line={line()} number={4} fps={25} actions={actions} />);
  fireEvent.change(field(/^Out/), { target: { value: "0:00.5" } });
  fireEvent.keyDown(field(/^Out/), { key: "Enter" });
  expect(await screen.findByText("The out-time is not after the in-time.")).toBeTruthy();
  expect(field(/^Out/).value).toBe("0:00.5");
});

it("a note is saved when the field is left, and only where it says something else", async () => {
  const asked = serve({ "PATCH /api/lines/11/": () => ({}) });
  show(<NoteField line={line()} number={4} actions={actions} />);
  const note = screen.getByRole("textbox");
  fireEvent.change(note, { target: { value: " softly " } });
  fireEvent.blur(note);
  expect(asked).toEqual([]);
  fireEvent.change(note, { target: { value: "aside" } });
  fireEvent.blur(note);
  await waitFor(() => expect(asked[0]?.body).toEqual({ notes: "aside" }));
});
