import { create } from "zustand";

type Theme = "light" | "dark";

function first(): Theme {
  const kept = localStorage.getItem("theme");
  if (kept === "light" || kept === "dark") return kept;
  return matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light";
}

function show(theme: Theme): Theme {
  document.documentElement.dataset.theme = theme;
  return theme;
}

export const useTheme = create<{ theme: Theme; toggle: () => void }>((set, get) => ({
  theme: show(first()),
  toggle: () => {
    const theme = get().theme === "dark" ? "light" : "dark";
    localStorage.setItem("theme", theme);
    set({ theme: show(theme) });
  },
}));
