import { useCallback, useEffect, useMemo, useRef, useState } from "react";

export type How = "one" | "more" | "range";

/** How a click on a line's number chooses, by the keys that are held. */
export const howChosen = (event: { shiftKey: boolean; ctrlKey: boolean; metaKey: boolean }): How =>
  event.shiftKey ? "range" : event.ctrlKey || event.metaKey ? "more" : "one";

/** Ids of the lines from one to another, both with them, in the order of the lines. */
export function range(lines: readonly { id: number }[], from: number, to: number): number[] {
  const a = lines.findIndex((line) => line.id === from);
  const b = lines.findIndex((line) => line.id === to);
  if (a < 0 || b < 0) return [to];
  return lines.slice(Math.min(a, b), Math.max(a, b) + 1).map((line) => line.id);
}

/** Several lines chosen together, beside the one that the whole frame has selected, `current`: from it a choice begins. */
export function useChosen(lines: readonly { id: number }[], current: number | null, select: (line: number) => void) {
  const [ids, setIds] = useState<ReadonlySet<number>>(new Set());
  const anchor = useRef<number | null>(null);
  const latest = useRef({ lines, current, ids });
  useEffect(() => {
    latest.current = { lines, current, ids };
  });
  const choose = useCallback(
    (line: number, how: How) => {
      const now = latest.current;
      if (how === "range") {
        if (!now.ids.size) anchor.current = now.current;
        setIds(new Set(range(now.lines, anchor.current ?? line, line)));
      } else if (how === "more")
        setIds((old) => {
          const next = new Set(old);
          if (!next.delete(line)) next.add(line);
          return next;
        });
      else setIds((old) => (old.size === 1 && old.has(line) ? new Set() : new Set([line])));
      if (how !== "range") anchor.current = line;
      select(line);
    },
    [select],
  );
  const extend = useCallback(
    (by: 1 | -1) => {
      const now = latest.current;
      const at = now.lines.findIndex((line) => line.id === now.current);
      const next = at < 0 ? undefined : now.lines[at + by];
      if (next) choose(next.id, "range");
    },
    [choose],
  );
  const all = useCallback(() => setIds(new Set(latest.current.lines.map((line) => line.id))), []);
  const letGo = useCallback(() => setIds((old) => (old.size ? new Set() : old)), []);
  return useMemo(() => ({ ids, choose, extend, all, letGo }), [ids, choose, extend, all, letGo]);
}
