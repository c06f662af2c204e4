import { fireEvent, screen, waitFor } from "@testing-library/react";
import { beforeEach, expect, it, vi } from "vitest";

import { queryClient } from "../shared/api/queries";
import { refused, serve, show } from "../testing";
import { pictureAt } from "./link";
import { LinkPage } from "./LinkPage";

const ROOT = "/api/review/abc~x/";
const about = (more: object = {}) => ({ purpose: "review", name: "Marisol", interface: "es", locked: false, production: "The Night Ferry", editions: [{ language: "es-MX", name: "Español (México)", direction: "ltr" }], picture: false, source_sound: false, download: false, expires: "2099-01-01T00:00:00Z", ...more });
const row = (id: number, words: string, original: string) => ({ id, number: id, speaker: "Pilot", part: "Quay", original, words, start: id, end: id + 0.8 });
const edition = (more: object = {}) => ({ language: "es-MX", recipe: "ab12", sound: "heard.m4a", track: false, sketches: 0, seconds: 9, curve: [-20, -18, -30], holds: [], lines: [row(1, "La marea cambia.", "The tide turns."), row(2, "La sopa espera.", "The soup waits.")], remarks: [], approved: false, approved_recipe: "", ...more });
const open = () => show(<LinkPage token="abc~x" />);
const sent = (asked: ReturnType<typeof serve>) => asked.filter((one) => one.path === `${ROOT}remarks/`).map((one) => Object.fromEntries((one.body as FormData).entries()));

beforeEach(() => {
  sessionStorage.clear();
  localStorage.clear();
  vi.spyOn(HTMLMediaElement.prototype, "play").mockResolvedValue(undefined);
  vi.spyOn(HTMLMediaElement.prototype, "pause").mockImplementation(() => undefined);
});

it("a reviewer judges line by line, in their own language", async () => {
  const asked = serve({ [`GET ${ROOT}`]: () => about(), [`GET ${ROOT}editions/es-MX/`]: () => edition(), [`POST ${ROOT}remarks/`]: () => ({}) });
  open();
  expect(await screen.findByText("Para Marisol")).toBeTruthy();
  expect(document.documentElement.lang).toBe("es");
  expect(await screen.findByText("The tide turns.")).toBeTruthy();
  fireEvent.click(screen.getByRole("button", { name: "Bien" }));
  await waitFor(() => expect(sent(asked)).toEqual([{ language: "es-MX", kind: "fine", at: "1", line: "1", recipe: "ab12" }]));
  // What was fine is left behind.
  expect(await screen.findByText("The soup waits.")).toBeTruthy();
  fireEvent.keyDown(document.body, { key: "2" });
  fireEvent.change(screen.getByLabelText("Una observación"), { target: { value: "Rara." } });
  expect((screen.getByLabelText("Un texto mejor") as HTMLTextAreaElement).value).toBe("La sopa espera.");
  fireEvent.change(screen.getByLabelText("Un texto mejor"), { target: { value: "Que espere la sopa." } });
  fireEvent.click(screen.getAllByRole("button", { name: "Enviar" })[0] as HTMLElement);
  await waitFor(() => expect(sent(asked)[1]).toMatchObject({ kind: "words", line: "2", text: "Rara.", proposed: "Que espere la sopa." }));
  expect(await screen.findByText("Enviado. Gracias.")).toBeTruthy();
});

it("what became of a remark is shown, and what nobody has touched is taken back", async () => {
  const remarks = [
    { id: 4, line: 1, kind: "words", at: 1, text: "Rara.", proposed: "", spoken: false, state: "done", answer: "Ya está." },
    { id: 5, line: 1, kind: "timing", at: 1, text: "Tarde.", proposed: "", spoken: false, state: "open", answer: "" },
  ];
  const asked = serve({ [`GET ${ROOT}`]: () => about(), [`GET ${ROOT}editions/es-MX/`]: () => edition({ remarks }), [`DELETE ${ROOT}remarks/5/`]: () => refused(400, "invalid", "Too late.") });
  open();
  // Beside its line, and in the list of what became of them.
  expect(await screen.findAllByText("Respuesta: Ya está.")).toHaveLength(2);
  expect(screen.getByRole("heading", { name: "Qué fue de sus observaciones" })).toBeTruthy();
  expect(screen.getByText("nuevo")).toBeTruthy();
  fireEvent.click(screen.getByRole("button", { name: "Ir a la línea" }));
  expect(screen.queryByText("nuevo")).toBeNull();
  const back = screen.getAllByRole("button", { name: "Retirarla" });
  expect(back).toHaveLength(1);
  fireEvent.click(back[0] as HTMLElement);
  // In the language of the page, whatever the server's is.
  expect(await screen.findByText("No se ha aceptado. Revíselo y envíelo otra vez.")).toBeTruthy();
  expect(asked.some((one) => one.method === "DELETE")).toBe(true);
});

it("what is typed stays with its line, whatever is looked at meanwhile, and is sent for that line", async () => {
  let lines = [row(1, "La marea cambia.", "The tide turns."), row(2, "La sopa espera.", "The soup waits.")];
  let lost = true;
  const asked = serve({
    [`GET ${ROOT}`]: () => about(), [`GET ${ROOT}editions/es-MX/`]: () => edition({ lines }),
    [`POST ${ROOT}remarks/`]: () => { if (lost) { lost = false; throw new TypeError("the answer was lost"); } return {}; },
  });
  open();
  await screen.findByText("The tide turns.");
  fireEvent.keyDown(document.body, { key: "2" });
  fireEvent.change(screen.getByLabelText("Una observación"), { target: { value: "Rara." } });
  fireEvent.click(screen.getByText("La sopa espera."));
  await screen.findByText("The soup waits.");
  expect(screen.queryByLabelText("Una observación")).toBeNull();
  fireEvent.click(screen.getByText("La marea cambia."));
  expect((screen.getByLabelText("Una observación") as HTMLTextAreaElement).value).toBe("Rara.");
  // The line is taken out, and its form is still its own.
  lines = lines.slice(1);
  await queryClient.invalidateQueries();
  fireEvent.click(screen.getAllByRole("button", { name: "Enviar" })[0] as HTMLElement);
  expect(await screen.findByText(/No se puede llegar a/)).toBeTruthy();
  expect((screen.getByLabelText("Una observación") as HTMLTextAreaElement).value).toBe("Rara.");
  fireEvent.click(screen.getAllByRole("button", { name: "Enviar" })[0] as HTMLElement);
  await waitFor(() => expect(sent(asked).map((one) => [one.line, one.text])).toEqual([["1", "Rara."], ["1", "Rara."]]));
  const keys = asked.filter((one) => one.method === "POST").map((one) => one.headers?.["idempotency-key"]);
  expect(new Set(keys).size).toBe(1);
  expect(keys[0]).toBeTruthy();
  await waitFor(() => expect(screen.queryByLabelText("Una observación")).toBeNull());
});

it("a newer mix is offered, and what was opened goes on being heard and judged", async () => {
  let recipe = "ab12";
  const asked = serve({ [`GET ${ROOT}`]: () => about(), [`GET ${ROOT}editions/es-MX/`]: () => edition({ recipe }), [`PUT ${ROOT}editions/es-MX/approval/`]: () => edition({ recipe, approved_recipe: "ab12" }) });
  open();
  const sound = () => (document.querySelector("audio") as HTMLAudioElement).getAttribute("src");
  await waitFor(() => expect(sound()).toContain("of=ab12"));
  recipe = "cd34";
  await queryClient.invalidateQueries();
  await screen.findByText(/Hay una mezcla más reciente/);
  expect(sound()).toContain("of=ab12");
  fireEvent.click(screen.getByRole("button", { name: "Apruebo esta edición" }));
  fireEvent.click(screen.getByRole("button", { name: "Aprobar de todos modos" }));
  expect(await screen.findByText("Aprobada")).toBeTruthy();
  expect(asked.find((one) => one.method === "PUT")?.body).toEqual({ approved: true, recipe: "ab12" });
  fireEvent.click(screen.getByRole("button", { name: "Abrir la más reciente" }));
  await waitFor(() => expect(sound()).toContain("of=cd34"));
  expect(screen.queryByText("Aprobada")).toBeNull();
});

it("an edition of which not all is judged and finished is approved after a second look, and one of which it is at once", async () => {
  let remarks: object[] = [];
  let sketches = 3;
  let approvals = 0;
  serve({ [`GET ${ROOT}`]: () => about(), [`GET ${ROOT}editions/es-MX/`]: () => edition({ remarks, sketches }), [`PUT ${ROOT}editions/es-MX/approval/`]: () => { approvals += 1; return edition({ remarks, sketches, approved_recipe: "ab12" }); } });
  open();
  fireEvent.click(await screen.findByRole("button", { name: "Apruebo esta edición" }));
  expect(screen.getByRole("alert").textContent).toBe("No todas las líneas están valoradas o terminadas.");
  expect(screen.getByText("Líneas sin valorar: 2")).toBeTruthy();
  expect(screen.getByText("Líneas que aún suenan en boceto: 3")).toBeTruthy();
  expect(approvals).toBe(0);
  remarks = [1, 2].map((line) => ({ id: line, line, kind: "fine", at: 1, text: "", proposed: "", spoken: false, state: "open", answer: "" }));
  sketches = 0;
  await queryClient.invalidateQueries();
  await waitFor(() => expect(screen.queryByText("Líneas sin valorar: 2")).toBeNull());
  fireEvent.click(screen.getByRole("button", { name: "Aprobar de todos modos" }));
  expect(await screen.findByText("Aprobada")).toBeTruthy();
  expect(approvals).toBe(1);
});

it("a link that was withdrawn says so by itself", async () => {
  let there = true;
  const gone = () => refused(404, "not_found", "There is no such thing.");
  serve({ [`GET ${ROOT}`]: () => (there ? about() : gone()), [`GET ${ROOT}editions/es-MX/`]: () => (there ? edition() : gone()) });
  open();
  await screen.findByText("The tide turns.");
  there = false;
  await queryClient.invalidateQueries({ queryKey: ["link", "abc~x", "es-MX"] });
  expect(await screen.findByText(/Este enlace no lleva|This link leads nowhere/)).toBeTruthy();
});

it("an edition is approved", async () => {
  const asked = serve({ [`GET ${ROOT}`]: () => about(), [`GET ${ROOT}editions/es-MX/`]: () => edition({ remarks: [1, 2].map((line) => ({ id: line, line, kind: "fine", at: 1, text: "", proposed: "", spoken: false, state: "open", answer: "" })) }), [`PUT ${ROOT}editions/es-MX/approval/`]: () => edition({ approved: true, approved_recipe: "ab12" }) });
  open();
  fireEvent.click(await screen.findByRole("button", { name: "Apruebo esta edición" }));
  expect(await screen.findByText("Aprobada")).toBeTruthy();
  expect(asked.find((one) => one.method === "PUT")?.body).toEqual({ approved: true, recipe: "ab12" });
});

it("a pass-phrase is asked for, and a wrong one said to be wrong", async () => {
  let locked = true;
  serve({
    [`GET ${ROOT}`]: () => about(locked ? { locked: true, name: "", production: "", editions: [] } : {}),
    [`POST ${ROOT}`]: (one) => { if ((one.body as { passphrase: string }).passphrase !== "low water") return refused(403, "not_allowed", "No."); locked = false; return undefined; },
    [`GET ${ROOT}editions/es-MX/`]: () => edition(),
  });
  open();
  fireEvent.change(await screen.findByLabelText("Contraseña"), { target: { value: "high water" } });
  fireEvent.click(screen.getByRole("button", { name: "Abrir" }));
  expect((await screen.findByRole("alert")).textContent).toBe("Esa no es la contraseña.");
  fireEvent.change(screen.getByLabelText("Contraseña"), { target: { value: "low water" } });
  fireEvent.click(screen.getByRole("button", { name: "Abrir" }));
  expect(await screen.findByText("The tide turns.")).toBeTruthy();
});

it("a link that leads nowhere says so, and nothing else", async () => {
  serve({ [`GET ${ROOT}`]: () => refused(404, "not_found", "There is no such thing.") });
  open();
  expect(await screen.findByText(/leads nowhere/)).toBeTruthy();
});

it("who listens hears another language from the same moment, and keeps what may be kept", async () => {
  const editions = [{ language: "es-MX", name: "Español (México)", direction: "ltr" }, { language: "ar", name: "العربية", direction: "rtl" }];
  serve({ [`GET ${ROOT}`]: () => about({ purpose: "listen", interface: "en", editions, download: true }), [`GET ${ROOT}editions/es-MX/`]: () => edition({ track: true }), [`GET ${ROOT}editions/ar/`]: () => edition({ language: "ar", recipe: "cd34" }) });
  open();
  const sound = () => document.querySelector("audio") as HTMLAudioElement;
  await waitFor(() => expect(sound()?.getAttribute("src")).toContain("es-MX/heard.m4a?of=ab12"));
  expect(screen.getByRole("link", { name: "Download" }).getAttribute("href")).toBe(`/api/review/abc~x/editions/es-MX/track.mp3`);
  fireEvent.click(screen.getByRole("button", { name: "العربية" }));
  await waitFor(() => expect(sound().getAttribute("src")).toContain("ar/heard.m4a?of=cd34"));
  expect(screen.queryByRole("link", { name: "Download" }), "that one is not made yet").toBeNull();
});

it("a picture stands still where it is held", () => {
  const holds = [[2, 1], [5, 0.5]];
  expect([1, 2.5, 3.5, 6.2, 8].map((seconds) => pictureAt(holds, seconds))).toEqual([1, 2, 2.5, 5, 6.5]);
});
