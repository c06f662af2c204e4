import { fireEvent, screen, waitFor } from "@testing-library/react";
import { expect, it } from "vitest";

import { PRODUCTION, refused, serve, show } from "../../testing";
import type { Edition } from "../../shared/api/client";
import { Homes } from "./Homes";

const PATH = "/api/productions/5/editions/de-DE/homes/";
const edition = { language: "de-DE", name: "German (Germany)" } as unknown as Edition;
const told = (some: object = {}) => ({
  asked: true, natives: 10, natives_heard: { understood: 0.924, taken_for_it: 0.79 }, rich: 8, rich_heard: { understood: 0.996, taken_for_it: 0.99 },
  strangers: { count: 3, homes: ["Italian", "Hindi"], heard: { understood: 0.957, taken_for_it: 0.97 } }, light: 0, cast_from: "rich", chosen: false, ...some,
});

it("whose accent is heard and how well they are understood is said where they are cast", async () => {
  serve({ [`GET ${PATH}`]: () => told() });
  show(<Homes production={PRODUCTION} edition={edition} />);
  expect(await screen.findByText(/3 speakers here have an accent: Italian, Hindi\. At least 95 % of their sounds are understood; taken for German \(Germany\): 97 %/)).toBeTruthy();
  expect(screen.getByRole("button", { name: "Rich, with an accent" }).getAttribute("aria-pressed")).toBe("true");
});

it("one press casts natives, and shows them", async () => {
  let natives = false;
  const asked = serve({
    [`GET ${PATH}`]: () => (natives ? told({ strangers: { count: 0, homes: [], heard: null }, light: 3, cast_from: "natives", chosen: true }) : told()),
    [`PUT ${PATH}`]: () => ((natives = true), told()),
  });
  show(<Homes production={PRODUCTION} edition={edition} />);
  fireEvent.click(await screen.findByRole("button", { name: "Natives, though light" }));
  expect(await screen.findByText(/3 speakers here are light natives/)).toBeTruthy();
  expect(asked.find((one) => one.method === "PUT")?.body).toEqual({ cast_from: "natives" });
});

it("where there is nothing to choose nothing is shown", async () => {
  const asked = serve({ [`GET ${PATH}`]: () => told({ asked: false }) });
  show(<Homes production={PRODUCTION} edition={edition} />);
  await waitFor(() => expect(asked).toHaveLength(1));
  expect(screen.queryByRole("region")).toBeNull();
});

it("a refusal is said", async () => {
  serve({ [`GET ${PATH}`]: () => told(), [`PUT ${PATH}`]: () => refused(409, "conflict", "Somebody else has just done that.") });
  show(<Homes production={PRODUCTION} edition={edition} />);
  fireEvent.click(await screen.findByRole("button", { name: "Natives, though light" }));
  expect(await screen.findByText("Somebody else has just done that.")).toBeTruthy();
});
