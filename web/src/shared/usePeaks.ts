import { useEffect, useMemo, useState } from "react";

import { api, data } from "./api/client";

const known = new Map<string, Uint8Array>();

/** The peaks of the takes of the lines that are in view, asked for together and kept by what they are of. */
export function usePeaks(production: number, language: string, wanted: readonly { line: number; take: string }[]): ReadonlyMap<number, Uint8Array> {
  const [round, setRound] = useState(0);
  const key = (take: string, line: number) => `${production}/${language}/${line}/${take}`;
  const missing = wanted.filter((one) => one.take && !known.has(key(one.take, one.line)));
  const asked = missing.map((one) => one.line).join(",");
  useEffect(() => {
    if (!asked) return;
    let gone = false;
    const timer = setTimeout(() => {
      data(
        api.GET("/api/productions/{production_id}/editions/{language}/peaks/", {
          params: { path: { production_id: production, language }, query: { lines: asked } },
        }),
      ).then(
        (answer) => {
          const found = new Map(answer.map((one) => [one.line, Uint8Array.from(atob(one.peaks), (ch) => ch.charCodeAt(0))]));
          for (const one of missing) known.set(key(one.take, one.line), found.get(one.line) ?? new Uint8Array());
          if (!gone) setRound((count) => count + 1);
        },
        () => undefined,
      );
    }, 80);
    return () => {
      gone = true;
      clearTimeout(timer);
    };
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [asked, production, language]);
  return useMemo(
    () => new Map(wanted.flatMap((one) => {
      const peaks = known.get(key(one.take, one.line));
      return peaks?.length ? [[one.line, peaks] as const] : [];
    })),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [round, wanted, production, language],
  );
}
