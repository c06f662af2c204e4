import { fireEvent, screen, waitFor } from "@testing-library/react";
import { expect, it } from "vitest";

import { PRODUCTION, edition, line, serve, show } from "../../testing";
import { ScriptStage } from "./ScriptStage";

const SCRIPT = "/api/productions/5/script/";
const row = (id: number, words: string) => ({ id, place: id, part: null, speaker: 1, kind: "spoken", in_sight: null, slot: null, notes: "", words, revision: 1 });
const part = (more: object) => ({ stamp: 3, whole: false, lines: [], removed: [], speakers: null, parts: null, undo: null, redo: null, others: false, ...more });
const server = () => serve({
  [`GET ${SCRIPT}`]: () => part({ whole: true, lines: [row(1, "The tide."), row(2, "The soup.")], speakers: [], parts: [] }),
  [`POST ${SCRIPT}remove/`]: () => part({ stamp: 4, removed: [1] }),
  "GET /api/productions/5/editions/en-GB/checks/": () => [],
});
const stage = (at?: string) => show(<ScriptStage production={PRODUCTION} source={edition("en-GB", [line(1, "The tide."), line(2, "The soup.")])} />, at);

it("what nobody has chosen is not taken out by a key", async () => {
  const asked = server();
  stage();
  await screen.findByRole("tab", { name: "Speakers" });
  fireEvent.keyDown(document.body, { key: "Delete" });
  await new Promise((done) => setTimeout(done, 50));
  expect(asked.filter((one) => one.method === "POST")).toEqual([]);
});

it("the line that is chosen is", async () => {
  const asked = server();
  stage("/?line=1");
  await screen.findByRole("tab", { name: "Speakers" });
  fireEvent.keyDown(document.body, { key: "Delete" });
  await waitFor(() => expect(asked.find((one) => one.path === `${SCRIPT}remove/`)?.body).toEqual({ lines: [1] }));
});
