import { Fault, type Schemas } from "../shared/api/client";

export type OpenedLink = Schemas["OpenedLink"];
export type ReviewedEdition = Schemas["ReviewedEdition"];
export type ReviewedLine = Schemas["ReviewedLine"];
export type ReviewersRemark = Schemas["ReviewersRemark"];
export type Kind = ReviewersRemark["kind"];
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
    sound: (language: string, recipe: string) => `${root}editions/${encodeURIComponent(language)}/mix.wav?of=${recipe}`,
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
