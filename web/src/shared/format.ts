/** m:ss.t, as times stand everywhere on the screen. */
export function clock(seconds: number): string {
  const tenths = Math.max(0, Math.round(seconds * 10));
  const minutes = Math.floor(tenths / 600);
  const rest = tenths - minutes * 600;
  return `${minutes}:${String(Math.floor(rest / 10)).padStart(2, "0")}.${rest % 10}`;
}

export function rate(value: number): string {
  return `×${value.toFixed(2)}`;
}

export function decibels(value: number): string {
  return `${value > 0 ? "+" : value < 0 ? "−" : ""}${Math.abs(value).toFixed(1)}`;
}

/** Up to two letters that stand for a name, of any script. */
export function initials(name: string): string {
  const words = name.trim().split(/\s+/).filter(Boolean);
  const segments = (word: string) => Array.from(word);
  const first = segments(words[0] ?? "?");
  const second = words.length > 1 ? segments(words[words.length - 1] ?? "")[0] : first[1];
  return ((first[0] ?? "?") + (second ?? "")).toLocaleUpperCase();
}

/** A language's name for the reader of the interface, from its BCP 47 tag. */
export function languageName(tag: string, reader: string): string {
  try {
    return new Intl.DisplayNames([reader], { type: "language" }).of(tag) ?? tag;
  } catch {
    return tag;
  }
}

/** A stretch of time as people say it: "40 s", "23 min", "1 h 20 min". */
export function span(seconds: number, words: { h: string; min: string; s: string }): string {
  if (seconds < 90) return `${Math.max(1, Math.ceil(seconds))} ${words.s}`;
  const minutes = Math.ceil(seconds / 60);
  if (minutes < 60) return `${minutes} ${words.min}`;
  const rest = minutes % 60;
  return `${Math.floor(minutes / 60)} ${words.h}${rest ? ` ${rest} ${words.min}` : ""}`;
}

/**
 * What was typed as a time, in seconds: "1:02.5", "62.5", "1:00:02", or with frames of the picture's rate, "00:01:02:12"
 * (a semicolon before the frames: drop frame); null where it is empty, undefined where it is none.
 */
export function seconds(typed: string, fps = 25): number | null | undefined {
  const text = typed.trim().replace(",", ".");
  if (!text) return null;
  const frames = /^(\d{1,2}):(\d{2}):(\d{2})([:;])(\d{2,3})$/.exec(text);
  if (frames) return ofFrames(frames.slice(1).map(Number), frames[4] === ";", fps);
  if (!/^(?:\d+:){0,2}\d+(?:\.\d+)?$/.test(text)) return undefined;
  return text.split(":").reduce((sum, piece) => sum * 60 + Number(piece), 0);
}

/** SMPTE ST 12-1: frames are numbered by the whole rate; with drop frame two numbers a minute are left out, but each tenth. */
function ofFrames([hours = 0, minutes = 0, secs = 0, , frame = 0]: number[], drop: boolean, fps: number): number | undefined {
  const whole = Math.round(fps);
  if (minutes > 59 || secs > 59 || frame >= whole) return undefined;
  let number = ((hours * 60 + minutes) * 60 + secs) * whole + frame;
  if (drop) {
    const dropped = Math.round(whole / 15);
    const all = hours * 60 + minutes;
    number -= dropped * (all - Math.floor(all / 10));
  }
  return number / (Math.abs(fps - whole) < 0.001 && !drop ? whole : drop ? (whole * 1000) / 1001 : fps);
}
