import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useTranslation } from "react-i18next";

import { api, data, type Schemas } from "../../shared/api/client";
import { useNotices } from "../../shared/notices";

export type Direction = Schemas["Direction"];
/** Anything that is directed anew. */
export type Directing = Schemas["DirectionChangeRequest"];

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
    mutationFn: (change: Directing) => data(api.PUT("/api/productions/{production_id}/editions/{language}/lines/{line_id}/direction/", { ...at(production, language, line), body: change })),
    onMutate: (change) => {
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
  return { direction: direction.data, stave: stave.data, fault: stave.error, set: set.mutate };
}
