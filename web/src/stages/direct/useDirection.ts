import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useTranslation } from "react-i18next";

import { api, data, type Schemas } from "../../shared/api/client";
import { useNotices } from "../../shared/notices";

export type Direction = Schemas["Direction"];
/** Anything that is directed anew. */
export type Directing = Omit<Schemas["DirectionChangeRequest"], "marks_added" | "marks_removed">;
type Mark = Direction["marks"][number];

const same = (one: Mark, other: Mark) => one.kind === other.kind && one.word === other.word && (one.count ?? 1) === (other.count ?? 1) && (one.amount ?? 1) === (other.amount ?? 1) && (one.said ?? "") === (other.said ?? "");
const without = (marks: readonly Mark[], others: readonly Mark[]) => marks.filter((one) => !others.some((other) => same(one, other)));

/** What is said of marks that were so and are to be so: what changed, so that others' marks stay. */
export function asChanged(change: Directing, before: readonly Mark[]): Schemas["DirectionChangeRequest"] {
  const { marks, ...rest } = change;
  return marks ? { ...rest, marks_added: without(marks, before), marks_removed: without(before, marks) } : rest;
}

const at = (production: number, language: string, line: number) => ({ params: { path: { production_id: production, language, line_id: line } } });

/** What is directed of a line, how it lies on its stave, and how its words are marked anew; nothing unless `enabled`. */
export function useDirection(production: number, language: string, line: number, words: string, enabled = true) {
  const client = useQueryClient();
  const { t } = useTranslation();
  const say = useNotices((state) => state.say);
  const key = ["production", production, "direction", language, line, words];
  const direction = useQuery({
    queryKey: key,
    enabled,
    queryFn: () => data(api.GET("/api/productions/{production_id}/editions/{language}/lines/{line_id}/direction/", at(production, language, line))),
  });
  const stave = useQuery({
    queryKey: ["production", production, "stave", language, line, words],
    enabled,
    queryFn: () => data(api.GET("/api/productions/{production_id}/editions/{language}/lines/{line_id}/stave/", at(production, language, line))),
    placeholderData: (previous) => previous,
  });
  const mutationKey = ["directing", production, language, line];
  const set = useMutation({
    mutationKey,
    // Of one line one after another: what is said later never arrives first.
    scope: { id: mutationKey.join("/") },
    mutationFn: ({ body }: { change: Directing; body: Schemas["DirectionChangeRequest"] }) => data(api.PUT("/api/productions/{production_id}/editions/{language}/lines/{line_id}/direction/", { ...at(production, language, line), body })),
    onMutate: ({ change }) => {
      // Shown at once. What is being asked just now is of before, and must not come to lie over it.
      void client.cancelQueries({ queryKey: key }, { revert: false, silent: true });
      client.setQueryData<Direction>(key, (old) => old && { ...old, ...(change.marks ? { marks: change.marks } : {}), ...(change.moods ? { moods: change.moods } : {}) });
    },
    onError: (error: Error) => say({ tone: "bad", text: error.message || t("common.unreachable") }),
    // What the server has is asked for when all that was said has been written.
    onSettled: () => {
      if (client.isMutating({ mutationKey }) === 1) void client.invalidateQueries({ queryKey: ["production", production] });
    },
  });
  const mutate = set.mutate;
  const change = (wanted: Directing, then?: { onSuccess?: () => void; onError?: () => void }) =>
    mutate({ change: wanted, body: asChanged(wanted, client.getQueryData<Direction>(key)?.marks ?? []) }, then);
  return { direction: direction.data, stave: stave.data, fault: stave.error, set: change };
}
