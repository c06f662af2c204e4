/**
 * What was typed and is not on the server yet, kept in this browser: it outlives a reload, a closed tab, a lost
 * connection. Taken away as soon as the server has it.
 */
const PREFIX = "janoglot.typed/";
/** Milliseconds. What nobody came back for in so long is let go. */
const LONGEST = 30 * 24 * 3600_000;

export interface Typed {
  text: string;
  /** The revision that it was typed over. */
  base: number;
}

export function keepTyped(name: string, typed: Typed): void {
  try {
    localStorage.setItem(PREFIX + name, JSON.stringify({ ...typed, at: Date.now() }));
  } catch {
    // Full, or forbidden: what is typed stands in the field all the same.
  }
}

export function dropTyped(name: string): void {
  try {
    localStorage.removeItem(PREFIX + name);
  } catch {
    // As above.
  }
}

export function keptTyped(name: string): Typed | null {
  try {
    const found = JSON.parse(localStorage.getItem(PREFIX + name) ?? "null") as (Typed & { at?: number }) | null;
    if (typeof found?.text !== "string" || typeof found.base !== "number") return null;
    if (Date.now() - (found.at ?? 0) > LONGEST) {
      dropTyped(name);
      return null;
    }
    return { text: found.text, base: found.base };
  } catch {
    return null;
  }
}
