import type { Schemas } from "../../shared/api/client";

export type Gauge = Schemas["Gauge"];

/**
 * How much of speaking there is in a text, in letters. A pause counts when something follows it: the full stop that is
 * typed last adds little, the first letter of the next sentence a good deal. The figures are what foretold the lengths
 * of both engines best, over the demo's lines cut off at every letter.
 */
export function weight(text: string): number {
  const said = text.trim().replace(/[^\p{L}\p{N}]+$/u, "");
  if (!said) return 0;
  const count = (pattern: RegExp) => said.match(pattern)?.length ?? 0;
  const closed = /[.!?…。！？؟]/.test(text.trim().slice(said.length)) ? 1 : 0;
  return count(/[\p{L}\p{N}]/gu) + count(/\s+/g) + 6 * count(/[.!?…。！？؟]+(?![\p{L}\p{N}])/gu) + 2 * count(/[,;:—–،؛、]/g) + closed + BEGIN;
}
/** Of any utterance: it is begun and let die away. */
const BEGIN = 5;

/**
 * What the gauge will say of `text`, from what it said of another text just before: lengths go with the letters.
 * Shown until the exact answer is there.
 */
export function estimated(last: { text: string; gauge: Gauge }, text: string, limits: { comfortable: number; hard: number }): Gauge {
  const before = weight(last.text);
  const now = weight(text);
  const { gauge } = last;
  const natural = before > 0 ? (gauge.natural * now) / before : 0;
  return standing({ ...gauge, natural, syllables: before > 0 ? Math.round((gauge.syllables * now) / before) : 0 }, limits);
}

function standing(gauge: Gauge, { comfortable, hard }: { comfortable: number; hard: number }): Gauge {
  const { natural, slot, room, syllables } = gauge;
  if (slot === null || room === null || natural === 0) return { ...gauge, over: 0, rate: 1, standing: "fits", trim: 0 };
  const rate = Math.max(1, natural / Math.max(room, 0.05));
  const over = natural / hard - room;
  const how = over > 0.005 ? "over" : rate > comfortable + 0.002 ? "fast" : natural < 0.75 * slot ? "spare" : "fits";
  const trim = how === "over" || how === "fast" ? Math.max(1, Math.ceil((1 - (comfortable * room) / natural) * syllables - 0.25)) : 0;
  return { ...gauge, rate, over, standing: how, trim: Math.min(trim, Math.max(0, syllables - 1)) };
}

/** The bar, in shares of its width: where the slot ends, and how far the words go within it, beyond it, and too far. */
export function bar(gauge: Pick<Gauge, "natural" | "slot" | "room" | "standing">): { slot: number; within: number; beyond: number } {
  const slot = gauge.slot ?? gauge.natural;
  const whole = Math.max(slot * 1.35, gauge.natural, 0.1);
  return { slot: slot / whole, within: Math.min(gauge.natural, slot) / whole, beyond: Math.max(0, gauge.natural - slot) / whole };
}
