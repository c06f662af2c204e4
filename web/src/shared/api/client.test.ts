import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { api, data, editionPath, Fault, send, written } from "./client";

let asked: Request[] = [];
const answering = (answer: () => Response | Promise<Response>) =>
  vi.stubGlobal("fetch", async (to: RequestInfo | URL, given?: RequestInit) => {
    asked.push(new Request(new URL(to instanceof Request ? to.url : to, "http://localhost"), to instanceof Request ? to : given));
    return answer();
  });
const json = (status: number, body: unknown) => new Response(JSON.stringify(body), { status, headers: { "Content-Type": "application/json" } });
const fault = async (call: Promise<unknown>) => {
  const found: unknown = await call.then(() => null, (error: unknown) => error);
  expect(found).toBeInstanceOf(Fault);
  return found as Fault;
};

// The client keeps the fetch that it was made with.
const HERE = { baseUrl: "http://localhost", fetch: (request: Request) => globalThis.fetch(request) };

beforeEach(() => {
  asked = [];
  document.cookie = "csrftoken=a%20token";
});
afterEach(() => vi.unstubAllGlobals());

describe("a call of the server", () => {
  it("gives the data, and says who asks only where something is changed", async () => {
    answering(() => json(200, [{ name: "The Tidewater Clock" }]));
    expect(await data(api.GET("/api/productions/", HERE))).toEqual([{ name: "The Tidewater Clock" }]);
    expect(asked[0]?.headers.get("X-CSRFToken")).toBeNull();
    await api.POST("/api/session/demo/", HERE);
    expect(asked[1]?.headers.get("X-CSRFToken")).toBe("a token");
  });
  it("throws what the server says, with what stands there now", async () => {
    answering(() => json(409, { code: "conflict", message: "Somebody was first.", current: { text: "Ebb." } }));
    const found = await fault(api.GET("/api/productions/", HERE));
    expect(found).toMatchObject({ code: "conflict", message: "Somebody was first.", status: 409, current: { text: "Ebb." } });
  });
  it("knows a server that is away from one that cannot be reached", async () => {
    answering(() => new Response("<html>bad gateway</html>", { status: 502 }));
    expect(await fault(api.GET("/api/productions/", HERE))).toMatchObject({ code: "away", status: 502 });
    answering(() => Promise.reject(new TypeError("no network")));
    expect(await fault(api.GET("/api/productions/", HERE))).toMatchObject({ code: "unreachable", status: 0 });
  });
});

describe("what takes back", () => {
  const BASE = { baseUrl: "http://localhost" };
  it("waits for what is on its way to be written, and for what sets off behind it", async () => {
    const answers: (() => void)[] = [];
    answering(() => new Promise((answered) => answers.push(() => answered(json(200, {})))));
    const first = api.POST("/api/session/demo/", BASE);
    const second = first.then(() => api.POST("/api/session/demo/", BASE));
    await vi.waitFor(() => expect(answers).toHaveLength(1));
    let over = false;
    const waiting = written().then((waited) => (over = waited));
    answers[0]?.();
    await vi.waitFor(() => expect(answers).toHaveLength(2));
    expect(over).toBe(false);
    answers[1]?.();
    await second;
    await waiting;
    expect(over).toBe(true);
  });
  it("does not wait for what is only read, nor for ever", async () => {
    answering(() => new Promise(() => undefined));
    void api.GET("/api/productions/", BASE);
    expect(await written()).toBe(false);
    vi.useFakeTimers();
    void api.POST("/api/session/demo/", BASE);
    await vi.waitFor(() => expect(asked).toHaveLength(2));
    const waiting = written();
    await vi.advanceTimersByTimeAsync(6_000);
    expect(await waiting).toBe(true);
    vi.useRealTimers();
  });
});

describe("a file that is sent", () => {
  it("goes with the token, and comes back as data or as a fault", async () => {
    const form = new FormData();
    form.set("file", new Blob(["1\n"]), "cues.srt");
    answering(() => json(201, { draft: "d1" }));
    expect(await send("/api/imports/", form)).toEqual({ draft: "d1" });
    expect(asked[0]).toMatchObject({ method: "POST" });
    expect(asked[0]?.headers.get("X-CSRFToken")).toBe("a token");
    answering(() => json(400, { code: "bad_input", message: "Line 3 has no time." }));
    expect(await fault(send("/api/imports/", form))).toMatchObject({ code: "bad_input", message: "Line 3 has no time." });
    answering(() => Promise.reject(new TypeError("no network")));
    expect(await fault(send("/api/imports/", form))).toMatchObject({ code: "unreachable" });
  });
});

it("an edition's path is safe with any tag", () => {
  expect(editionPath(3, "x/../y")).toBe("/api/productions/3/editions/x%2F..%2Fy");
});

describe("the key of an attempt", () => {
  let given: Headers[] = [];
  beforeEach(() => { given = []; });
  const keys = () => given.map((one) => one.get("Idempotency-Key"));
  const answers = (answer: () => Response | Promise<Response>) =>
    vi.stubGlobal("fetch", async (to: RequestInfo | URL, more?: RequestInit) => {
      given.push(to instanceof Request ? to.headers : new Headers(more?.headers));
      return answer();
    });
  const undo = () => api.POST("/api/productions/{production_id}/undo/", { ...HERE, params: { path: { production_id: 7 }, query: { after: 3 } }, body: { with_others: false } });

  it("is another for what is asked twice before the first answer came: it is wanted twice", async () => {
    answers(() => new Promise((answer) => setTimeout(() => answer(json(200, {})), 20)));
    await Promise.all([undo(), undo()]);
    expect(keys()[0]).toBeTruthy();
    expect(new Set(keys()).size).toBe(2);
  });

  it("is the same where the first answer was lost, and only then", async () => {
    let there = false;
    answers(() => { if (!there) throw new TypeError("lost"); return json(200, {}); });
    await fault(data(undo()));
    there = true;
    await undo();
    await undo();
    expect(keys()[1]).toBe(keys()[0]);
    expect(keys()[2]).not.toBe(keys()[0]);
  });

  it("of a file too", async () => {
    const form = new FormData();
    form.append("file", new File(["x"], "a.txt", { lastModified: 1 }));
    let there = false;
    answers(() => { if (!there) throw new TypeError("lost"); return json(200, {}); });
    await fault(send("/api/imports/", form));
    there = true;
    await Promise.all([send("/api/imports/", form), send("/api/imports/", form)]);
    expect(keys()[1]).toBe(keys()[0]);
    expect(keys()[2]).not.toBe(keys()[0]);
  });
});
