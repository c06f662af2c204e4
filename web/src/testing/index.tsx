import { QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render } from "@testing-library/react";
import { Tooltip } from "radix-ui";
import type { ReactNode } from "react";
import { MemoryRouter } from "react-router";
import { afterEach, vi } from "vitest";

import type { EditionLines, Line, Production } from "../shared/api/client";
import { queryClient } from "../shared/api/queries";
import { Notices, useNotices } from "../shared/notices";
import "../shared/words";

/** What the server was asked: method, path and body. */
export interface Asked {
  method: string;
  path: string;
  body: unknown;
  headers?: Record<string, string>;
}

type Answer = (asked: Asked) => unknown;

/** What the server answers for what is refused. */
export const refused = (status: number, code: string, message: string) => Response.json({ code, message }, { status });

/**
 * A server that answers by "METHOD /path", whatever is asked behind the question mark; what it was asked. Anything else
 * is a fault of the test.
 */
export function serve(routes: Record<string, Answer>): Asked[] {
  const asked: Asked[] = [];
  vi.stubGlobal("fetch", async (given: Request | string, init?: RequestInit) => {
    const request = given instanceof Request ? given : new Request(new URL(given, "http://localhost"), init);
    const path = new URL(request.url).pathname;
    const text = init?.body instanceof FormData ? "" : await request.text();
    const one: Asked = { headers: Object.fromEntries(request.headers), method: request.method, path, body: init?.body instanceof FormData ? init.body : text ? (JSON.parse(text) as unknown) : undefined };
    asked.push(one);
    const route = routes[`${request.method} ${path}`];
    if (!route) throw new Error(`nobody answers ${request.method} ${path}`);
    const answer = await route(one);
    return answer instanceof Response ? answer : answer === undefined ? new Response(null, { status: 204 }) : Response.json(answer);
  });
  return asked;
}

export function show(what: ReactNode, at = "/") {
  return render(
    <QueryClientProvider client={queryClient}>
      <MemoryRouter initialEntries={[at]}>
        <Tooltip.Provider>
          {what}
          <Notices />
        </Tooltip.Provider>
      </MemoryRouter>
    </QueryClientProvider>,
  );
}

// What Radix asks of a browser and jsdom has not.
Object.assign(window.HTMLElement.prototype, { scrollIntoView: () => undefined, hasPointerCapture: () => false, setPointerCapture: () => undefined, releasePointerCapture: () => undefined });
vi.stubGlobal("ResizeObserver", class { observe() {} unobserve() {} disconnect() {} });

afterEach(() => {
  cleanup();
  queryClient.clear();
  useNotices.setState({ shown: [] });
});

export const PRODUCTION = {
  id: 5, name: "The Night Ferry", role: "owner", source_language: "en-GB", target_lufs: -16, fps: 25, timed: true, commercial: false, stamp: 3, archived: false,
  speakers: [{ id: 1, name: "Pilot", lines: 2, note: "", position: 0 }, { id: 2, name: "Cook", lines: 1, note: "", position: 1 }],
  parts: [{ id: 7, name: "Quay", may_grow: false, slot: null }],
  editions: [
    { language: "en-GB", name: "English", own_name: "English", direction: "ltr", is_source: true, counts: { lines: 3, current: 3, empty: 0 } },
    { language: "es-MX", name: "Spanish (Mexico)", own_name: "Español (México)", direction: "ltr", is_source: false, counts: { lines: 3, current: 3, empty: 0 } },
  ],
} as unknown as Production;

export const line = (id: number, words: string, more: object = {}) =>
  ({ id, number: id, speaker: 1, part: 7, kind: "spoken", words, state: "current", wording_state: "edited", revision: 1, slot: [id, id + 0.9], start: id, seconds: 0.8, natural: 0.8, rate: 1, over: 0, flags: [], cures: [], marks: [], quality: "finish", own: null, directed: null, notes: "", ...more }) as unknown as Line;

const TIMING = { comfortable_slow: 0.92, comfortable_fast: 1.15, hard_slow: 0.8, hard_fast: 1.35, early: 0.25, late: 0.4, tight_early: 0.08, tight_late: 0.08, run_on: 1.5, pace: 1, untimed_rate: 1, breath: 0.08, speakers: {} };

export const edition = (language: string, lines: Line[], more: object = {}) =>
  ({ edition: PRODUCTION.editions.find((one) => one.language === language), lines, seconds: 5, programme: 5, mix_recipe: "ab12", holds: [], timing: TIMING, mark: "1.0", ...more }) as unknown as EditionLines;
