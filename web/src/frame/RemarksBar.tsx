import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { api, data, type Production } from "../shared/api/client";
import { useNotices } from "../shared/notices";
import { usePlace } from "../shared/place";
import { RemarkRow } from "../shared/RemarkRow";
import { openAt, type Remark } from "../shared/remarks";
import { useKeys } from "../shared/useKeys";

/** What reviewers have said that belongs to the stage that is open: of the chosen line at once, the rest on request. */
export function RemarksBar({ production, remarks }: { production: Production; remarks: readonly Remark[] | undefined }) {
  const { t } = useTranslation();
  const place = usePlace();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const [all, setAll] = useState(false);
  const here = openAt(remarks, place.stage, place.language);
  const of = here.filter((one) => one.line === place.line);
  const proposal = of.find((one) => one.proposed);
  const take = useMutation({
    mutationFn: (remark: number) => data(api.POST("/api/productions/{production_id}/remarks/{remark_id}/taking/", { params: { path: { production_id: production.id, remark_id: remark } } })),
    onSuccess: () => say({ tone: "calm", text: t("remarks.takenOver") }),
    onError: (error) => say({ tone: "bad", text: error.message || t("common.unreachable") }),
    onSettled: () => client.invalidateQueries({ queryKey: ["production", production.id] }),
  });
  useKeys({ y: () => proposal && production.role !== "reader" && !take.isPending && take.mutate(proposal.id) });
  if (!here.length) return null;
  const shown = all ? here : of;
  return (
    <section aria-label={t("remarks.here")} className="shrink-0 bg-lamp-wash border-b border-rule px-4 py-1 max-h-52 overflow-auto">
      <button type="button" className="text-sm underline decoration-dotted" aria-expanded={all} onClick={() => setAll(!all)}>
        {of.length ? t("remarks.ofLine", { count: of.length, all: here.length }) : t("remarks.hereAre", { count: here.length })}
      </button>
      {proposal && <span className="text-xs text-soft ms-3">{t("remarks.key")}</span>}
      <ul className="divide-y divide-rule">{shown.map((one) => <RemarkRow key={one.id} production={production} remark={one} stay={one.line === place.line} />)}</ul>
    </section>
  );
}
