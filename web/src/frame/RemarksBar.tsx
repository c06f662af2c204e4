import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { Production } from "../shared/api/client";
import { usePlace } from "../shared/place";
import { RemarkRow } from "../shared/RemarkRow";
import { openAt, type Remark } from "../shared/remarks";
import { useKeys } from "../shared/useKeys";
import { useTakeProposal } from "../shared/useTakeProposal";

/** What reviewers have said that belongs to the stage that is open: of the chosen line at once, the rest on request. */
export function RemarksBar({ production, remarks }: { production: Production; remarks: readonly Remark[] | undefined }) {
  const { t } = useTranslation();
  const place = usePlace();
  const [all, setAll] = useState(false);
  const here = openAt(remarks, place.stage, place.language);
  const of = here.filter((one) => one.line === place.line);
  const proposal = of.find((one) => one.proposed);
  const take = useTakeProposal(production.id);
  useKeys({ y: () => proposal && production.role !== "reader" && !take.isPending && take.mutate({ remark: proposal.id }) });
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
