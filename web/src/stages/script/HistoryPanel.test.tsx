import { fireEvent, screen, waitFor } from "@testing-library/react";
import { expect, it, vi } from "vitest";

import { PRODUCTION, serve, show } from "../../testing";
import type { ScriptActions } from "../../shared/script/useScript";
import { HistoryPanel } from "./HistoryPanel";

const record = (id: number, name: string, details: object, more: object = {}) => ({ id, name, summary: "", details, user: "owner", at: "2026-01-01T10:00:00Z", undone: false, ...more });
const RECORDS = [record(3, "keep_voice", { speaker: "Pilot", voice: "Old Pilot", language: "es-MX" }), record(2, "play_source_media", { name: "quay.wav" }), record(1, "create_production", { name: "Ferry" })];
const panel = (actions: Partial<ScriptActions> = {}, role = "owner") => show(<HistoryPanel production={{ ...PRODUCTION, role } as typeof PRODUCTION} stamp={3} actions={actions as ScriptActions} />);

it("what was done is told in plain words, the newest first", async () => {
  serve({ "GET /api/productions/5/history/": () => RECORDS });
  panel();
  const told = (await screen.findAllByRole("listitem")).map((one) => one.textContent ?? "");
  expect(told[0]).toContain("Kept Pilot’s voice as “Old Pilot” (es-MX)");
  expect(told[1]).toContain("Had the recording quay.wav played");
});

it("undo and redo are at hand, and not for who only reads", async () => {
  serve({ "GET /api/productions/5/history/": () => RECORDS });
  const undo = vi.fn(() => Promise.resolve(undefined));
  const shown = panel({ undo } as unknown as Partial<ScriptActions>);
  await screen.findAllByRole("listitem");
  fireEvent.click(screen.getAllByRole("button")[0] as HTMLElement);
  await waitFor(() => expect(undo).toHaveBeenCalledOnce());
  shown.unmount();
  panel({}, "reader");
  await screen.findAllByRole("listitem");
  expect(screen.queryAllByRole("button")).toHaveLength(0);
});
