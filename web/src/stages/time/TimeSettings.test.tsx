import { act, fireEvent, screen, waitFor } from "@testing-library/react";
import { expect, it, vi } from "vitest";

import { PRODUCTION, edition, line, serve, show } from "../../testing";
import { TIMING_SETTINGS } from "../../shared/settings.generated";
import { TimeSettings } from "./TimeSettings";
import type { TimingActions } from "./useTiming";

const words = [line(1, "La marea."), line(2, "La sopa.")];
const panel = (actions: Partial<TimingActions> = {}, more: object = {}, readOnly = false) =>
  show(<TimeSettings production={PRODUCTION} edition={edition("es-MX", words, more)} line={words[0]} actions={actions as TimingActions} readOnly={readOnly} />);

it("the limits that matter are shown at first, all of them when asked for, within what may be set", () => {
  serve({});
  panel();
  expect(screen.getAllByRole("slider")).toHaveLength(3);
  fireEvent.click(screen.getByRole("button", { name: "All limits" }));
  const sliders = screen.getAllByRole("slider");
  expect(sliders.length).toBeGreaterThanOrEqual(10);
  const fast = sliders[0] as HTMLElement;
  expect([Number(fast.getAttribute("aria-valuemin")), Number(fast.getAttribute("aria-valuemax"))]).toEqual([TIMING_SETTINGS.comfortable_fast.min, TIMING_SETTINGS.comfortable_fast.max]);
});

it("a comfortable rate beyond its limit takes the limit along", async () => {
  serve({ "GET /api/productions/5/editions/es-MX/timing/what-if/": () => ({ lines: [], mended: [], now: { misfits: 0, fast: 0 }, then: { misfits: 0, fast: 0 } }) });
  const settings = vi.fn(() => Promise.resolve());
  panel({ settings } as unknown as Partial<TimingActions>);
  const slider = screen.getAllByRole("slider")[0] as HTMLElement;
  slider.focus();
  await act(async () => {
    for (let n = 0; n < 3; n++) fireEvent.keyDown(slider, { key: "PageUp" });
    fireEvent.keyUp(slider, { key: "PageUp" });
    fireEvent.blur(slider);
  });
  await waitFor(() => expect(settings).toHaveBeenCalled());
  const sent = (settings.mock.calls as unknown as [Record<string, number>][])[0]?.[0] ?? {};
  expect(sent.comfortable_fast).toBeGreaterThan(1.15);
  if ((sent.comfortable_fast ?? 0) > 1.35) expect(sent.hard_fast).toBe(sent.comfortable_fast);
});

it("where the picture is held, the list of holds is handed over", async () => {
  const asked = serve({ "POST /api/productions/5/editions/es-MX/files/": () => ({ id: 4, file: "holds.otio", language: "es-MX", name: "x", state: "failed", fault: "It is empty.", report: {}, by: "owner", asked: "" }) });
  panel({}, { holds: [{ part: 7, at: 2, seconds: 0.4, frames: 10 }] });
  fireEvent.click(screen.getByRole("button", { name: "OTIO" }));
  expect(await screen.findByText("It is empty.")).toBeTruthy();
  expect(asked[0]?.body).toMatchObject({ file: "holds.otio" });
});

it("who only reads moves nothing", () => {
  serve({});
  panel({}, {}, true);
  for (const slider of screen.getAllByRole("slider")) expect(slider.getAttribute("data-disabled") ?? (slider as HTMLInputElement).disabled).not.toBe(false);
});
