import type { Schemas } from "../../shared/api/client";

export type Gauge = Schemas["Gauge"];

/** How much of speaking there is in a text: its letters, and a little for every mark that makes a pause. */
export function weight(text: string): number {
  let sum = 0;
  for (const ch of text) sum += /[.,;:!?…—–،؟。、！？]/.test(ch) ? 2.5 : /\p{L}|\p{N}/u.test(ch) ? 1 : 0.15;
  return sum;
}

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
