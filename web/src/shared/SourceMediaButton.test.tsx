import { fireEvent, screen, waitFor } from "@testing-library/react";
import { expect, it } from "vitest";

import { refused, serve, show } from "../testing";
import { SourceMediaButton } from "./SourceMediaButton";

const media = (id: number, name: string, more: object = {}) => ({ id, purpose: "source", played: false, state: "ready", share: 1, fault: "", name, size: 10, seconds: 30, has_sound: true, has_picture: false, fps: null, ...more });
const LIST = "GET /api/productions/5/media/";

const open = async () => {
  const button = await screen.findByRole("button", { name: /^Source recordings/ });
  fireEvent.keyDown(button, { key: "Enter" });
  await screen.findByRole("menu");
};

it("with none, one can be brought in, and is said while it is sent", async () => {
  let done: (value: unknown) => void = () => undefined;
  const asked = serve({ [LIST]: () => [], "POST /api/productions/5/media/": () => new Promise((resolve) => (done = resolve)) });
  show(<SourceMediaButton production={5} readOnly={false} />);
  expect(await screen.findByRole("button", { name: "Source recording…" })).toBeTruthy();
  fireEvent.change(screen.getByLabelText("Bring in the source recording or video"), { target: { files: [new File(["x"], "quay.wav")] } });
  expect(await screen.findByText("Sending…")).toBeTruthy();
  await waitFor(() => expect(asked.some((one) => one.method === "POST" && one.body instanceof FormData)).toBe(true));
  done(media(1, "quay.wav"));
});

it("another one is played with one press", async () => {
  const asked = serve({ [LIST]: () => [media(1, "first.wav", { played: true }), media(2, "second.wav")], "PATCH /api/productions/5/media/2/": () => media(2, "second.wav", { played: true }) });
  show(<SourceMediaButton production={5} readOnly={false} />);
  await open();
  expect(screen.getByRole("menuitemradio", { name: /first/ }).getAttribute("aria-checked")).toBe("true");
  fireEvent.click(screen.getByRole("menuitemradio", { name: /second/ }));
  await waitFor(() => expect(asked.filter((one) => one.method === "PATCH").map((one) => one.body)).toEqual([{ played: true }]));
});

it("who only reads sees which there are, and changes nothing", async () => {
  serve({ [LIST]: () => [media(1, "first.wav", { played: true }), media(2, "second.wav")] });
  show(<SourceMediaButton production={5} readOnly />);
  await open();
  expect(screen.queryByRole("menuitem")).toBeNull();
  expect(screen.getByRole("menuitemradio", { name: /second/ }).getAttribute("aria-disabled")).toBe("true");
});

it("what went wrong with one is said, and tried once more", async () => {
  const asked = serve({
    [LIST]: () => [media(1, "torn.flac", { played: true, state: "failed", fault: "The recording cannot be read: torn." })],
    "POST /api/productions/5/media/1/copies/": () => refused(503, "away", "The queue is away."),
  });
  show(<SourceMediaButton production={5} readOnly={false} />);
  expect(await screen.findByText("The recording cannot be read: torn.")).toBeTruthy();
  await open();
  fireEvent.click(screen.getByRole("menuitem", { name: "Get torn.flac ready" }));
  await waitFor(() => expect(asked.some((one) => one.path.endsWith("/copies/"))).toBe(true));
});

it("one that is got ready says so until it is", async () => {
  let looks = 0;
  serve({ [LIST]: () => [media(1, "long.mov", { played: true, state: ++looks < 2 ? "making" : "ready" })] });
  show(<SourceMediaButton production={5} readOnly={false} />);
  expect(await screen.findByText("long.mov: getting ready…")).toBeTruthy();
  expect(await screen.findByText("long.mov", {}, { timeout: 3_000 })).toBeTruthy();
});
