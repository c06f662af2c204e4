import { fireEvent, screen, waitFor } from "@testing-library/react";
import { expect, it } from "vitest";

import { PRODUCTION, refused, serve, show } from "../../testing";
import type { Casting } from "../../shared/api/client";
import { KeepVoice } from "./KeepVoice";

const POST = "POST /api/productions/5/editions/es-MX/castings/1/kept/";
const casting = (version: number) => ({ speaker: 1, language: "es-MX", voice: { id: version ? "kept-1" : "quetzal", name: version ? "Old Pilot" : "Quetzal", version }, settings: {} }) as unknown as Casting;
const open = (version = 0) => {
  show(<KeepVoice production={PRODUCTION} language="es-MX" casting={casting(version)} />);
  fireEvent.click(screen.getByRole("button", { name: "Keep as a voice…" }));
};

it("a voice is kept under a name, for the production or for oneself", async () => {
  const asked = serve({ [POST]: () => ({ name: "Old Pilot", version: 1 }) });
  open();
  expect((screen.getByRole("button", { name: "Keep it" }) as HTMLButtonElement).disabled).toBe(true);
  fireEvent.change(screen.getByLabelText("Name of the voice"), { target: { value: "  Old Pilot " } });
  fireEvent.click(screen.getByRole("checkbox", { name: "In all my productions" }));
  fireEvent.click(screen.getByRole("button", { name: "Keep it" }));
  expect(await screen.findByText("Old Pilot is kept, and Pilot is cast with it.")).toBeTruthy();
  expect(asked[0]?.body).toEqual({ name: "Old Pilot", mine: true });
});

it("a name that cannot be is said, and what was typed stays", async () => {
  serve({ [POST]: () => refused(400, "bad_input", "The catalogue has a voice “Quetzal”.") });
  open();
  fireEvent.change(screen.getByLabelText("Name of the voice"), { target: { value: "Quetzal" } });
  fireEvent.submit(screen.getByLabelText("Name of the voice"));
  expect(await screen.findByText("The catalogue has a voice “Quetzal”.")).toBeTruthy();
  expect((screen.getByLabelText("Name of the voice") as HTMLInputElement).value).toBe("Quetzal");
  fireEvent.keyDown(screen.getByLabelText("Name of the voice"), { key: "Escape" });
  expect(screen.getByRole("button", { name: "Keep as a voice…" })).toBeTruthy();
});

it("one that is kept goes on under its name, or is offered no more", async () => {
  const asked = serve({ "DELETE /api/voices/kept/kept-1/": () => undefined });
  open(2);
  expect((screen.getByLabelText("Name of the voice") as HTMLInputElement).value).toBe("Old Pilot");
  fireEvent.click(screen.getByRole("button", { name: "Cancel" }));
  fireEvent.click(screen.getByRole("button", { name: "Offer Old Pilot no more" }));
  await waitFor(() => expect(asked.map((one) => one.method)).toEqual(["DELETE"]));
  expect(await screen.findByText(/is offered no more/)).toBeTruthy();
});
