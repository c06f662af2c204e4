import { fireEvent, screen, waitFor } from "@testing-library/react";
import { expect, it, vi } from "vitest";

import { serve, show } from "../../testing";
import type { EditedLine } from "../../shared/script/scriptState";
import { ScriptRow, type Frame } from "./ScriptRow";

const line = { id: 7, key: "7", speaker: 1, words: "Mind the step.", revision: 3, kind: "spoken", notes: "", part: null, start: null, end: null, in_sight: null } as unknown as EditedLine;
const PUT = "PUT /api/productions/5/editions/en-GB/wordings/7/";

function open() {
  const actions = { add: vi.fn(() => Promise.resolve()), saved: vi.fn(), known: vi.fn() };
  const frame = { production: 5, language: "en-GB", direction: "ltr", readOnly: false, fps: 25, actions, go: vi.fn(), choose: vi.fn(), join: vi.fn(), moveChosen: vi.fn() } as unknown as Frame;
  show(<ScriptRow line={line} number={1} speaker={undefined} speakers={[]} selected={false} chosen={false} findings={undefined} take={undefined} frame={frame} />);
  return { actions, field: screen.getByRole("textbox", { name: "Words of line 1" }) };
}

it("rows that are pasted into a line are offered as lines, and the line is what it was", async () => {
  const asked = serve({ [PUT]: () => ({ text: "Mind the step.", revision: 4 }) });
  const { actions, field } = open();
  fireEvent.paste(field, { clipboardData: { getData: () => "Oda: Why?\nMara: It is loose.\n\nOda: Oh." } });
  fireEvent.change(field, { target: { value: "Mind the step.Oda: Why?\nMara: It is loose.\n\nOda: Oh." } });
  fireEvent.click(await screen.findByRole("button", { name: "Make 3 lines of them" }));
  await waitFor(() => expect(actions.add).toHaveBeenCalledWith(7, "Oda: Why?\nMara: It is loose.\n\nOda: Oh."));
  expect((field as HTMLTextAreaElement).value).toBe("Mind the step.");
  expect(asked).toHaveLength(0);
});

it("one row is pasted as ever", () => {
  serve({});
  const { field } = open();
  fireEvent.paste(field, { clipboardData: { getData: () => " and wait\n" } });
  expect(screen.queryByRole("button", { name: /lines of them/ })).toBeNull();
});

it("words whose answer was lost and that are taken back are nobody else's", async () => {
  let tries = 0;
  const asked = serve({
    [PUT]: (one) => {
      tries += 1;
      if (tries === 1) throw new TypeError("away");
      if (tries === 2) return new Response(JSON.stringify({ code: "conflict", message: "Somebody else", current: { text: "Mind the fourth step.", revision: 4 } }), { status: 409, headers: { "Content-Type": "application/json" } });
      return { text: (one.body as { text: string }).text, revision: 5 };
    },
  });
  const { actions, field } = open();
  fireEvent.change(field, { target: { value: "Mind the fourth step." } });
  fireEvent.blur(field);
  await screen.findByRole("alert");
  // Taken back in the field: the server has the words that it never answered for.
  fireEvent.change(field, { target: { value: "Mind the step." } });
  fireEvent.blur(field);
  await waitFor(() => expect(actions.saved).toHaveBeenCalledWith(7, "Mind the step.", 5));
  expect(asked.map((one) => (one.body as { revision: number }).revision)).toEqual([3, 3, 4]);
  expect(screen.queryByRole("alert")).toBeNull();
});
