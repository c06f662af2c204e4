import { fireEvent, screen, waitFor } from "@testing-library/react";
import { expect, it } from "vitest";

import { serve, show, type Asked } from "../testing";
import type { Preview } from "../shared/api/client";
import { ImportSheet } from "./ImportSheet";

const line = (key: string, speaker: string, words: string) => ({ key, row: Number(key) + 1, part: "", speaker, words, notes: "", start: null, end: null, wordings: {} });
const PREVIEW: Preview = {
  draft: 3, filename: "", format: "text", encoding: "UTF-8", encodings: [], source_language: "en-GB", languages: [], columns: [], parts: [],
  speakers: [{ name: "Pilot", lines: 2 }, { name: "Cook", lines: 1 }],
  labels: [{ name: "Pilot", taken: true, turned: false, count: 2 }, { name: "Remember", taken: false, turned: false, count: 1 }],
  from_start: null, brackets: null, directing: null, directed: [], frames: false, fps: null, rows: {}, prose: false, could_be_prose: false, timed: 0, line_count: 3,
  lines: [line("0", "Pilot", "Cast off."), line("1", "Cook", "Aye."), line("2", "Pilot", "A slip.")], problems: [],
};
const PATCH = "PATCH /api/imports/3/";
const GET = "GET /api/languages/";

/** The sheet with a script that was read, on a server that answers a correction when it is let to. */
async function readOne(preview: Preview = PREVIEW) {
  const answers: (() => void)[] = [];
  const asked = serve({
    "POST /api/imports/": () => preview,
    [GET]: () => [],
    [PATCH]: ({ body }: Asked) =>
      new Promise((resolve) => answers.push(() => { resolve({ ...preview, ...(body as object), labels: preview.labels }); })),
  });
  show(<ImportSheet open onClose={() => undefined} />);
  fireEvent.change(screen.getByLabelText("Or paste it"), { target: { value: "Pilot: Cast off." } });
  fireEvent.click(screen.getByRole("button", { name: "Read it" }));
  await screen.findByLabelText("Words of row 1");
  const said = () => asked.filter((one) => one.method === "PATCH").map((one) => one.body);
  const answer = async (count: number) => {
    await waitFor(() => expect(answers).toHaveLength(count));
    answers[count - 1]?.();
  };
  return { said, answer };
}

it("a hand that is quicker than the answers loses nothing", async () => {
  const { said, answer } = await readOne();
  for (const row of [1, 2, 3]) fireEvent.click(screen.getByRole("button", { name: `Leave row ${row} out` }));
  await answer(1);
  // The next is not sent before the one in front of it is answered: the last to arrive is the last that was said.
  await waitFor(() => expect(said()).toHaveLength(2));
  await answer(2);
  await answer(3);
  const all = { "0": { drop: true }, "1": { drop: true }, "2": { drop: true } };
  expect(said().at(-1)).toEqual({ rows: all });
  expect(await screen.findByText("3 rows are left out.")).toBeTruthy();
  fireEvent.click(screen.getByRole("button", { name: "Take them back" }));
  await waitFor(() => expect(said().at(-1)).toEqual({ rows: { "0": { drop: false }, "1": { drop: false }, "2": { drop: false } } }));
  await answer(4);
});

it("a name that is typed while the script is read stays", async () => {
  let read: (found: Preview) => void = () => undefined;
  const asked = serve({ "POST /api/imports/": () => new Promise((resolve) => (read = resolve as typeof read)), [GET]: () => [], "POST /api/imports/3/production/": () => ({ id: 5 }) });
  show(<ImportSheet open onClose={() => undefined} />);
  fireEvent.change(screen.getByLabelText("Or paste it"), { target: { value: "Pilot: Cast off." } });
  fireEvent.click(screen.getByRole("button", { name: "Read it" }));
  await waitFor(() => expect(asked.some((one) => one.path === "/api/imports/")).toBe(true));
  // At the very moment at which it is answered.
  read(PREVIEW);
  fireEvent.change(screen.getByLabelText("Name"), { target: { value: "The ferry" } });
  fireEvent.click(await screen.findByRole("button", { name: /^Create with/ }));
  await waitFor(() => expect(asked.find((one) => one.path.endsWith("/production/"))?.body).toEqual({ name: "The ferry" }));
});

it("what was decided of a name is turned by one click, either way", async () => {
  const { said, answer } = await readOne();
  fireEvent.click(screen.getByRole("button", { name: "“Remember” is a speaker" }));
  fireEvent.click(screen.getByRole("button", { name: "“Pilot” is no speaker: keep it as words" }));
  await answer(1);
  await answer(2);
  expect(said()).toEqual([{ labels: { Remember: true } }, { labels: { Remember: true, Pilot: false } }]);
  expect(screen.queryByRole("button", { name: /“Cook” is no speaker/ })).toBeNull();
});

it("times inside others are counted otherwise where that is possible", async () => {
  const { said, answer } = await readOne({ ...PREVIEW, from_start: true });
  fireEvent.click(screen.getByRole("checkbox", { name: /^Times are counted/ }));
  await answer(1);
  expect(said()).toEqual([{ from_start: false }]);
});

it("what stands in brackets is said after all where somebody wants it", async () => {
  const { said, answer } = await readOne({ ...PREVIEW, brackets: true });
  fireEvent.click(screen.getByRole("checkbox", { name: /^What stands in brackets/ }));
  await answer(1);
  expect(said()).toEqual([{ brackets: false }]);
});

it("what was understood of directions is shown, and one tick leaves all of it undone", async () => {
  const directed: Preview["directed"] = [{ kind: "mood", what: "whispered", lines: 2 }, { kind: "room", what: "telephone", lines: 1 }, { kind: "pause", what: "pause", lines: 3 }];
  const { said, answer } = await readOne({ ...PREVIEW, directing: true, directed });
  const list = screen.getByRole("list", { name: "What was understood of directions, and in how many lines" });
  expect([...list.children].map((one) => one.textContent)).toEqual(["Whispered 2", "telephone 1", "pause 3"]);
  fireEvent.click(screen.getByRole("checkbox", { name: "Lines are directed by their directions" }));
  await answer(1);
  expect(said()).toEqual([{ directing: false }]);
  await waitFor(() => expect(screen.getByRole("checkbox", { name: "Lines are directed by their directions", checked: false })).toBeTruthy());
});
