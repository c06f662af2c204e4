import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { expect, it } from "vitest";

import { PRODUCTION, edition, line, refused, serve, show } from "../../testing";
import { DeliverStage } from "./DeliverStage";

const COPY = { id: null, name: "listening copy", commercial: false, items: [{ kind: "track", choices: { codec: "mp3" }, pattern: "" }, { kind: "captions", choices: { format: "vtt" }, pattern: "" }] };
const KINDS = [
  { kind: "track", of: "edition", pattern: "{language}/{production}", choices: [
    { name: "codec", usual: "wav24", allowed: ["wav24", "mp3"], low: null, high: null, none: false },
    { name: "lufs", usual: null, allowed: [], low: -40, high: -8, none: true },
    { name: "kbps", usual: 0, allowed: [], low: 0, high: 512, none: false, only: { choice: "codec", values: ["mp3"] } },
    { name: "chapters", usual: true, allowed: [true, false], low: null, high: null, none: false }] },
  { kind: "captions", of: "edition", pattern: "{language}/{production}", choices: [{ name: "format", usual: "srt", allowed: ["srt", "vtt"], low: null, high: null, none: false }] },
];
const standing = (points: object[] = [], state = "to make") => [{ language: "es-MX", points, items: [
  { number: 0, state, seconds: 4, why: "", names: ["es-MX/ferry.mp3"] }, { number: 1, state, seconds: 0, why: "", names: ["es-MX/ferry.vtt"] }] }];
const parcel = (more: object = {}) => ({ id: 3, name: "listening copy", languages: ["es-MX"], state: "ready", share: 1, fault: "", editions: [{ language: "es-MX", made: 2, all: 2 }], made_new: 1, items: 2, left: [], changed: [], package: { name: "listening copy", commercial: false, items: [] }, reason: "", by: "owner", asked: "2026-01-01T10:00:00Z", files: [{ path: "es-MX/ferry.mp3", bytes: 2_400_000, sha256: "ab", item: "track", report: { lufs: -16.02, seconds: 65.2 } }], ...more });
const P = "/api/productions/5";
const base = (points: object[] = [], parcels: object[] = []) => ({
  "GET /api/packages/": () => ({ packages: [COPY], kinds: KINDS, fields_of_names: ["production", "language"] }),
  [`POST ${P}/standing/`]: () => standing(points),
  [`GET ${P}/parcels/`]: () => parcels,
});
const words = [line(1, "La marea."), line(2, "La sopa.")];
const stage = () => show(<DeliverStage production={PRODUCTION} edition={edition("es-MX", words)} source={edition("en-GB", words)} />);

it("a package is looked at before it is made, and handed over", async () => {
  const asked = serve({ ...base(), [`POST ${P}/parcels/`]: () => parcel({ state: "making" }) });
  stage();
  expect(await screen.findByText("0 of 2 items are made; the rest takes about 4 s.")).toBeTruthy();
  expect(screen.getByText("es-MX/ferry.mp3")).toBeTruthy();
  fireEvent.click(screen.getByRole("button", { name: "Hand over 1 edition" }));
  await waitFor(() => expect(asked.find((one) => one.path === `${P}/parcels/` && one.method === "POST")?.body).toEqual({
    package: { name: "listening copy", commercial: false, items: COPY.items }, languages: ["es-MX"], reason: "" }));
});

it("what is open asks for a reason, and what is hard stops it", async () => {
  let points: object[] = [{ code: "over", lines: [2], hard: false }];
  serve({ ...base(), [`POST ${P}/standing/`]: () => standing(points) });
  stage();
  const give = await screen.findByRole("button", { name: "Hand over 1 edition" });
  expect(await screen.findByRole("button", { name: "1 line is over its slot" })).toBeTruthy();
  expect((give as HTMLButtonElement).disabled).toBe(true);
  fireEvent.change(screen.getByLabelText("Why it is handed over all the same"), { target: { value: "a look" } });
  expect((give as HTMLButtonElement).disabled).toBe(false);
  points = [{ code: "unvoiced", lines: [1, 2], hard: true }];
  fireEvent.click(screen.getByRole("checkbox", { name: "English" }));
  expect(await screen.findByText("What is named in red has to be done first.")).toBeTruthy();
  expect((give as HTMLButtonElement).disabled).toBe(true);
});

it("what was handed over is listed with what was measured, and made again where it is gone", async () => {
  const asked = serve({ ...base([], [parcel(), parcel({ id: 4, state: "gone", reason: "a look" })]), [`POST ${P}/parcels/4/`]: () => parcel({ id: 4, state: "making" }) });
  stage();
  expect(await screen.findByText("65.2 s · -16.0 LUFS · 2.4 MB")).toBeTruthy();
  expect(screen.getByRole("link", { name: "Download, 2.4 MB" }).getAttribute("href")).toBe(`${P}/parcels/3/content`);
  expect(screen.getByRole("link", { name: "es-MX/ferry.mp3" }).getAttribute("href")).toBe(`${P}/parcels/3/files/es-MX/ferry.mp3`);
  expect(screen.getByText("Handed over all the same: a look")).toBeTruthy();
  fireEvent.click(screen.getByRole("button", { name: "Make it again" }));
  await waitFor(() => expect(asked.some((one) => one.method === "POST" && one.path === `${P}/parcels/4/`)).toBe(true));
});

it("a package of one's own has its choices, and only what is otherwise is told", async () => {
  type Body = { package: { items: { pattern: string }[] } };
  const asked = serve({ ...base(), "POST /api/packages/": (one) => ({ id: 9, ...(one.body as object) }),
    // What no name can hold is put right by the server: what it says is shown.
    [`POST ${P}/standing/`]: (one) => (one.body as Body).package.items[0]?.pattern.includes("{tide}") ? refused(400, "bad_input", "There is no field {tide}.")
      : [{ language: "es-MX", points: [], items: (one.body as Body).package.items.map((item, number) => ({ number, state: "to make", seconds: 1, why: "", names: [`made of ${item.pattern}`] })) }] });
  stage();
  fireEvent.click(await screen.findByRole("button", { name: "New package" }));
  fireEvent.change(screen.getByLabelText("Name"), { target: { value: "Ours" } });
  const item = within(screen.getByRole("listitem", { name: "Item 1: track" }));
  expect(item.queryByLabelText("kbit/s (0: usual)")).toBeNull();
  fireEvent.change(item.getByLabelText("Format"), { target: { value: "mp3" } });
  expect(item.getByLabelText("kbit/s (0: usual)")).toBeTruthy();
  fireEvent.change(item.getByLabelText("Loudness, LUFS"), { target: { value: "-18" } });
  fireEvent.click(item.getByLabelText("Chapters from parts"));
  fireEvent.click(item.getByLabelText("Chapters from parts"));
  fireEvent.change(item.getByLabelText("Names of files"), { target: { value: "{language}/{speaker} {production}" } });
  expect(await item.findByText("made of {language}/{speaker} {production}")).toBeTruthy();
  fireEvent.change(item.getByLabelText("Names of files"), { target: { value: "{tide}" } });
  expect(await screen.findByText("There is no field {tide}.")).toBeTruthy();
  fireEvent.change(item.getByLabelText("Names of files"), { target: { value: "{language}/{speaker} {production}" } });
  await waitFor(() => expect(screen.queryByText("There is no field {tide}.")).toBeNull());
  fireEvent.click(screen.getByRole("button", { name: "Add an item" }));
  fireEvent.click(screen.getByRole("button", { name: "Keep" }));
  await waitFor(() => expect(asked.find((one) => one.method === "POST" && one.path === "/api/packages/")?.body).toEqual({
    name: "Ours", commercial: false, items: [
      { kind: "track", choices: { codec: "mp3", lufs: -18 }, pattern: "{language}/{speaker} {production}" }, { kind: "captions", choices: {}, pattern: "" }] }));
});

it("a report names the lines to send to somebody", async () => {
  const row = (id: number, more: object) => ({ id, number: id, speaker: "Pilot", original: "The tide.", words: "La marea.", heard: "", agrees: null, back: "", speed: 1, over: 0, worry: 0, faults: [], doubts: [], said: [], start: 1, right_by: "", ...more });
  serve({ ...base(), [`GET ${P}/editions/es-MX/quality/`]: () => ({
    language: "es-MX", figures: [{ name: "lufs", found: -16, limit: "-16 ± 0.5", kept: true }, { name: "not_heard", found: 1, limit: "0", kept: false }],
    lines: [row(1, {}), row(2, { heard: "La barrera.", agrees: 0.4, back: "The barrier.", worry: 2.4, faults: ["heard"] })], worst: [2], approved_by: ["Marisol"],
    captions: Array.from({ length: 12 }, (_, at) => ({ number: at + 1, start: at, rule: "speed", found: 21.26, limit: 17, text: `Caption ${at + 1}`, line: 2 })) }) });
  stage();
  fireEvent.click(await screen.findByRole("tab", { name: "Quality report" }));
  expect(await screen.findByText("This line deserves a look by somebody who speaks the language")).toBeTruthy();
  expect(screen.getByText("understood: 40 %")).toBeTruthy();
  expect(screen.getByText("Means: The barrier.")).toBeTruthy();
  expect(screen.getByText("Approved by Marisol.")).toBeTruthy();
  expect(screen.getAllByText("21.26 characters a second, limit 17")).toHaveLength(10);
  fireEvent.click(screen.getByRole("button", { name: /^Show 2 more|2 more/ }));
  expect(screen.getByText("Caption 12")).toBeTruthy();
  expect(screen.getByRole("button", { name: "Go to the line of caption 12, 0:11.0" })).toBeTruthy();
  expect(screen.queryByRole("button", { name: "1 Pilot" })).toBeNull();
  fireEvent.click(screen.getByLabelText("All lines"));
  expect(screen.getByRole("button", { name: "1 Pilot" })).toBeTruthy();
});

it("what is otherwise since is said with a package, and handed over alone", async () => {
  const asked = serve({ ...base([], [parcel({ changed: [{ language: "es-MX", lines: [2, 3] }] })]), [`POST ${P}/parcels/`]: () => parcel({ state: "making" }) });
  stage();
  fireEvent.click(await screen.findByRole("button", { name: "Español (México) · 2 lines" }));
  fireEvent.click(await screen.findByRole("button", { name: "Hand over what is otherwise" }));
  await waitFor(() => expect(asked.find((one) => one.path === `${P}/parcels/` && one.method === "POST")?.body).toMatchObject({ than: 3, languages: ["es-MX"], reason: "what has changed since" }));
});

it("somebody is invited, their remark is taken over, and the link withdrawn", async () => {
  const link = { id: 2, purpose: "review", name: "Marisol", languages: ["es-MX"], lines: [], interface: "es", address: "http://localhost/review/x", passphrase: false, download: false, expires: "2099-01-01T00:00:00Z", open: true, withdrawn: false, opened: null, remarks: 1, approved: ["es-MX"], changed: [{ language: "es-MX", lines: [4, 5] }] };
  const remark = { id: 8, language: "es-MX", line: 1, by: "Marisol", kind: "words", stage: "adapt", at: 1.2, text: "Stiff.", proposed: "Ya.", spoken: false, about: "La marea.", state: "open", answer: "", answered_by: null, made: "2026-01-01T00:00:00Z" };
  const asked = serve({ ...base(), [`GET ${P}/links/`]: () => [link], [`GET ${P}/remarks/`]: () => [remark], [`POST ${P}/links/`]: () => link, [`GET ${P}/editions/es-MX/quality/`]: () => ({ worst: [2, 1] }),
    [`PATCH ${P}/links/2/`]: () => refused(400, "invalid", "That cannot be."), [`POST ${P}/remarks/8/taking/`]: () => ({ ...remark, state: "taken" }) });
  stage();
  fireEvent.click(await screen.findByRole("tab", { name: "Review" }));
  fireEvent.click(await screen.findByRole("button", { name: "Take over" }));
  await waitFor(() => expect(asked.some((one) => one.path === `${P}/remarks/8/taking/`)).toBe(true));
  fireEvent.click(screen.getByRole("button", { name: "Withdraw" }));
  expect(await screen.findByText("That cannot be.")).toBeTruthy();
  expect(screen.getByText("es-MX: 2 lines are otherwise since")).toBeTruthy();
  fireEvent.click(screen.getByRole("button", { name: "Ask about them alone" }));
  await waitFor(() => expect(asked.find((one) => one.method === "POST" && one.path === `${P}/links/`)?.body).toEqual({
    name: "Marisol", purpose: "review", languages: ["es-MX"], lines: [4, 5], interface: "es", days: 14, passphrase: "", download: false, like: 2 }));
  fireEvent.click(screen.getByRole("button", { name: "Invite somebody" }));
  fireEvent.change(screen.getByLabelText("For whom"), { target: { value: "Salma " } });
  fireEvent.change(screen.getByLabelText("Language of the page"), { target: { value: "ar" } });
  fireEvent.click(screen.getByLabelText("Only the lines to look at first, by the quality report"));
  fireEvent.click(screen.getByRole("button", { name: "Make the link" }));
  await waitFor(() => expect(asked.filter((one) => one.method === "POST" && one.path === `${P}/links/`).at(-1)?.body).toEqual({
    name: "Salma", purpose: "review", languages: ["es-MX"], lines: [2, 1], interface: "ar", days: 14, passphrase: "", download: false }));
});

it("a right that is missing is noted", async () => {
  const right = { what: "picture", name: "ferry.mp4", used_in: "the whole", licence: "", origin: "brought in", commercial: null, consent: "", until: null, missing: true };
  const asked = serve({ ...base(), [`GET ${P}/editions/es-MX/rights/`]: () => [right], [`PUT ${P}/editions/es-MX/rights/`]: () => [] });
  stage();
  fireEvent.click(await screen.findByRole("tab", { name: "Rights" }));
  fireEvent.click(await screen.findByRole("button", { name: "Note the right to use ferry.mp4" }));
  fireEvent.change(screen.getByLabelText("Commercial use"), { target: { value: "yes" } });
  fireEvent.change(screen.getByLabelText("Consent on file"), { target: { value: "letter 7" } });
  fireEvent.click(screen.getByRole("button", { name: "Keep" }));
  await waitFor(() => expect(asked.find((one) => one.method === "PUT")?.body).toEqual({ what: "picture", name: "ferry.mp4", licence: "", origin: "brought in", commercial: true, consent: "letter 7", until: null }));
});
