import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import { useNotices } from "../../shared/notices";
import { api, data, Fault, type EditionLines, type Line, type Schemas } from "../../shared/api/client";
import { replaced } from "../../shared/deltas";
import { estimated, type Gauge } from "./gauge";

export type Standing = Schemas["WordingStanding"];
export type Doubt = Schemas["Doubt"];

const path = (production: number, language: string) => ({ params: { path: { production_id: production, language } } });

/** How each wording came to be as it is, by line. */
export function useStandings(production: number, language: string, off: boolean): ReadonlyMap<number, Standing> {
  const client = useQueryClient();
  const key = ["production", production, "standings", language];
  const found = useQuery({
    queryKey: key,
    enabled: !off,
    queryFn: async () => {
      const old = client.getQueryData<Schemas["WordingStandings"]>(key);
      const { params } = path(production, language);
      const answer = await data(api.GET("/api/productions/{production_id}/editions/{language}/wordings/", { params: { ...params, query: old ? { after: old.mark } : {} } }));
      return answer.whole || !old ? answer : { ...answer, wordings: replaced(old.wordings, answer.wordings, answer.wordings.map((one) => one.line)) };
    },
  }).data;
  return useMemo(() => new Map((found?.wordings ?? []).map((one) => [one.line, one])), [found]);
}

/** What deserves a look, by line. */
export function useDoubts(production: number, language: string): ReadonlyMap<number, Doubt> {
  const client = useQueryClient();
  const key = ["production", production, "doubts", language];
  const found = useQuery({
    queryKey: key,
    queryFn: async () => {
      const old = client.getQueryData<Schemas["Doubts"]>(key);
      const { params } = path(production, language);
      const answer = await data(api.GET("/api/productions/{production_id}/editions/{language}/doubts/", { params: { ...params, query: old ? { after: old.mark } : {} } }));
      return answer.whole || !old ? answer : { ...answer, doubts: replaced(old.doubts, answer.doubts, answer.lines) };
    },
  }).data;
  return useMemo(() => new Map((found?.doubts ?? []).map((one) => [one.line, one])), [found]);
}

export const useDraftingMeans = (production: number, language: string, off: boolean) =>
  useQuery({
    queryKey: ["production", production, "means", language],
    enabled: !off,
    staleTime: 60_000,
    queryFn: () => data(api.GET("/api/productions/{production_id}/editions/{language}/drafts/", path(production, language))),
  }).data;

export const useMemoryMatches = (production: number, language: string, line: number | undefined) =>
  useQuery({
    queryKey: ["production", production, "memory", language, line],
    enabled: line !== undefined,
    queryFn: () =>
      data(api.GET("/api/productions/{production_id}/editions/{language}/memory/", { params: { ...path(production, language).params, query: { line: line ?? 0 } } })),
  }).data;

/** How well texts would agree with the mouth of a line in sight, by text; empty until it is known. */
export function useLipsOf(production: number, language: string, line: Line | undefined, texts: readonly string[]): ReadonlyMap<string, number> {
  const wanted = [...new Set(texts.map((text) => text.trim()).filter(Boolean))].slice(0, 12);
  const found = useQuery({
    queryKey: ["production", production, "lips-of", language, line?.id, wanted],
    enabled: Boolean(line?.in_sight && line.slot && wanted.length),
    placeholderData: (previous) => previous,
    queryFn: async () => ({
      line: line?.id,
      texts: wanted,
      scores: (await data(
        api.POST("/api/productions/{production_id}/editions/{language}/wordings/{line_id}/lips/", {
          params: { path: { production_id: production, language, line_id: line?.id ?? 0 } },
          body: { texts: wanted },
        }),
      )).scores,
    }),
  }).data;
  // While a new answer is awaited the last one stands, but never that of another line.
  const mine = line?.in_sight && found?.line === line.id ? found : undefined;
  return useMemo(() => new Map(mine?.texts.flatMap((text, index) => (typeof mine.scores[index] === "number" ? [[text, mine.scores[index]] as const] : []))), [mine]);
}

/** A text once it has rested for a while. */
export function useRested(text: string, ms = 500): string {
  const [rested, setRested] = useState(text);
  useEffect(() => {
    const timer = setTimeout(() => setRested(text), ms);
    return () => clearTimeout(timer);
  }, [text, ms]);
  return rested;
}

/** Why a line should be looked at, the most pressing first; null where there is nothing. */
export function reason(line: Line, standing: Standing | undefined, doubt: Doubt | undefined): "empty" | "too_long" | "changed" | "misheard" | "doubtful" | null {
  if (!line.words.trim()) return "empty";
  if (line.over > 0 && line.state !== "on_screen") return "too_long";
  if (standing?.source_difference.length) return "changed";
  if (doubt?.heard) return "misheard";
  if (standing?.state === "approved") return null;
  if (standing?.state === "draft" || doubt?.misspelt.length || doubt?.rude.length || doubt?.findings.some((one) => one.code !== "too_long")) return "doubtful";
  return null;
}

/** Everything that can be done to wordings. */
export function useAdaptActions(production: number, language: string) {
  const client = useQueryClient();
  const { t } = useTranslation();
  const say = useNotices((state) => state.say);
  return useMemo(() => {
    const lookAgain = () => client.invalidateQueries({ queryKey: ["production", production] });
    const tell = (error: unknown) => {
      if (!(error instanceof Fault)) throw error;
      say({ tone: "bad", text: error.message || t("common.unreachable") });
    };
    return {
      lookAgain,
      tell,
      async state(lines: number[], state: "draft" | "edited" | "approved") {
        try {
          await data(api.PATCH("/api/productions/{production_id}/editions/{language}/wordings/", { ...path(production, language), body: { lines, state } }));
          await lookAgain();
        } catch (error) {
          tell(error);
        }
      },
      /** Saved, and shown at once; what hangs on it is looked at behind it. */
      async write(line: number, text: string, revision: number, reopen: boolean) {
        const saved = await data(
          api.PUT("/api/productions/{production_id}/editions/{language}/wordings/{line_id}/", {
            params: { path: { production_id: production, language, line_id: line } },
            body: { text, revision, reopen },
          }),
        );
        client.setQueryData<EditionLines>(["production", production, "edition", language], (old) =>
          old && { ...old, lines: old.lines.map((one) => (one.id === line ? { ...one, words: saved.text, revision: saved.revision } : one)) });
        client.setQueryData<Schemas["WordingStandings"]>(["production", production, "standings", language], (old) =>
          old && { ...old, wordings: old.wordings.map((one) => (one.line === line ? { ...one, state: saved.state, source_difference: [], score: null, alignment: null } : one)) });
        void lookAgain();
        return saved;
      },
    };
  }, [client, production, language, say, t]);
}
export type AdaptActions = ReturnType<typeof useAdaptActions>;

/**
 * How long a line would be with the words as they stand in the field. Between the keys it is estimated from the last
 * exact answer; the exact one follows.
 */
export function useGauge(production: number, line: Line | undefined, language: string, text: string, timing: EditionLines["timing"]): (Gauge & { exact: boolean }) | null {
  const [last, setLast] = useState<{ line: number; text: string; gauge: Gauge } | null>(null);
  const id = line?.id;
  const settings = `${line?.voice ?? ""}/${JSON.stringify(line?.own ?? null)}/${JSON.stringify(line?.timing ?? null)}/${timing.run_on}/${timing.hard_fast}/${timing.comfortable_fast}`;
  const asking = useRef<{ line: number; next: string | null } | null>(null);
  const ask = useCallback(
    async (words: string) => {
      if (id === undefined) return;
      // One question at a time: what was typed meanwhile is asked next, and what lies between never.
      if (asking.current?.line === id) {
        asking.current.next = words;
        return;
      }
      const mine: { line: number; next: string | null } = { line: id, next: words };
      asking.current = mine;
      while (mine.next !== null && asking.current === mine) {
        const text = mine.next;
        mine.next = null;
        const gauge = await data(
          api.POST("/api/productions/{production_id}/editions/{language}/wordings/{line_id}/gauge/", {
            params: { path: { production_id: production, language, line_id: id } },
            body: { text },
          }),
        ).catch(() => null);
        if (gauge && asking.current === mine) setLast({ line: id, text, gauge });
      }
      if (asking.current === mine) asking.current = null;
    },
    [production, language, id],
  );
  useEffect(() => {
    void ask(text);
  }, [ask, text, settings]);
  if (!last || last.line !== id) return null;
  return last.text === text ? { ...last.gauge, exact: true } : { ...estimated(last, text, { comfortable: timing.comfortable_fast, hard: timing.hard_fast }), exact: false };
}
