import { useEffect, useLayoutEffect, useRef } from "react";

const TYPING = "input, textarea, select, [contenteditable=true]";
/** What lies over the page and has the keys to itself; a list that is part of the page has not. */
const OPEN = "[role=dialog], [role=menu], [data-radix-popper-content-wrapper] [role=listbox]";
/** Buttons that are more than pressed: keys go on doing something with what was chosen. */
const KEYED = "[data-keyed]";
const CHOSEN = "[aria-current=true], [aria-pressed=true], [aria-selected=true]";
const WIDGET = `${TYPING}, button, a, [role=slider], [role=menuitem], [role=option], [role=radio], [role=combobox]`;

/**
 * Keys for the whole window. `keys` maps a key (as KeyboardEvent.key, with "Mod+" for Ctrl or Cmd) to what it does.
 * "Shift+" counts for arrows and with "Mod+". Nothing happens while something is typed, nor, for Space and Enter, on a control that uses them itself.
 */
export function useKeys(keys: Record<string, () => void>): void {
  const latest = useRef(keys);
  // Before it is painted: a key that is pressed at what is seen means what is seen.
  useLayoutEffect(() => {
    latest.current = keys;
  });
  useLayoutEffect(() => {
    function press(event: KeyboardEvent) {
      const target = event.target as HTMLElement | null;
      if (event.defaultPrevented || event.altKey || target?.closest(TYPING)) return;
      if (document.querySelector(OPEN)) return;
      if ([" ", "Enter", "ArrowUp", "ArrowDown"].includes(event.key) && target?.closest(WIDGET)) {
        // What is chosen already is not chosen again by Space; arrows that it makes nothing of go on to the next line.
        const free = target.closest(KEYED) && (event.key.startsWith("Arrow") || (event.key === " " && target.closest(CHOSEN)));
        if (!free) return;
      }
      const arrow = event.key.startsWith("Arrow");
      const name = (event.ctrlKey || event.metaKey ? "Mod+" : "") + (event.shiftKey && (arrow || event.ctrlKey || event.metaKey) ? "Shift+" : "") + (arrow ? event.key : event.key.length === 1 && (event.ctrlKey || event.metaKey) ? event.key.toLowerCase() : event.key);
      const act = latest.current[name];
      if (act) {
        event.preventDefault();
        act();
      }
    }
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, []);
}

/**
 * Lets go of a button that was pressed with the mouse, so that Space goes on playing instead of pressing it again.
 * Who came to it by keyboard keeps it; Tab goes on from it either way.
 */
export function useLetGo(): void {
  useEffect(() => {
    function released(event: MouseEvent) {
      const active = document.activeElement;
      if (event.detail > 0 && active instanceof HTMLButtonElement && event.target instanceof Node && active.contains(event.target)) {
        if (!active.closest(`[role=dialog], ${KEYED}`)) active.blur();
      }
    }
    // On the way down: a button that keeps its click from the row that it lies in is let go of as well.
    window.addEventListener("click", released, true);
    return () => window.removeEventListener("click", released, true);
  }, []);
}

const LANDMARKS = "header, nav[aria-label], main [role=list], main [role=table], main table, main [role=grid], aside, footer";
const STOPS = "textarea, input, select, button, a[href], [tabindex]";

/** F6 goes on to the next panel of the page, Shift and F6 back, from inside fields too: past every stop between them. */
export function usePanelKeys(): void {
  useEffect(() => {
    function press(event: KeyboardEvent) {
      if (event.key !== "F6" || event.ctrlKey || event.altKey || document.querySelector("[role=dialog]")) return;
      const panels = [...document.querySelectorAll<HTMLElement>(LANDMARKS)].filter((one) => one.offsetParent !== null && firstStop(one));
      // What lies in another panel is part of that one.
      const outer = panels.filter((one) => !panels.some((other) => other !== one && other.contains(one)));
      if (!outer.length) return;
      const here = outer.findIndex((one) => one.contains(document.activeElement));
      const next = outer[(here + (event.shiftKey ? outer.length - 1 : 1) + (here < 0 && event.shiftKey ? 1 : 0)) % outer.length];
      event.preventDefault();
      if (next) firstStop(next)?.focus();
    }
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, []);
}

/** Where the hand goes in a panel: the chosen line's words, else what can be pressed first. */
function firstStop(panel: HTMLElement): HTMLElement | null {
  const chosen = panel.querySelector<HTMLElement>("[aria-current=true] textarea");
  if (chosen) return chosen;
  return [...panel.querySelectorAll<HTMLElement>(STOPS)].find((one) => one.tabIndex >= 0 && !one.hasAttribute("disabled") && one.offsetParent !== null) ?? null;
}
