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

/** What was typed as a time, in seconds: "1:02.5", "62.5", "1:00:02"; null where it is empty, undefined where it is none. */
export function seconds(typed: string): number | null | undefined {
  const text = typed.trim().replace(",", ".");
  if (!text) return null;
  if (!/^(?:\d+:){0,2}\d+(?:\.\d+)?$/.test(text)) return undefined;
  return text.split(":").reduce((sum, piece) => sum * 60 + Number(piece), 0);
}
