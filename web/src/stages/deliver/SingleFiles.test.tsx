import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { expect, it, vi } from "vitest";

import { PRODUCTION, refused, serve, show } from "../../testing";
import { SingleFiles } from "./SingleFiles";

const FILES = "GET /api/productions/5/files/";
const row = (language: string, more: object = {}) => ({ language, stops: [], unread: [], approved: 1, worded: 3, sketches: [], finishing: false, on_screen: 0, mix: "ab12", mix_state: "ready", mix_ready: true, empty: 0, seconds: 65.2, lufs: -16.02, true_peak_db: -1.3, ...more });
const file = (id: number, name: string, more: object = {}) => ({ id, file: "mix.mp3", language: "es-MX", name, state: "ready", fault: "", report: { lufs: -16, seconds: 65.2 }, by: "owner", asked: "2026-01-01T10:00:00Z", ...more });
const stage = () => show(<SingleFiles production={PRODUCTION} />);
const spanish = async () => within(await screen.findByRole("row", { name: /Español/ }));
const deliveries = (more: object = {}, files: object[] = []) => ({
  "GET /api/productions/5/deliveries/": () => [row("en-GB"), row("es-MX", more)], [FILES]: () => files,
});

it("what stops an edition is said, line by line", async () => {
  serve(deliveries({ stops: [{ code: "out_of_date", lines: [1, 3] }, { code: "uncast", lines: [2] }] }));
  stage();
  const here = await spanish();
  expect(await here.findByRole("button", { name: "2 lines have changed since they were voiced" })).toBeTruthy();
  expect(here.getByRole("button", { name: "1 line has no voice" })).toBeTruthy();
  expect(here.queryByRole("button", { name: "MP3" })).toBeNull();
});

it("a file is made, waited for and saved: of just the mix that is shown", async () => {
  let looks = 0;
  const asked = serve({
    ...deliveries(),
    "POST /api/productions/5/editions/es-MX/files/": () => file(9, "ferry.mp3", { state: "making" }),
    "GET /api/productions/5/files/9/": () => file(9, "ferry.mp3", { state: ++looks < 2 ? "making" : "ready" }),
  });
  const saved = vi.spyOn(HTMLAnchorElement.prototype, "click").mockImplementation(() => undefined);
  stage();
  const here = await spanish();
  fireEvent.click(await here.findByRole("button", { name: "MP3" }));
  expect(await here.findByText("Being made…")).toBeTruthy();
  await waitFor(() => expect(saved).toHaveBeenCalledOnce());
  expect((saved.mock.instances[0] as unknown as HTMLAnchorElement).getAttribute("href")).toBe("/api/productions/5/files/9/content");
  expect(asked.find((one) => one.method === "POST")?.body).toEqual({ file: "mix.mp3", mix: "ab12", sketch: false, unread: false });
  expect(await here.findByRole("button", { name: "MP3" })).toBeTruthy();
  saved.mockRestore();
});

it("where it cannot be had the page says why, and saves nothing", async () => {
  serve({ ...deliveries(), "POST /api/productions/5/editions/es-MX/files/": () => refused(400, "not_ready", "This mix is not kept any more.") });
  const saved = vi.spyOn(HTMLAnchorElement.prototype, "click").mockImplementation(() => undefined);
  stage();
  fireEvent.click(await (await spanish()).findByRole("button", { name: "WAV, 24 bit" }));
  expect(await screen.findByText("This mix is not kept any more.")).toBeTruthy();
  expect(saved).not.toHaveBeenCalled();
  saved.mockRestore();
});

it("sketches are handed over only where that is asked for", async () => {
  const asked = serve({ ...deliveries({ sketches: [1, 2] }), "POST /api/productions/5/editions/es-MX/files/": () => file(9, "x", { state: "failed", fault: "No." }) });
  stage();
  const here = await spanish();
  fireEvent.click(await here.findByRole("button", { name: "Hand over sketches" }));
  fireEvent.click(here.getByRole("button", { name: "Clips, zip" }));
  await waitFor(() => expect(asked.find((one) => one.method === "POST")?.body).toMatchObject({ file: "clips.zip", sketch: true }));
});

it("drafts that nobody has read come before sketches", async () => {
  serve(deliveries({ sketches: [1], unread: [2, 3] }));
  stage();
  const here = await spanish();
  expect(await here.findByText("2 lines are drafts that nobody has read.")).toBeTruthy();
  fireEvent.click(here.getByRole("button", { name: "Hand over unread" }));
  expect(here.getByRole("button", { name: "Hand over sketches" })).toBeTruthy();
});

it("without a mix one can be made; what is read on the screen is a list of its own", async () => {
  const asked = serve({
    ...deliveries({ mix_ready: false, on_screen: 2 }),
    "POST /api/productions/5/editions/es-MX/mixes/": () => ({ recipe: "ab12", state: "ready", share: 1, fault: "", report: null }),
  });
  stage();
  const here = await spanish();
  expect(await here.findByRole("button", { name: "2 texts on screen" })).toBeTruthy();
  expect(here.queryByRole("button", { name: "FLAC" })).toBeNull();
  fireEvent.click(here.getByRole("button", { name: "Make the mix" }));
  await waitFor(() => expect(asked.some((one) => one.path.endsWith("/mixes/"))).toBe(true));
});

it("what was handed over is listed with what was measured, and can be had again while it is kept", async () => {
  serve(deliveries({}, [file(9, "ferry.mp3"), file(8, "ferry.srt", { report: { cues: 1 } }), file(7, "gone.zip", { state: "absent" })]));
  stage();
  const past = within(await screen.findByRole("region", { name: "Handed over so far" }));
  expect(past.getByText("1:05.2 · −16.0 LUFS")).toBeTruthy();
  expect(past.getByText("1 caption")).toBeTruthy();
  expect(past.getByRole("link", { name: "Take ferry.mp3 again" }).getAttribute("href")).toBe("/api/productions/5/files/9/content");
  expect(past.queryByText("gone.zip")).toBeNull();
});
