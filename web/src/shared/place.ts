import { useCallback } from "react";
import { useNavigate, useParams, useSearchParams } from "react-router";

export const STAGES = ["script", "cast", "adapt", "direct", "time", "mix", "deliver"] as const;
export type Stage = (typeof STAGES)[number];

/** The chosen line as the address has it, which is ahead of what is drawn while keys come fast. */
export function lineInAddress(): number | null {
  return Number(new URLSearchParams(window.location.search).get("line")) || null;
}

const LEFT = "janoglot.left/";

/** Where a production was left in this browser, as an address; null where it was never opened here. */
export function lastPlace(production: number): string | null {
  try {
    const kept = localStorage.getItem(LEFT + production);
    return kept?.startsWith(`/productions/${production}/`) ? kept : null;
  } catch {
    return null;
  }
}

export function keepPlace(production: number): void {
  try {
    localStorage.setItem(LEFT + production, window.location.pathname + window.location.search);
  } catch {
    // Then it opens at its beginning.
  }
}

/** Where the person is: production, edition, stage and line, all of it in the address bar. */
export function usePlace() {
  const params = useParams();
  const [search, setSearch] = useSearchParams();
  const navigate = useNavigate();
  const production = Number(params.production);
  const language = params.language ?? "";
  const stage = (STAGES as readonly string[]).includes(params.stage ?? "") ? (params.stage as Stage) : "script";
  const line = Number(search.get("line")) || null;

  const go = useCallback(
    (to: { language?: string; stage?: Stage; line?: number | null }) => {
      const query = to.line === undefined ? search.toString() : to.line ? `line=${to.line}` : "";
      const where = `/productions/${production}/${encodeURIComponent(to.language ?? language)}/${to.stage ?? stage}`;
      navigate(query ? `${where}?${query}` : where);
    },
    [navigate, production, language, stage, search],
  );
  const select = useCallback(
    (next: number | null) => setSearch(next ? { line: String(next) } : {}, { replace: true }),
    [setSearch],
  );
  return { production, language, stage, line, go, select };
}
