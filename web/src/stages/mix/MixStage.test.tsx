import { fireEvent, screen, waitFor } from "@testing-library/react";
import { expect, it } from "vitest";

import { PRODUCTION, edition, line, refused, serve, show } from "../../testing";
import { MixStage } from "./MixStage";

const CASTINGS = "GET /api/productions/5/editions/es-MX/castings/";
const MIXES = "/api/productions/5/editions/es-MX/mixes/";
const castings = () => [{ speaker: 1, voice: { id: "quetzal", name: "Quetzal" }, settings: { level_db: -2 } }];
const words = [line(1, "La marea.", { seconds: 4 }), line(2, "La sopa.", { speaker: 2, seconds: 2 }), line(3, "Todo.", { seconds: 1.5 })];
const report = { seconds: 65.2, lufs: -16.04, true_peak_db: -1.2, limited_db: 0, short_term: [-18, -16] };
const mix = (state: string, more: object = {}) => ({ recipe: "ab12", state, share: 0.4, fault: "", report: state === "ready" ? report : null, ...more });
const stage = (production = PRODUCTION, more: object = {}) => show(<MixStage production={production} edition={edition("es-MX", words, more)} source={edition("en-GB", words)} />);

it("without a voiced line it says what comes first", () => {
  serve({ [CASTINGS]: castings });
  stage(PRODUCTION, { mix_recipe: "" });
  expect(screen.queryByRole("radiogroup")).toBeNull();
});

it("a mix that is ready shows what was measured of it, and how long everybody speaks", async () => {
  serve({ [CASTINGS]: castings, [`GET ${MIXES}`]: () => mix("ready") });
  stage();
  expect(await screen.findByText("−16.0 LUFS", { selector: "span.font-semibold" })).toBeTruthy();
  expect(screen.getByText("1:05.2")).toBeTruthy();
  expect(screen.getByText("0:05.5")).toBeTruthy();
  expect(screen.getByText("Quetzal")).toBeTruthy();
});

it("one that is made says how far it is, and one that went wrong why", async () => {
  let state = mix("making");
  serve({ [CASTINGS]: castings, [`GET ${MIXES}`]: () => state });
  stage();
  expect(await screen.findByText(/40 %/)).toBeTruthy();
  state = mix("failed", { fault: "What this mix is made of is not kept any more." });
  expect(await screen.findByText("What this mix is made of is not kept any more.", {}, { timeout: 2_000 })).toBeTruthy();
});

it("one that is missing is asked for, and a refusal is said", async () => {
  const asked = serve({ [CASTINGS]: castings, [`GET ${MIXES}`]: () => mix("absent"), [`POST ${MIXES}`]: () => refused(400, "nothing_to_mix", "There is nothing to mix.") });
  stage();
  fireEvent.click(await screen.findByRole("button", { name: "Make the mix" }));
  expect(await screen.findByText("There is nothing to mix.")).toBeTruthy();
  expect(asked.some((one) => one.method === "POST")).toBe(true);
});

it("another target is the production's, and who only reads changes none", async () => {
  const asked = serve({ [CASTINGS]: castings, [`GET ${MIXES}`]: () => mix("ready"), "PATCH /api/productions/5/": () => PRODUCTION });
  const shown = stage();
  fireEvent.click(await screen.findByRole("radio", { name: /−23.0 LUFS/ }));
  await waitFor(() => expect(asked.find((one) => one.method === "PATCH")?.body).toEqual({ target_lufs: -23 }));
  shown.unmount();
  stage({ ...PRODUCTION, role: "reader" });
  expect((await screen.findByRole("radio", { name: /−23.0 LUFS/ }) as HTMLButtonElement).disabled).toBe(true);
});
