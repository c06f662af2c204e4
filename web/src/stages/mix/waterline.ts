import type { Cue, Layer } from "./soundWorld";

/** dB at which a band is as thin as it gets, and as thick. */
const THIN = -50;
const THICK = 0;
/** Seconds between two points of a drawn band. */
const STEP = 0.25;

export type Curve = readonly (readonly number[])[];

/** How much of its lane a band fills that is so loud, against voices. */
export const thickness = (db: number) => Math.min(1, Math.max(0.03, (db - THIN) / (THICK - THIN)));

/** A curve of [seconds, dB] at a moment. */
export function at(curve: Curve, seconds: number): number {
  if (!curve.length) return 0;
  const next = curve.findIndex(([time = 0]) => time >= seconds);
  if (next < 0) return curve[curve.length - 1]?.[1] ?? 0;
  if (next === 0) return curve[0]?.[1] ?? 0;
  const [before = 0, from = 0] = curve[next - 1] ?? [];
  const [after = 0, to = 0] = curve[next] ?? [];
  return after === before ? to : from + ((to - from) * (seconds - before)) / (after - before);
}

/** How loud a cue is at so many seconds of it, dB against voices, ducking and all. */
export function cueLevel(cue: Cue, layer: Layer, curve: Curve, laid: { start: number; seconds: number }, into: number): number {
  const fade = Math.min(1, cue.fade_in ? into / cue.fade_in : 1, cue.fade_out ? (laid.seconds - into) / cue.fade_out : 1);
  const faded = fade <= 0 ? -60 : 20 * Math.log10(cue.curve === "straight" ? fade : Math.sin((fade * Math.PI) / 2));
  return layer.level_db + (cue.gain_db ?? 0) + at(cue.points ?? [], into) + at(curve, laid.start + into) + faded;
}

/** The outline of a cue's band: across in pixels, down from the top of its lane. */
export function band(cue: Cue, layer: Layer, curve: Curve, laid: { start: number; seconds: number }, pixels: number, height: number): string {
  const moments = new Set<number>([0, laid.seconds]);
  for (let into = STEP; into < laid.seconds; into += Math.max(STEP, 2 / pixels)) moments.add(into);
  for (const edge of [cue.fade_in ?? 0, laid.seconds - (cue.fade_out ?? 0)]) if (edge > 0 && edge < laid.seconds) moments.add(edge);
  for (const [time = 0] of curve) if (time > laid.start && time < laid.start + laid.seconds) moments.add(time - laid.start);
  const points = [...moments].sort((a, b) => a - b).map((into) => `${((laid.start + into) * pixels).toFixed(1)},${(height * thickness(cueLevel(cue, layer, curve, laid, into))).toFixed(1)}`);
  return `M${(laid.start * pixels).toFixed(1)},0L${points.join("L")}L${((laid.start + laid.seconds) * pixels).toFixed(1)},0Z`;
}

/** A voice's wave above the waterline: peaks of fiftieths of a second, 0–255, as an outline whose foot is at `foot`. */
export function waveAbove(peaks: Uint8Array, start: number, seconds: number, pixels: number, foot: number, height: number): string {
  const width = seconds * pixels;
  const columns = Math.max(1, Math.round(width / 2));
  const loudest = peaks.reduce((most, one) => Math.max(most, one), 1);
  const points: string[] = [];
  for (let column = 0; column < columns; column += 1) {
    let most = 0;
    const last = Math.max(Math.floor((column * peaks.length) / columns) + 1, Math.floor(((column + 1) * peaks.length) / columns));
    for (let index = Math.floor((column * peaks.length) / columns); index < last && index < peaks.length; index += 1) most = Math.max(most, peaks[index] ?? 0);
    points.push(`${(start * pixels + (column * width) / columns).toFixed(1)},${(foot - height * Math.max(0.04, most / loudest)).toFixed(1)}`);
  }
  return `M${(start * pixels).toFixed(1)},${foot}L${points.join("L")}L${((start + seconds) * pixels).toFixed(1)},${foot}Z`;
}

/** A moment that is dragged, drawn to the nearest of some others within a few pixels. */
export function drawnTo(seconds: number, others: readonly number[], pixels: number, reach = 6): number {
  let best = seconds;
  let least = reach / pixels;
  for (const other of others) {
    const away = Math.abs(other - seconds);
    if (away < least) [best, least] = [other, away];
  }
  return best;
}

/** Seconds between two figures on the scale. */
export const scaleStep = (pixels: number) => [1, 2, 5, 10, 15, 30, 60, 120, 300, 600].find((step) => step * pixels >= 70) ?? 900;

/** Which row of its lane each cue lies in, so that none lies over another: the first that is free when it begins. */
export function rowsOf(laid: readonly { id: string; start: number; seconds: number }[]): ReadonlyMap<string, number> {
  const free: number[] = [];
  const rows = new Map<string, number>();
  for (const one of [...laid].sort((a, b) => a.start - b.start)) {
    let row = free.findIndex((end) => end <= one.start + 1e-3);
    if (row < 0) row = free.length;
    free[row] = one.start + one.seconds;
    rows.set(one.id, row);
  }
  return rows;
}
