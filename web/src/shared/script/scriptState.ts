import type { Part, ScriptLine, ScriptPart, Speaker } from "../api/client";

/** A line as it is edited here. `key` stays when a line that was made here gets its id from the server. */
export interface EditedLine extends ScriptLine {
  key: string;
}

export interface ScriptState {
  stamp: number;
  lines: EditedLine[];
  speakers: Speaker[];
  parts: Part[];
  undo: string | null;
  redo: string | null;
}

/** Whom lines belong to that name nobody. */
export const UNNAMED = "Unnamed";

export const byPlace = (one: { place: string; id: number }, other: { place: string; id: number }): number =>
  one.place < other.place ? -1 : one.place > other.place ? 1 : one.id - other.id;

/**
 * The script after an answer of the server. `keys` names, by id, the lines that were made here first: they keep their
 * key, so that the field that is being typed in stays the same one. What did not change stays the same object.
 */
export function merged(old: ScriptState | undefined, answer: ScriptPart, keys: ReadonlyMap<number, string> = new Map()): ScriptState {
  const known = new Map(old?.lines.map((line) => [line.id, line]));
  const fresh = (line: ScriptLine): EditedLine => {
    const before = known.get(line.id);
    const key = keys.get(line.id) ?? before?.key ?? String(line.id);
    if (before && before.revision > line.revision && before.words !== line.words) return { ...line, key, words: before.words, revision: before.revision };
    return before && same(before, line) && before.key === key ? before : { ...line, key };
  };
  const around = {
    stamp: answer.stamp,
    speakers: answer.speakers ?? old?.speakers ?? [],
    parts: answer.parts ?? old?.parts ?? [],
    undo: answer.speakers ? answer.undo : (old?.undo ?? null),
    redo: answer.speakers ? answer.redo : (old?.redo ?? null),
  };
  const made = new Set([...keys.values()]);
  if (answer.whole || !old) {
    // What was made here and is not known to the server yet is no older than its answer.
    const ours = old?.lines.filter((line) => line.id < 0 && !made.has(line.key)) ?? [];
    return { ...around, lines: [...answer.lines.map(fresh), ...ours].sort(byPlace) };
  }
  const changed = new Map(answer.lines.map((line) => [line.id, fresh(line)]));
  const removed = new Set(answer.removed);
  const kept = old.lines.filter((line) => !removed.has(line.id) && !(line.id < 0 && made.has(line.key)));
  const lines = kept.map((line) => changed.get(line.id) ?? line);
  const there = new Set(kept.map((line) => line.id));
  for (const line of changed.values()) if (!there.has(line.id)) lines.push(line);
  const sorted = lines.some((line, index) => index > 0 && byPlace(lines[index - 1] as EditedLine, line) > 0);
  return { ...around, lines: sorted ? lines.sort(byPlace) : lines };
}

function same(one: ScriptLine, other: ScriptLine): boolean {
  return (
    one.words === other.words && one.revision === other.revision && one.place === other.place && one.speaker === other.speaker &&
    one.part === other.part && one.notes === other.notes && one.kind === other.kind && one.in_sight === other.in_sight &&
    one.slot?.[0] === other.slot?.[0] && one.slot?.[1] === other.slot?.[1]
  );
}

/** The line cut here before the server has answered: its second half under an id of our own. */
export function cutHere(state: ScriptState, id: number, at: number, words: string, temporary: number): ScriptState {
  const index = state.lines.findIndex((line) => line.id === id);
  const line = state.lines[index];
  if (!line) return state;
  const left = words.slice(0, at).trimEnd();
  const right = words.slice(at).trimStart();
  const second: EditedLine = {
    ...line, id: temporary, key: `new${temporary}`, words: right, revision: 1, slot: null, notes: "",
    // Sorts directly behind its first half, before any place of the server's.
    place: `${line.place} `,
  };
  const lines = [...state.lines];
  lines.splice(index, 1, { ...line, words: left }, second);
  return { ...state, lines };
}

/** Where selected lines come to stand when they are moved by one: the line to come behind, null for the beginning. */
export function neighbourFor(lines: readonly { id: number }[], chosen: ReadonlySet<number>, by: 1 | -1): number | null | undefined {
  const first = lines.findIndex((line) => chosen.has(line.id));
  const last = lines.findLastIndex((line) => chosen.has(line.id));
  if (first < 0) return undefined;
  if (by === 1) {
    const next = lines.slice(last + 1).find((line) => !chosen.has(line.id));
    return next ? next.id : undefined;
  }
  if (first === 0) return undefined;
  return lines[first - 2]?.id ?? null;
}

/** Lines as text and as rows of a table, for the clipboard. */
export function asText(lines: readonly ScriptLine[], speakers: ReadonlyMap<number, Speaker>): string {
  return lines.map((line) => `${speakers.get(line.speaker)?.name ?? ""}: ${line.notes ? `(${line.notes}) ` : ""}${line.words}`).join("\n");
}

export function asTable(lines: readonly ScriptLine[], speakers: ReadonlyMap<number, Speaker>): string {
  const cell = (text: string) => text.replace(/&/g, "&amp;").replace(/</g, "&lt;").replace(/>/g, "&gt;");
  const rows = lines.map((line) => `<tr><td>${cell(speakers.get(line.speaker)?.name ?? "")}</td><td>${cell(line.words)}</td></tr>`);
  return `<table>${rows.join("")}</table>`;
}

/** Speakers whose name begins with what was typed, then those with a word that does, then those that hold it. */
export function speakersLike<T extends { name: string }>(speakers: readonly T[], typed: string): T[] {
  const wanted = typed.trim().toLocaleLowerCase();
  if (!wanted) return [...speakers];
  const rank = (name: string): number => {
    const plain = name.toLocaleLowerCase();
    if (plain.startsWith(wanted)) return 0;
    if (plain.split(/[\s'’-]+/).some((word) => word.startsWith(wanted))) return 1;
    // "tk" finds The Keeper.
    if (plain.split(/\s+/).map((word) => word[0]).join("").startsWith(wanted)) return 2;
    return plain.includes(wanted) ? 3 : 9;
  };
  return speakers
    .map((one) => ({ one, rank: rank(one.name) }))
    .filter((row) => row.rank < 9)
    .sort((a, b) => a.rank - b.rank)
    .map((row) => row.one);
}
