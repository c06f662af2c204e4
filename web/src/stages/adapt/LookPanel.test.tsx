import { fireEvent, screen, waitFor } from "@testing-library/react";
import { expect, it, vi } from "vitest";

import { edition, line, PRODUCTION, serve, show } from "../../testing";
import { LookPanel } from "./LookPanel";
import { reason, type AdaptActions, type Doubt } from "./useAdapt";

const WORDS = "Cuidado con el tercer escalón.";
const LINE = line(7, WORDS);
const DOUBT: Doubt = { line: 7, unknown: [], misspelt: [], rude: [], terms: [], findings: [], heard: { text: "Cuidado con el perro.", error: 0.4, otherwise: [[15, 6, "perro"], [22, 7, ""], [30, 0, "ya"]] } };
const HEARD = "PUT /api/productions/5/editions/es-MX/lines/7/heard/";
const lookAgain = vi.fn(() => Promise.resolve(undefined));

const panel = (doubt: Doubt | undefined, readOnly = false) =>
  show(<LookPanel production={PRODUCTION as never} edition={edition("es-MX", [LINE])} line={LINE} source="Mind the third step." standing={undefined} doubt={doubt} phrase={null} text={WORDS} actions={{ lookAgain, tell: () => undefined } as unknown as AdaptActions} readOnly={readOnly} onApprove={() => undefined} />);
const served = () => serve({ [HEARD]: () => undefined, "GET /api/productions/5/editions/es-MX/memory/": () => [] });

it("what was heard stands beside what is written, with the words that differ, until somebody says it is right", async () => {
  const asked = served();
  panel(DOUBT);
  const section = screen.getByRole("region", { name: "Not heard right" });
  expect(section.textContent).toContain(WORDS);
  expect(section.textContent).toContain("Cuidado con el perro.");
  expect([...section.querySelectorAll("mark")].map((one) => one.textContent)).toEqual(["tercer", "escalón"]);
  fireEvent.click(screen.getByRole("button", { name: "It is right as it sounds" }));
  await waitFor(() => expect(lookAgain).toHaveBeenCalled());
  expect(asked.find((one) => one.method === "PUT")?.body).toEqual({ right: true });
});

it("who only reads sees it and changes nothing; a line that was heard right says nothing", () => {
  served();
  panel(DOUBT, true);
  expect(screen.getByText("Cuidado con el perro.")).toBeTruthy();
  expect(screen.queryByRole("button", { name: "It is right as it sounds" })).toBeNull();
  expect(reason(LINE, undefined, DOUBT)).toBe("misheard");
  expect(reason(LINE, undefined, { ...DOUBT, heard: null })).toBeNull();
});
