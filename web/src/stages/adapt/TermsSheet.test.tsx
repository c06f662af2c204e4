import { fireEvent, screen, waitFor } from "@testing-library/react";
import { expect, it } from "vitest";

import { PRODUCTION, edition, line, refused, serve, show } from "../../testing";
import { TermsSheet } from "./TermsSheet";

const TERMS = "/api/productions/5/editions/es-MX/terms/";
const BRIEF = "/api/productions/5/editions/es-MX/brief/";
const term = (id: number, more: object = {}) => ({ id, original: "tide", text: "marea", forbidden: false, note: "", ...more });
const sheet = (readOnly = false) => show(<TermsSheet production={PRODUCTION} edition={edition("es-MX", [line(1, "La marea.")])} open readOnly={readOnly} onClose={() => undefined} />);

it("a term is added once both sides are there, and what was typed goes", async () => {
  const asked = serve({ [`GET ${TERMS}`]: () => [], [`GET ${BRIEF}`]: () => ({ address: "", brief: "" }), [`POST ${TERMS}`]: () => term(1) });
  sheet();
  const add = await screen.findByRole("button", { name: "Add" });
  const [original, text] = [screen.getByLabelText("In the source"), screen.getByLabelText("Said as")] as HTMLInputElement[];
  fireEvent.change(text as HTMLInputElement, { target: { value: "marea" } });
  expect((add as HTMLButtonElement).disabled).toBe(true);
  fireEvent.change(original as HTMLInputElement, { target: { value: "tide" } });
  fireEvent.click(add);
  await waitFor(() => expect(asked.find((one) => one.method === "POST")?.body).toEqual({ original: "tide", text: "marea", forbidden: false, note: "" }));
  await waitFor(() => expect((text as HTMLInputElement).value).toBe(""));
});

it("what must never be said needs no source", async () => {
  const asked = serve({ [`GET ${TERMS}`]: () => [term(2, { original: "", text: "ola", forbidden: true })], [`GET ${BRIEF}`]: () => ({ address: "", brief: "" }), [`POST ${TERMS}`]: () => refused(400, "bad_input", "This term is there already.") });
  sheet();
  fireEvent.click(await screen.findByRole("checkbox"));
  const never = screen.getByLabelText("Said as");
  fireEvent.change(never, { target: { value: "ola" } });
  fireEvent.submit(never);
  expect(await screen.findByText("This term is there already.")).toBeTruthy();
  expect(asked.find((one) => one.method === "POST")?.body).toMatchObject({ original: "", forbidden: true });
  expect((never as HTMLInputElement).value).toBe("ola");
});

it("one is taken out, and how people are addressed is said", async () => {
  const asked = serve({ [`GET ${TERMS}`]: () => [term(3)], [`GET ${BRIEF}`]: () => ({ address: "formal", brief: "Old seafarers." }), [`DELETE ${TERMS}3/`]: () => undefined, [`PATCH ${BRIEF}`]: () => ({ address: "informal", brief: "" }) });
  sheet();
  fireEvent.click(await screen.findByRole("button", { name: /tide/ }));
  await waitFor(() => expect(asked.some((one) => one.method === "DELETE")).toBe(true));
  await waitFor(() => expect((screen.getByRole("combobox") as HTMLSelectElement).value).toBe("formal"));
  fireEvent.change(screen.getByRole("combobox"), { target: { value: "informal" } });
  await waitFor(() => expect(asked.find((one) => one.method === "PATCH")?.body).toEqual({ address: "informal" }));
});

it("who only reads sees them and has nothing to press", async () => {
  serve({ [`GET ${TERMS}`]: () => [term(3)], [`GET ${BRIEF}`]: () => ({ address: "", brief: "" }) });
  sheet(true);
  expect(await screen.findByText("marea")).toBeTruthy();
  expect(screen.queryByRole("button", { name: "Add" })).toBeNull();
  expect(screen.queryByRole("button", { name: /tide/ })).toBeNull();
});
