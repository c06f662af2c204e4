import { useEffect, type RefObject } from "react";

/** Keeps the element marked with `data-line={line}` in view inside `box`, without moving what is in view already. */
export function useScrollTo(box: RefObject<HTMLElement | null>, line: number | null): void {
  useEffect(() => {
    if (line === null) return;
    box.current?.querySelector(`[data-line="${line}"]`)?.scrollIntoView({ block: "nearest" });
  }, [box, line]);
}
