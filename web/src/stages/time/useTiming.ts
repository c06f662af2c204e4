import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import { useNotices } from "../../shared/notices";
import { api, data, Fault, type EditionLines, type Schemas } from "../../shared/api/client";

export type LineTiming = Schemas["LineTiming"];
export type Cure = Schemas["Cure"];

/** An edition with the lines that a change has moved put in their new places. */
export function retimed(edition: EditionLines, answer: Schemas["Retimed"]): EditionLines {
  const moved = new Map(answer.lines.map((line) => [line.id, line]));
  const lines = edition.lines.map((line) => moved.get(line.id) ?? line);
  const over = lines.filter((line) => line.harm > 0).length;
  return {
    ...edition,
    lines,
    seconds: answer.seconds,
    // As long as the recording that it is for, where that goes on; else to the last word.
    programme: edition.programme > edition.seconds ? Math.max(edition.programme, answer.seconds) : answer.seconds,
    mix_recipe: answer.mix_recipe,
    timing: answer.settings,
    holds: answer.holds,
    edition: { ...edition.edition, counts: { ...edition.edition.counts, over } },
  };
}

/** Everything that can be decided of an edition's timing. Answers move just the lines that lie otherwise. */
export function useTimingActions(production: number, language: string) {
  const client = useQueryClient();
  const { t } = useTranslation();
  const say = useNotices((state) => state.say);
  return useMemo(() => {
    const params = { params: { path: { production_id: production, language } } };
    async function run(call: () => Promise<Schemas["Retimed"]>): Promise<boolean> {
      try {
        const answer = await call();
        client.setQueryData<EditionLines>(["production", production, "edition", language], (old) => old && retimed(old, answer));
        // Counts, what can be undone, and other editions' standing are looked at behind it.
        void client.invalidateQueries({ queryKey: ["production", production], exact: true });
        void client.invalidateQueries({ queryKey: ["production", production, "cures"] });
        return true;
      } catch (error) {
        if (!(error instanceof Fault)) throw error;
        say({ tone: "bad", text: error.message || t("common.unreachable") });
        return false;
      }
    }
    return {
      lines: (lines: number[], own: LineTiming | null) =>
        run(() => data(api.PATCH("/api/productions/{production_id}/editions/{language}/timing/lines/", { ...params, body: { lines, own } }))),
      settings: (settings: Record<string, unknown>) =>
        run(() => data(api.PATCH("/api/productions/{production_id}/editions/{language}/timing/", { ...params, body: { settings } }))),
      /** Whether a part's picture may be held; the solver finds for how long. */
      async grow(part: number, may_grow: boolean) {
        try {
          await data(api.PATCH("/api/parts/{part_id}/", { params: { path: { part_id: part } }, body: { may_grow } }));
          await client.invalidateQueries({ queryKey: ["production", production] });
          void client.invalidateQueries({ queryKey: ["script", production] });
        } catch (error) {
          if (!(error instanceof Fault)) throw error;
          say({ tone: "bad", text: error.message || t("common.unreachable") });
        }
      },
      aim: (seconds: number) =>
        data(api.GET("/api/productions/{production_id}/editions/{language}/timing/aim/", { params: { ...params.params, query: { seconds } } })),
    };
  }, [client, production, language, say, t]);
}
export type TimingActions = ReturnType<typeof useTimingActions>;

export const useCures = (production: number, language: string, line: number | undefined, recipe: string) =>
  useQuery({
    queryKey: ["production", production, "cures", language, line, recipe],
    enabled: line !== undefined,
    queryFn: () =>
      data(
        api.GET("/api/productions/{production_id}/editions/{language}/timing/lines/{line_id}/cures/", {
          params: { path: { production_id: production, language, line_id: line ?? 0 } },
        }),
      ),
  });

export type Lips = Schemas["Lips"];

/** What the mouths do, of the lines in sight; asked again when the lines lie otherwise. */
export function useLips(production: number, language: string, recipe: string): ReadonlyMap<number, Lips> {
  const found = useQuery({
    queryKey: ["production", production, "lips", language, recipe],
    placeholderData: (before: Lips[] | undefined) => before,
    queryFn: () =>
      data(api.GET("/api/productions/{production_id}/editions/{language}/timing/lips/", { params: { path: { production_id: production, language } } })),
  }).data;
  return useMemo(() => new Map((found ?? []).map((one) => [one.line, one])), [found]);
}

/** How the edition would stand with other limits, asked while a hand is still moving one. */
export function useWhatIf(production: number, language: string) {
  const [found, setFound] = useState<Schemas["WhatIf"] | null>(null);
  const waiting = useRef<ReturnType<typeof setTimeout>>(undefined);
  const turn = useRef(0);
  useEffect(() => () => clearTimeout(waiting.current), []);
  const ask = useCallback(
    (query: Record<string, number> | null) => {
      clearTimeout(waiting.current);
      const mine = ++turn.current;
      if (!query) {
        setFound(null);
        return;
      }
      waiting.current = setTimeout(() => {
        data(
          api.GET("/api/productions/{production_id}/editions/{language}/timing/what-if/", {
            params: { path: { production_id: production, language }, query },
          }),
        ).then(
          (answer) => mine === turn.current && setFound(answer),
          () => mine === turn.current && setFound(null),
        );
      }, 120);
    },
    [production, language],
  );
  return { found, ask };
}
