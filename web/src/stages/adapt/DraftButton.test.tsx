import { useQuery } from "@tanstack/react-query";
import { fireEvent, screen, waitFor } from "@testing-library/react";
import { expect, it } from "vitest";

import { PRODUCTION, edition, line, refused, serve, show } from "../../testing";
import { DraftButton } from "./DraftButton";

const DRAFTS = "/api/productions/5/editions/es-MX/drafts/";
const means = (more: object = {}) => ({ route: ["en", "es"], names: ["English", "Español"], units: 12, ...more });
const job = (state: string, more: object = {}) => ({ id: 8, kind: "draft", state, done: 1, total: 2, report: { exact: 1, fuzzy: 0, drafted: 1 }, fault: "", faults: [], language: "es-MX", ...more });
const words = [line(1, ""), line(2, ""), line(3, "Todo.")];
const button = (more: object = {}) => show(<DraftButton production={PRODUCTION} edition={edition("es-MX", words)} {...more} />);

it("empty lines are drafted, how far it is is told, and what came of it", async () => {
  let state = "running";
  const asked = serve({ [`GET ${DRAFTS}`]: () => means(), [`POST ${DRAFTS}`]: () => job("running"), "GET /api/jobs/8/": () => job(state) });
  button();
  fireEvent.click(await screen.findByRole("button", { name: "Draft 2 empty lines" }));
  expect(await screen.findByText("Drafting 1 of 2")).toBeTruthy();
  expect(asked.find((one) => one.method === "POST")?.body).toEqual({ again: false });
  state = "done";
  expect(await screen.findByText(/2 lines drafted: 1 the same as before/, {}, { timeout: 3_000 })).toBeTruthy();
});

it("what came of it is told once the lines show it", async () => {
  let arrive = () => {};
  let looks = 0;
  function Lines() {
    const { data } = useQuery({ queryKey: ["production", 5, "edition", "es-MX"], queryFn: () => (looks++ ? new Promise<string>((done) => (arrive = () => done("drafted lines"))) : "empty lines") });
    return <p>{data}</p>;
  }
  serve({ [`GET ${DRAFTS}`]: () => means(), [`POST ${DRAFTS}`]: () => job("running"), "GET /api/jobs/8/": () => job("done") });
  show(<><Lines /><DraftButton production={PRODUCTION} edition={edition("es-MX", words)} /></>);
  fireEvent.click(await screen.findByRole("button", { name: "Draft 2 empty lines" }));
  await waitFor(() => expect(looks).toBeGreaterThan(1), { timeout: 3_000 });
  expect(screen.queryByText(/2 lines drafted/)).toBeNull();
  arrive();
  expect(await screen.findByText(/2 lines drafted/)).toBeTruthy();
  expect(screen.getByText("drafted lines")).toBeTruthy();
});

it("it is stopped with one press", async () => {
  const asked = serve({ [`GET ${DRAFTS}`]: () => means(), [`POST ${DRAFTS}`]: () => job("running"), "GET /api/jobs/8/": () => job("running"), "DELETE /api/jobs/8/": () => job("stopped") });
  button();
  fireEvent.click(await screen.findByRole("button", { name: "Draft 2 empty lines" }));
  await screen.findByText("Drafting 1 of 2");
  fireEvent.click(screen.getByRole("button"));
  await waitFor(() => expect(asked.some((one) => one.method === "DELETE")).toBe(true));
});

it("only the chosen lines, where some are chosen", async () => {
  const asked = serve({ [`GET ${DRAFTS}`]: () => means(), [`POST ${DRAFTS}`]: () => refused(503, "away", "The queue is away.") });
  button({ only: [2, 3] });
  fireEvent.click(await screen.findByRole("button", { name: /Draft/ }));
  await waitFor(() => expect(asked.find((one) => one.method === "POST")?.body).toEqual({ again: false, lines: [2, 3] }));
});

it("where nothing can draft the language that is said, and nothing offered", async () => {
  serve({ [`GET ${DRAFTS}`]: () => means({ route: [], names: [], units: 0 }) });
  button();
  expect(await screen.findByText("Nothing can draft this")).toBeTruthy();
  expect(screen.queryByRole("button")).toBeNull();
});
