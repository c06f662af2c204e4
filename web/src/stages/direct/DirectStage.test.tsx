import { fireEvent, screen, waitFor } from "@testing-library/react";
import { expect, it } from "vitest";

import { edition, line, PRODUCTION, serve, show } from "../../testing";
import { DirectStage } from "./DirectStage";

const LINE = { ...line(7, "Mind the step."), voice: "buzzard" };
const AT = "/api/productions/5/editions/es-MX/lines/7/";
const STAVE = {
  known: true, seconds: 2, step: 0.0125, hz: Array.from({ length: 160 }, (_, index) => (index % 40 < 30 ? 100 + index : 0)), energy: [],
  words: [{ text: "Mind", start: 0, end: 0.4 }, { text: "the", start: 0.45, end: 0.7 }, { text: "step.", start: 1.0, end: 1.8 }],
};
const TAKES = [0, 1, 2].map((number) => ({ number, name: "", made: false, chosen: number === 0, kept: number > 0, thrown: false, seconds: null }));
const direction = (marks: object[] = [], lost: object[] = []) => ({ variant: 0, marks, lost, moods: [], beneath: [{ mood: "dry", strength: 0.5 }], takes: TAKES });

/** Marks as a server has them after a change. */
function marked(body: unknown, before: object[]): object[] {
  const told = body as { marks_added?: object[]; marks_removed?: object[] };
  const place = (one: object) => { const { kind, word, count } = one as { kind: string; word: number; count?: number }; return `${kind} ${word} ${count ?? 1}`; };
  const changed = [...(told.marks_added ?? []), ...(told.marks_removed ?? [])].map(place);
  return [...before.filter((one) => !changed.includes(place(one))), ...(told.marks_added ?? [])];
}

function stage(marks: object[] = [], stave: object = STAVE, role = "owner", lost: object[] = []) {
  let now = marks;
  const asked = serve({ [`GET ${AT}direction/`]: () => direction(now, lost), [`GET ${AT}stave/`]: () => stave, [`PUT ${AT}direction/`]: (one) => direction((now = marked(one.body, now))), [`POST ${AT}stave/trial/`]: () => stave,
    "GET /api/productions/5/editions/es-MX/castings/": () => [], "PUT /api/productions/5/editions/es-MX/moods/": () => null,
    "GET /api/moods/": () => ({ moods: [{ mood: "tired", strength: 1 }], dials: [{ kind: "pace", amount: 0.85, place: "end" }], missed: ["crispy"], names: ["dry", "tired"] }),
    [`POST ${AT}audition/`]: () => ({ finished: "", sketched: "", fault: "no sound here" }),
    "POST /api/productions/5/editions/es-MX/lexicon/": () => ({ entries: [], proposed: [] }) });
  const props = { production: { ...PRODUCTION, role } as never, edition: edition("es-MX", [LINE]), source: edition("en-GB", [LINE]) };
  show(<DirectStage {...props} />);
  return asked;
}
const put = (asked: { method: string; body?: unknown }[]) => asked.filter((one) => one.method === "PUT").at(-1)?.body;

it("words lie along their time, and a word is lifted, slowed and stressed by keys", async () => {
  const asked = stage();
  const word = await screen.findByRole("button", { name: "step." });
  expect(word.style.width).toBe("40%");
  fireEvent.click(word);
  fireEvent.keyDown(word, { key: "ArrowUp" });
  await waitFor(() => expect(put(asked)).toEqual({ marks_added: [{ kind: "lift", word: 2, count: 1, amount: 0.5 }], marks_removed: [] }));
  fireEvent.keyDown(word, { key: "b" });
  await waitFor(() => expect((put(asked) as { marks_added: object[] }).marks_added).toContainEqual({ kind: "stress", word: 2, count: 1, amount: 1 }));
});

it("keys that come quicker than the server answers lose nothing, and arrive in their order", async () => {
  let kept: object[] = [];
  let held: (() => void) | undefined;
  const asked = serve({ [`GET ${AT}direction/`]: () => direction(kept), [`GET ${AT}stave/`]: () => STAVE, "GET /api/productions/5/editions/es-MX/castings/": () => [],
    "GET /api/moods/": () => ({ moods: [], dials: [], missed: [], names: [] }), [`POST ${AT}audition/`]: () => ({ finished: "", sketched: "", fault: "no sound here" }), [`POST ${AT}stave/trial/`]: () => STAVE,
    [`PUT ${AT}direction/`]: async (one) => {
      // The first one is on its way for long.
      if (held === undefined) await new Promise<void>((over) => { held = over; });
      kept = marked(one.body, kept);
      return direction(kept);
    } });
  show(<DirectStage production={{ ...PRODUCTION, role: "owner" } as never} edition={edition("es-MX", [LINE])} source={edition("en-GB", [LINE])} />);
  const word = await screen.findByRole("button", { name: "step." });
  fireEvent.click(word);
  fireEvent.keyDown(word, { key: "ArrowUp" });
  await waitFor(() => expect(held).toBeTruthy());
  fireEvent.keyDown(word, { key: "[" });
  await waitFor(() => expect(screen.getByRole("slider", { name: "Pace" }).getAttribute("aria-valuenow")).toBe("0.95"));
  fireEvent.keyDown(word, { key: "b" });
  await new Promise((over) => setTimeout(over, 50));
  expect(asked.filter((one) => one.method === "PUT")).toHaveLength(1);
  held?.();
  await waitFor(() => expect(kept.map((one) => (one as { kind: string }).kind).sort()).toEqual(["lift", "pace", "stress"]));
  expect(asked.filter((one) => one.method === "PUT").map((one) => (one.body as { marks_added: object[] }).marks_added.length)).toEqual([1, 1, 1]);
  // And so it stays when the server has been asked again.
  await waitFor(() => expect(screen.getByRole("slider", { name: "Lift" }).getAttribute("aria-valuenow")).toBe("0.5"));
  expect(screen.getByRole("slider", { name: "Pace" }).getAttribute("aria-valuenow")).toBe("0.95");
});

it("several words are chosen with Shift, and slowed together", async () => {
  const asked = stage();
  const first = await screen.findByRole("button", { name: "Mind" });
  fireEvent.click(first);
  fireEvent.keyDown(first, { key: "ArrowRight", shiftKey: true });
  expect(screen.getByRole("button", { name: "the" }).getAttribute("aria-pressed")).toBe("true");
  fireEvent.keyDown(screen.getByRole("button", { name: "the" }), { key: "[" });
  await waitFor(() => expect(put(asked)).toEqual({ marks_added: [{ kind: "pace", word: 0, count: 2, amount: 0.95 }], marks_removed: [] }));
});

it("a pause is typed in milliseconds, and left to the voice when the field is emptied", async () => {
  const asked = stage([{ kind: "gap", word: 2, count: 1, amount: 0.3 }]);
  fireEvent.click(await screen.findByRole("button", { name: "step." }));
  expect(screen.getByText("300 ms")).toBeTruthy();
  const field = screen.getByLabelText(/Pause/);
  fireEvent.change(field, { target: { value: "750" } });
  fireEvent.blur(field);
  await waitFor(() => expect(put(asked)).toEqual({ marks_added: [{ kind: "gap", word: 2, count: 1, amount: 0.75 }], marks_removed: [{ kind: "gap", word: 2, count: 1, amount: 0.3 }] }));
});

it("who only reads changes nothing, and lost marks are told", async () => {
  const asked = stage([], STAVE, "reader", [{ kind: "stress", words: "old" }, { kind: "lift", words: "tide" }]);
  const word = await screen.findByRole("button", { name: "Mind" });
  fireEvent.keyDown(word, { key: "ArrowUp" });
  expect(screen.getByText(/2 marks were lost with their words: stress \(“old”\), lift/)).toBeTruthy();
  expect(put(asked)).toBeUndefined();
});

it("of a light voice it is said that nothing is known before it speaks", async () => {
  stage([], { known: false, seconds: 0, step: 0, hz: [], energy: [], words: [] });
  expect(await screen.findByText(/not known before it has spoken/)).toBeTruthy();
});

it("a word is read as others, here only or everywhere", async () => {
  const asked = stage();
  fireEvent.click(await screen.findByRole("button", { name: "step." }));
  fireEvent.change(screen.getByLabelText("Read as"), { target: { value: "alias" } });
  fireEvent.change(screen.getByLabelText("Other words"), { target: { value: "stair" } });
  fireEvent.click(screen.getByRole("button", { name: "Everywhere: “step”" }));
  await waitFor(() => expect(asked.find((one) => one.path.endsWith("/lexicon/"))?.body).toEqual({ phrase: "step", kind: "alias", said: "stair" }));
  fireEvent.change(screen.getByLabelText("Other words"), { target: { value: "stairs" } });
  fireEvent.click(screen.getByRole("button", { name: "Here only" }));
  await waitFor(() => expect(put(asked)).toEqual({ marks_added: [{ kind: "alias", word: 2, count: 1, amount: 1, said: "stairs" }], marks_removed: [] }));
});

it("plain words become moods and marks, and what was not understood is said", async () => {
  const asked = stage();
  fireEvent.change(await screen.findByLabelText("How it should sound, in plain words"), { target: { value: "tired, crispy, slow at the end" } });
  fireEvent.click(screen.getByRole("button", { name: "Take" }));
  expect(await screen.findByText("Not understood: “crispy”")).toBeTruthy();
  await waitFor(() => expect(put(asked)).toEqual({ marks_added: [{ kind: "pace", amount: 0.85, count: 1, word: 2 }], marks_removed: [], moods: [{ mood: "tired", strength: 1 }] }));
  expect(screen.getByText("Dry 50 %")).toBeTruthy();
});

it("three more readings are asked for, one is chosen, one thrown away", async () => {
  const asked = stage();
  fireEvent.click(await screen.findByRole("button", { name: "Vary" }));
  await waitFor(() => expect((put(asked) as { takes: { number: number }[] }).takes.map((one) => one.number)).toEqual([1, 2, 3, 4, 5]));
  fireEvent.click(screen.getAllByRole("button", { name: "Choose" })[0] as HTMLElement);
  await waitFor(() => expect(put(asked)).toEqual({ variant: 1 }));
  fireEvent.click(screen.getAllByRole("button", { name: "Throw it away" })[1] as HTMLElement);
  await waitFor(() => expect(put(asked)).toEqual({ takes: [{ number: 1, thrown: false }, { number: 2, thrown: true }] }));
  fireEvent.click(screen.getByRole("checkbox", { name: "Compare blind" }));
  expect(screen.getByText("Reading A")).toBeTruthy();
  expect(screen.queryByText("Plain")).toBeNull();
});
