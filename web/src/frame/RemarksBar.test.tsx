import { fireEvent, screen, waitFor } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { expect, it } from "vitest";

import type { Remark } from "../shared/remarks";
import { openAt } from "../shared/remarks";
import { PRODUCTION, serve, show } from "../testing";
import { RemarksBar } from "./RemarksBar";

const remark = (id: number, more: object = {}) => ({ id, language: "es-MX", line: 1, by: "Marisol", kind: "words", stage: "adapt", at: 1, text: "Stiff.", proposed: "Ya.", spoken: false, about: "La marea.", state: "open", answer: "", answered_by: null, made: "2026-01-01T00:00:00Z", ...more }) as unknown as Remark;
const bar = (remarks: Remark[], at: string) => show(<Routes><Route path="/productions/:production/:language/:stage" element={<RemarksBar production={PRODUCTION} remarks={remarks} />} /></Routes>, at);

it("a remark on the chosen line is there at once, and its wording is taken over by one key", async () => {
  const asked = serve({ "POST /api/productions/5/remarks/8/taking/": () => remark(8, { state: "taken" }) });
  bar([remark(8), remark(9, { line: 2, text: "Late." })], "/productions/5/es-MX/adapt?line=1");
  expect(screen.getByRole("button", { name: "1 of 2 open remarks is about this line" })).toBeTruthy();
  expect(screen.queryByText("Late.")).toBeNull();
  fireEvent.keyDown(document.body, { key: "y" });
  await waitFor(() => expect(asked).toHaveLength(1));
  expect(await screen.findByText("Taken over: the line says what was proposed.")).toBeTruthy();
});

it("the others come on request, and are answered", async () => {
  const asked = serve({ "PATCH /api/productions/5/remarks/9/": () => remark(9) });
  bar([remark(9, { line: 2, text: "Late.", proposed: "" })], "/productions/5/es-MX/adapt?line=1");
  fireEvent.click(screen.getByRole("button", { name: "1 remark of reviewers is open here" }));
  fireEvent.click(screen.getByRole("button", { name: "Answer" }));
  fireEvent.change(screen.getByRole("textbox", { name: "Answer" }), { target: { value: "Gracias." } });
  fireEvent.click(screen.getByRole("button", { name: "Send" }));
  await waitFor(() => expect(asked[0]?.body).toEqual({ answer: "Gracias." }));
});

it("each is open where it belongs, and nowhere else", () => {
  const all = [remark(1), remark(2, { stage: "time", kind: "timing" }), remark(3, { state: "done" }), remark(4, { kind: "fine", stage: "" }), remark(5, { language: "de-DE" })];
  expect(openAt(all, "adapt", "es-MX").map((one) => one.id)).toEqual([1]);
  expect(openAt(all, "time", "es-MX").map((one) => one.id)).toEqual([2]);
  bar(all, "/productions/5/es-MX/mix?line=1");
  expect(screen.queryByRole("region")).toBeNull();
});
