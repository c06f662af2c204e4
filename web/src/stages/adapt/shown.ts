import { create } from "zustand";

/** Lines that alone are shown, as a figure of the board counted them: they stay while they are worked through. */
interface Shown {
  only: { production: number; language: string; lines: ReadonlySet<number>; name: string } | null;
  show: (only: Shown["only"]) => void;
}

export const useShown = create<Shown>((set) => ({ only: null, show: (only) => set({ only }) }));
