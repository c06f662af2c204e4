import { fireEvent, screen, waitFor } from "@testing-library/react";
import { beforeEach, expect, it, vi } from "vitest";

import { line, PRODUCTION, serve, show } from "../../testing";
import { TemplatePanel } from "./TemplatePanel";

const AT = "/api/productions/5/";
// A page without a layout has no room for rows.
beforeEach(() => void vi.spyOn(Element.prototype, "clientHeight", "get").mockReturnValue(420));
const LINE = { ...line(7, "High water at {time} on {day}."), voice: "buzzard" };
type Row = Record<string, string>;

/** A server that does what is asked of it, the first change slowly; what was asked. */
function table() {
  let rows: Row[] = [{ name: "monday", time: "7:15" }, { name: "noon" }];
  let kinds: Row = {};
  let release: () => void = () => undefined;
  let first = true;
  const asked = serve({
    [`GET ${AT}editions/en-GB/lines/7/clips/`]: () => ({
      slots: ["time", "day"], table: { columns: ["time", "day"], rows, reference: "monday", kinds }, cast: true, exact: true, making: null,
      clips: rows.map((row) => ({ name: row.name, words: "", missing: ["time", "day"].filter((slot) => !row[slot]), made: false, seconds: null, fault: "" })),
    }),
    [`PUT ${AT}lines/7/table/`]: async (one) => {
      if (first) {
        first = false;
        await new Promise<void>((over) => { release = over; });
      }
      const body = one.body as { cells?: { row: string; column: string; value: string }[]; kinds?: Row };
      for (const cell of body.cells ?? []) {
        if (!rows.some((row) => row.name === cell.row)) return new Response(JSON.stringify({ detail: `There is no row “${cell.row}” in this table.` }), { status: 400 });
        rows = rows.map((row) => (row.name === cell.row ? { ...row, [cell.column]: cell.value.replaceAll(" ", "-") } : row));
      }
      kinds = { ...kinds, ...body.kinds };
      return { columns: ["time", "day"], rows, reference: "monday", kinds };
    },
  });
  show(<TemplatePanel production={PRODUCTION as never} language="en-GB" isSource direction="ltr" line={LINE as never} readOnly={false} />);
  return { asked, release: () => release(), rows: () => rows, kinds: () => kinds };
}
const put = (asked: { method: string; body?: unknown }[]) => asked.filter((one) => one.method === "PUT").map((one) => one.body);
const type = (name: string, text: string) => {
  const field = screen.getByLabelText(name);
  fireEvent.focus(field);
  fireEvent.change(field, { target: { value: text } });
  fireEvent.blur(field);
};

it("what is typed while the server is slow all arrives, one after another, a row that is renamed too", async () => {
  const { asked, release, rows, kinds } = table();
  await screen.findByLabelText("time of monday");
  type("Name of clip 2", "late tide");
  type("time of noon", "23:40");
  type("day of noon", "Sunday");
  fireEvent.change(screen.getByLabelText("What time is read as"), { target: { value: "time" } });
  await waitFor(() => expect(put(asked)).toHaveLength(1));
  expect((screen.getByLabelText("day of noon") as HTMLInputElement).value).toBe("Sunday");
  release();
  await waitFor(() => expect(kinds()).toEqual({ time: "time" }));
  expect(rows()[1]).toEqual({ name: "late-tide", time: "23:40", day: "Sunday" });
  expect(put(asked)).toHaveLength(4);
});

it("what is typed further in a cell whose value is on its way stays", async () => {
  const { asked, release, rows } = table();
  await screen.findByLabelText("time of monday");
  type("time of monday", "8:00");
  await waitFor(() => expect(put(asked)).toHaveLength(1));
  fireEvent.change(screen.getByLabelText("time of monday"), { target: { value: "8:00 or so" } });
  release();
  await waitFor(() => expect(rows()[0]).toMatchObject({ time: "8:00" }));
  expect((screen.getByLabelText("time of monday") as HTMLInputElement).value).toBe("8:00 or so");
});
