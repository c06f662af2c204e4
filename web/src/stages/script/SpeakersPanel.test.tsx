import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { expect, it, vi } from "vitest";

import { PRODUCTION, refused, serve, show } from "../../testing";
import type { ScriptState } from "../../shared/script/scriptState";
import type { ScriptActions } from "../../shared/script/useScript";
import { SpeakersPanel } from "./SpeakersPanel";

const LABELS = "GET /api/productions/5/script/labels/";
const speaker = (id: number, name: string, lines: number) => ({ id, name, position: id, lines, note: "" });
const script = (...speakers: ReturnType<typeof speaker>[]) => ({ speakers, lines: [], parts: [] }) as unknown as ScriptState;
const panel = (state: ScriptState, actions: Partial<ScriptActions> = {}, role = "owner") =>
  show(<SpeakersPanel production={{ ...PRODUCTION, role } as typeof PRODUCTION} script={state} actions={actions as ScriptActions} onGiving={() => undefined} />);

it("names that are nearly the same are made one, or left", async () => {
  serve({ [LABELS]: () => [{ into: 1, speakers: [3] }] });
  const mergeLabels = vi.fn(() => Promise.resolve(undefined));
  panel(script(speaker(1, "Pilot", 4), speaker(3, "PILOT (O.S.)", 1)), { mergeLabels } as unknown as Partial<ScriptActions>);
  const notice = within(await screen.findByText(/PILOT \(O\.S\.\)/, { selector: "p" }).then((one) => one.parentElement as HTMLElement));
  fireEvent.click(notice.getAllByRole("button")[0] as HTMLElement);
  expect(mergeLabels).toHaveBeenCalledWith(1, [3]);
  fireEvent.click(notice.getAllByRole("button")[1] as HTMLElement);
  expect(screen.queryByText(/PILOT \(O\.S\.\)/, { selector: "p" })).toBeNull();
});

it("the script is handed over in every format, and what stands in the way is said", async () => {
  const asked = serve({ [LABELS]: () => [], "POST /api/productions/5/files/": () => refused(503, "away", "The queue is away.") });
  panel(script(speaker(1, "Pilot", 4)));
  fireEvent.click(await screen.findByRole("button", { name: "DOCX" }));
  expect(await screen.findByText("The queue is away.")).toBeTruthy();
  expect(asked.find((one) => one.method === "POST")?.body).toEqual({ file: "script.docx" });
});

it("who only reads takes the script away and changes nobody", async () => {
  serve({ [LABELS]: () => [{ into: 1, speakers: [3] }] });
  panel(script(speaker(1, "Pilot", 4), speaker(3, "PILOT (O.S.)", 1)), {}, "reader");
  expect(await screen.findByRole("button", { name: "CSV" })).toBeTruthy();
  await waitFor(() => expect(screen.queryByText(/PILOT \(O\.S\.\)/, { selector: "p" })).toBeNull());
});
