import createClient, { type Middleware } from "openapi-fetch";

import { Fault } from "./fault";
import type { components, paths } from "./schema.generated";

export type Schemas = components["schemas"];
export { Fault };
export type Production = Schemas["Production"];
export type Edition = Schemas["Edition"];
export type EditionLines = Schemas["EditionLines"];
export type Line = Schemas["Line"];
export type Speaker = Schemas["Speaker"];
export type Part = Schemas["Part"];
export type ScriptLine = Schemas["ScriptLine"];
/** The script whole, or what has changed in it. */
export type ScriptPart = Schemas["Script"];
export type Finding = Schemas["Finding"];
export type RecordedAction = Schemas["Record"];
export type Voice = Schemas["Voice"];
export type Casting = Schemas["Casting"];
export type VoiceSettings = Schemas["Settings"];
export type Measure = Schemas["Measure"];
export type Contrast = Schemas["Contrast"];
export type Match = Schemas["Match"];
export type Mix = Schemas["Mix"];
export type Job = Schemas["Job"];
export type Delivery = Schemas["Delivery"];
export type Preview = Schemas["Preview"];
export type Language = Schemas["Language"];

function cookie(name: string): string {
  const found = document.cookie.split("; ").find((pair) => pair.startsWith(`${name}=`));
  return found ? decodeURIComponent(found.slice(name.length + 1)) : "";
}

async function toFault(response: Response): Promise<Fault> {
  try {
    const body = (await response.clone().json()) as { code?: string; message?: string; current?: unknown };
    return new Fault(body.code ?? "error", body.message ?? response.statusText, response.status, body.current);
  } catch {
    return new Fault("away", "", response.status);
  }
}

/** By what was asked: the key of an attempt whose answer was lost. */
const lost = new Map<string, string>();

/**
 * One key for each attempt to have something made: sent again after a lost answer, the same has the same. What is asked
 * twice, without waiting for the first answer, is wanted twice.
 */
function attempt(what: string): string {
  const key = lost.get(what) ?? crypto.randomUUID();
  lost.delete(what);
  return key;
}

const asked = new WeakMap<Request, { what: string; key: string }>();

const faults: Middleware = {
  async onRequest({ request }) {
    if (request.method !== "GET") request.headers.set("X-CSRFToken", cookie("csrftoken"));
    if (request.method === "POST") {
      const what = `${request.url} ${await request.clone().text()}`;
      const key = attempt(what);
      request.headers.set("Idempotency-Key", key);
      asked.set(request, { what, key });
    }
    return request;
  },
  async onResponse({ response }) {
    if (!response.ok) throw await toFault(response);
    return response;
  },
  onError({ request }) {
    // fetch itself failed: the server cannot be reached, or what it said was lost.
    const sent_ = asked.get(request);
    if (sent_) lost.set(sent_.what, sent_.key);
    return new Fault("unreachable", "", 0);
  },
};

/** What is on its way to be written. */
const writes = new Set<Promise<unknown>>();
const LONGEST_WAIT = 5_000;

/**
 * When everything that was said so far has been written, or after five seconds: what takes back must not overtake it.
 * Whether anything was waited for.
 */
export async function written(): Promise<boolean> {
  const late = Date.now() + LONGEST_WAIT;
  let waited = false;
  while (writes.size && Date.now() < late) {
    waited = true;
    await Promise.race([Promise.allSettled(writes), new Promise((over) => setTimeout(over, late - Date.now()))]);
    // One that waited its turn behind another sets off now.
    await new Promise((over) => setTimeout(over, 0));
  }
  return waited;
}

function sent(request: Request): Promise<Response> {
  const answer = fetch(request);
  if (request.method !== "GET") {
    writes.add(answer);
    const over = () => writes.delete(answer);
    answer.then(over, over);
  }
  return answer;
}

export const api = createClient<paths>({ baseUrl: location.origin, fetch: sent });
api.use(faults);

/** The data of a call, where the client has already thrown for everything that is no success. */
export async function data<T>(call: Promise<{ data?: T }>): Promise<T> {
  const result = await call;
  return result.data as T;
}

/** Multipart calls, which the typed client does not serialise. Throws Fault. */
export async function send<T>(path: string, form: FormData): Promise<T> {
  const what = `${path} ${[...form].map(([name, value]) => `${name}=${value instanceof File ? `${value.name} ${value.size} ${value.lastModified}` : value}`).join("&")}`;
  const key = attempt(what);
  let response: Response;
  try {
    response = await fetch(path, { method: "POST", body: form, headers: { "X-CSRFToken": cookie("csrftoken"), "Idempotency-Key": key } });
  } catch {
    lost.set(what, key);
    throw new Fault("unreachable", "", 0);
  }
  if (!response.ok) throw await toFault(response);
  return (await response.json()) as T;
}

export function editionPath(production: number, language: string): string {
  return `/api/productions/${production}/editions/${encodeURIComponent(language)}`;
}
