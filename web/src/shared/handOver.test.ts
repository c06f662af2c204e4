import { beforeEach, expect, it, vi } from "vitest";

import { refused, serve } from "../testing";
import { askForEditionFile, made, type HandOver } from "./handOver";

const file = (state: string, fault = "") => ({ id: 9, file: "mix.mp3", language: "es-MX", name: "x.mp3", state, fault, report: {}, by: "owner", asked: "2026-01-01T00:00:00Z" }) as HandOver;

beforeEach(() => void vi.useFakeTimers({ shouldAdvanceTime: true, advanceTimeDelta: 50 }));

it("a file that is there is had at once", async () => {
  const asked = serve({});
  expect((await made(5, Promise.resolve(file("ready")))).id).toBe(9);
  expect(asked).toEqual([]);
});

it("one that is made is waited for", async () => {
  let looks = 0;
  serve({ "GET /api/productions/5/files/9/": () => file(++looks < 4 ? "making" : "ready") });
  expect((await made(5, Promise.resolve(file("making")))).state).toBe("ready");
  expect(looks).toBe(4);
});

it("what became of it is said, where nothing did", async () => {
  serve({ "GET /api/productions/5/files/9/": () => file("failed", "It lasts 3.000 s, not 4.000 s.") });
  await expect(made(5, Promise.resolve(file("making")))).rejects.toThrow("It lasts 3.000 s");
  await expect(made(5, Promise.resolve(file("absent")))).rejects.toMatchObject({ code: "not_ready" });
});

it("so is what stands in its way, and sketches are only asked for when they are", async () => {
  const asked = serve({ "POST /api/productions/5/editions/es-MX/files/": () => refused(400, "not_ready", "3 lines are sketches.") });
  await expect(made(5, askForEditionFile(5, "es-MX", { file: "mix.wav", mix: "ab12" }))).rejects.toThrow("3 lines are sketches.");
  expect(asked[0]?.body).toEqual({ file: "mix.wav", mix: "ab12", sketch: false, unread: false });
});
