import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useTranslation } from "react-i18next";

import { api, data, Fault } from "./api/client";
import { useNotices } from "./notices";

/** Have a line say what a reviewer proposed. Where it says something else by now, that is told, and asked for again. */
export function useTakeProposal(production: number) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const take = useMutation({
    mutationFn: ({ remark, anyway }: { remark: number; anyway?: boolean }) =>
      data(api.POST("/api/productions/{production_id}/remarks/{remark_id}/taking/", { params: { path: { production_id: production, remark_id: remark } }, body: { anyway: anyway ?? false } })),
    onSuccess: () => say({ tone: "calm", text: t("remarks.takenOver") }),
    onError: (error: Error, { remark }) => {
      const newer = error instanceof Fault && error.status === 409;
      say({ tone: "bad", text: error.message || t("common.unreachable"), ...(newer ? { action: { label: t("remarks.takeAnyway"), act: () => take.mutate({ remark, anyway: true }) } } : {}) });
    },
    onSettled: () => client.invalidateQueries({ queryKey: ["production", production] }),
  });
  return take;
}
