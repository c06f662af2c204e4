import type { Schemas } from "../../shared/api/client";

export type MarkKind = "rude" | "misspelt" | "unknown" | "forbidden" | "term" | "missing";

export interface Piece {
  text: string;
  kind: MarkKind | null;
  /** Said when it is pointed at. */
  note?: string;
}

interface Span {
  at: number;
  length: number;
  kind: MarkKind;
  note?: string;
}

/** A text in pieces, with the marked ones told apart. Where marks overlap the first of `spans` counts. */
export function pieces(text: string, spans: readonly Span[]): Piece[] {
  const found: Piece[] = [];
  let upto = 0;
  const order = spans
    .map((span, rank) => ({ ...span, rank }))
    .filter((span) => span.length > 0 && span.at >= 0 && span.at + span.length <= text.length)
    .sort((a, b) => a.at - b.at || a.rank - b.rank);
  for (const span of order) {
    if (span.at < upto) continue;
    if (span.at > upto) found.push({ text: text.slice(upto, span.at), kind: null });
    found.push({ text: text.slice(span.at, span.at + span.length), kind: span.kind, ...(span.note ? { note: span.note } : {}) });
    upto = span.at + span.length;
  }
  if (upto < text.length) found.push({ text: text.slice(upto), kind: null });
  return found;
}

export function wordingSpans(doubt: Schemas["Doubt"] | undefined): Span[] {
  if (!doubt) return [];
  const of = (list: readonly number[][], kind: MarkKind) => list.map(([at = 0, length = 0]) => ({ at, length, kind }));
  return [
    ...of(doubt.rude, "rude"),
    ...doubt.terms.filter((use) => use.forbidden).map((use) => ({ at: use.at, length: use.length, kind: "forbidden" as const, note: use.note })),
    ...of(doubt.unknown, "unknown"),
    ...of(doubt.misspelt, "misspelt"),
  ];
}

export function sourceSpans(doubt: Schemas["Doubt"] | undefined): Span[] {
  return (doubt?.terms ?? [])
    .filter((use) => !use.forbidden)
    .map((use) => ({ at: use.at, length: use.length, kind: use.kept ? ("term" as const) : ("missing" as const), note: `→ ${use.text}${use.note ? ` (${use.note})` : ""}` }));
}

export const MARK_LOOK: Record<MarkKind, string> = {
  rude: "underline decoration-wavy decoration-alarm decoration-2 underline-offset-3",
  forbidden: "line-through decoration-alarm decoration-2",
  unknown: "underline decoration-dashed decoration-lamp decoration-2 underline-offset-3",
  misspelt: "underline decoration-wavy decoration-lamp decoration-2 underline-offset-3",
  term: "underline decoration-dotted decoration-tide underline-offset-3",
  missing: "underline decoration-double decoration-alarm underline-offset-3",
};
