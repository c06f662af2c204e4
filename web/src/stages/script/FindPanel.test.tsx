import { fireEvent, screen, waitFor } from "@testing-library/react";
import { expect, it, vi } from "vitest";

import { PRODUCTION, refused, serve, show } from "../../testing";
import type { EditedLine } from "../../shared/script/scriptState";
import type { ScriptActions } from "../../shared/script/useScript";
import { FindPanel } from "./FindPanel";

const POST = "POST /api/productions/5/editions/en-GB/replace/";
const LINES = [11, 12, 13].map((id) => ({ id, key: String(id) })) as unknown as EditedLine[];
const hit = (line: number, more: object = {}) => ({ line, text: "The tide 🌊 turns.", spans: [[4, 8]], replaced: "The flood 🌊 turns.", approved: false, ...more });
const lookAgain = vi.fn(() => Promise.resolve(undefined));
const actions = { lookAgain } as unknown as ScriptActions;
const panel = (role = "owner") => show(<FindPanel production={{ ...PRODUCTION, role } as typeof PRODUCTION} lines={LINES} actions={actions} onGo={() => undefined} />);
const type = (label: string, value: string) => fireEvent.change(screen.getByLabelText(label), { target: { value } });

it("what is found is shown by line, marked where it stands, before anything is done", async () => {
  const asked = serve({ [POST]: () => ({ hits: [hit(11), hit(13)], count: 2, line_count: 2, applied: 0 }) });
  panel();
  type("Find", "tide");
  expect(await screen.findAllByText("tide", { selector: "mark" })).toHaveLength(2);
  expect(asked.every((one) => (one.body as { apply?: boolean }).apply !== true)).toBe(true);
});

it("only what is ticked is replaced", async () => {
  const asked = serve({ [POST]: ({ body }) => ({ hits: [hit(11), hit(13)], count: 2, line_count: 2, applied: (body as { lines?: number[] }).lines?.length ?? 0 }) });
  panel();
  type("Find", "tide");
  await screen.findAllByText("tide", { selector: "mark" });
  type("Replace by", "flood");
  await screen.findAllByText("The flood 🌊 turns.");
  fireEvent.click(screen.getByRole("checkbox", { name: /3/ }));
  fireEvent.click(screen.getByRole("button", { name: /^Replace in 1/ }));
  await waitFor(() => expect(lookAgain).toHaveBeenCalled());
  expect(asked.find((one) => (one.body as { apply?: boolean }).apply)?.body).toMatchObject({ lines: [11], replacement: "flood", reopen: false });
});

it("approved words stay as they are unless that is asked for", async () => {
  const asked = serve({ [POST]: () => ({ hits: [hit(12, { approved: true })], count: 1, line_count: 1, applied: 1 }) });
  panel();
  type("Find", "tide");
  expect(await screen.findByText("approved: left as it is")).toBeTruthy();
  fireEvent.click(screen.getByRole("checkbox", { name: /approved/i }));
  fireEvent.click(screen.getByRole("button", { name: /^Replace in/ }));
  await waitFor(() => expect(asked.some((one) => (one.body as { reopen?: boolean }).reopen)).toBe(true));
});

it("a pattern that is none is said, and who only reads finds and replaces nothing", async () => {
  serve({ [POST]: () => refused(400, "bad_input", "This pattern cannot be read.") });
  panel("reader");
  type("Find", "(");
  expect((await screen.findByRole("alert")).textContent).toBe("This pattern cannot be read.");
  expect(screen.queryByLabelText("Replace by")).toBeNull();
});
