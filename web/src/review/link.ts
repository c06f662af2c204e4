import type { Schemas } from "../shared/api/client";
import { Fault } from "../shared/api/fault";
import type { Say } from "./words";

export type OpenedLink = Schemas["OpenedLink"];
export type ReviewedEdition = Schemas["ReviewedEdition"];
export type ReviewedLine = Schemas["ReviewedLine"];
export type ReviewersRemark = Schemas["ReviewersRemark"];
export type Kind = ReviewersRemark["kind"];
/** What can be said of a line. */
export const KINDS: readonly Kind[] = ["fine", "words", "delivery", "name", "timing", "sound"];

/** The addresses of one link, which is all that its page ever asks for. */
export const linkAt = (token: string) => {
  const root = `/api/review/${encodeURIComponent(token)}/`;
  return {
    about: root,
    remarks: `${root}remarks/`,
    remark: (id: number) => `${root}remarks/${id}/`,
    edition: (language: string) => `${root}editions/${encodeURIComponent(language)}/`,
    approval: (language: string) => `${root}editions/${encodeURIComponent(language)}/approval/`,
    sound: (language: string, recipe: string, file: string) => `${root}editions/${encodeURIComponent(language)}/${file}?of=${recipe}`,
    /** One line alone: "" where it is not to be had apart from the whole. */
    line: (language: string, recipe: string, line: number, file: string) => (file === "heard.m4a" ? `${root}editions/${encodeURIComponent(language)}/lines/${line}.aac?of=${recipe}` : ""),
    captions: (language: string, recipe: string) => `${root}editions/${encodeURIComponent(language)}/captions.vtt?of=${recipe}`,
    track: (language: string) => `${root}editions/${encodeURIComponent(language)}/track.mp3`,
    source: (file: "picture.mp4" | "sound.flac") => `${root}source/${file}`,
  };
};

/** Ask the server. Throws a Fault with what it says, or with nothing said where it is not there. */
export async function ask<T>(address: string, method = "GET", body?: FormData | object, attempt?: string): Promise<T> {
  let answer: Response;
  const headers = { ...(attempt ? { "Idempotency-Key": attempt } : {}), ...(body === undefined || body instanceof FormData ? {} : { "Content-Type": "application/json" }) };
  try {
    answer = await fetch(address, { method, headers, ...(body === undefined ? {} : { body: body instanceof FormData ? body : JSON.stringify(body) }) });
  } catch {
    throw new Fault("away", "", 0);
  }
  if (!answer.ok) {
    const told = (await answer.json().catch(() => ({}))) as { code?: string; message?: string };
    throw new Fault(told.code ?? "error", told.message ?? "", answer.status);
  }
  return (answer.status === 204 ? undefined : await answer.json()) as T;
}

/** What a reviewer is told of a refusal, in the language of the page: what the server says is for whoever works there. */
export function whyNot(error: unknown, say: Say, line = false): string {
  const { status } = error as Fault;
  return !status || status >= 500 ? say("unreachable") : status === 429 ? say("slow") : status === 404 ? say("gone") : line ? say("lineGone") : say("refused");
}

/** The source's time that is seen at a time of an edition whose picture stands still here and there. */
export function pictureAt(holds: readonly (readonly number[])[], seconds: number): number {
  let left = seconds;
  for (const [at = 0, lasts = 0] of holds) {
    if (left <= at) return left;
    if (left <= at + lasts) return at;
    left -= lasts;
  }
  return left;
}
