import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { api, data, type Production } from "./api/client";
import { clock } from "./format";
import { useNotices } from "./notices";
import { usePlace, type Stage } from "./place";
import type { Remark } from "./remarks";
import { Button, FIELD } from "./ui/controls";
import { SampleButton } from "./ui/SampleButton";
import { useTakeProposal } from "./useTakeProposal";

/** What a reviewer has said, and what can be done about it. */
export function RemarkRow({ production, remark, stay = false }: { production: Production; remark: Remark; stay?: boolean }) {
  const { t } = useTranslation();
  const place = usePlace();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const [answer, setAnswer] = useState<string | null>(null);
  const path = { params: { path: { production_id: production.id, remark_id: remark.id } } };
  const done = {
    onSettled: () => client.invalidateQueries({ queryKey: ["production", production.id] }),
    onError: (error: Error) => say({ tone: "bad" as const, text: error.message || t("common.unreachable") }),
  };
  const change = useMutation({ mutationFn: (body: { state?: Remark["state"]; answer?: string }) => data(api.PATCH("/api/productions/{production_id}/remarks/{remark_id}/", { ...path, body })), ...done });
  const take = useTakeProposal(production.id);
  const readOnly = production.role === "reader";
  const direction = production.editions.find((one) => one.language === remark.language)?.direction ?? "ltr";
  return (
    <li className="py-2 flex items-start gap-4 text-sm">
      <span className="w-44 shrink-0">
        <span className="font-semibold line-clamp-2 wrap-anywhere" title={remark.by} dir="auto">{remark.by}</span>
        <span className="block text-xs text-soft">{t(`remarks.kind.${remark.kind}`)} · {clock(remark.at)}</span>
      </span>
      <span className="grow min-w-0 wrap-anywhere">
        {remark.text && <span className="block" dir="auto">{remark.text}</span>}
        {remark.unreadable && <span className="block text-alarm">{t("remarks.unreadable")}</span>}
        {remark.spoken && !remark.unreadable && <span className="inline-flex items-center gap-1"><SampleButton small name={t("remarks.hear", { name: remark.by })} address={`/api/productions/${production.id}/remarks/${remark.id}/spoken.flac`} />{remark.heard ? <q lang={remark.heard_in} dir="auto">{remark.heard}</q> : t("remarks.spoken")}</span>}
        {remark.proposed && <span className="block font-semibold" lang={remark.language} dir={direction}>{remark.proposed}</span>}
        {remark.about && <span className="block text-xs text-soft" lang={remark.language} dir={direction}>{remark.about}</span>}
        {remark.answer && <span className="block text-xs" dir="auto">{t("remarks.answered", { name: remark.answered_by ?? "", text: remark.answer })}</span>}
        {answer !== null && (
          <span className="flex gap-2 mt-1">
            <input className={FIELD} dir="auto" aria-label={t("remarks.answer")} value={answer} maxLength={2000} autoFocus onChange={(event) => setAnswer(event.target.value)} />
            <Button onClick={() => { change.mutate({ answer }); setAnswer(null); }}>{t("remarks.send")}</Button>
          </span>
        )}
      </span>
      <span className="flex flex-wrap gap-1.5 justify-end shrink-0">
        {remark.state !== "open" && <span className="text-xs text-soft self-center">{remark.state === "taken" ? t("remarks.taken") : t("remarks.doneAlready")}</span>}
        {remark.line !== null && !stay && <Button className="h-7!" onClick={() => place.go({ language: remark.language, stage: (remark.stage || "adapt") as Stage, line: remark.line })}>{t("remarks.go")}</Button>}
        {!readOnly && remark.proposed && remark.state === "open" && <Button className="h-7!" look="main" disabled={take.isPending} onClick={() => take.mutate({ remark: remark.id })}>{t("remarks.take")}</Button>}
        {!readOnly && <Button className="h-7!" onClick={() => setAnswer((now) => (now === null ? remark.answer : null))}>{t("remarks.answer")}</Button>}
        {!readOnly && (remark.state === "open"
          ? <Button className="h-7!" onClick={() => change.mutate({ state: "done" })}>{t("remarks.done")}</Button>
          : <Button className="h-7!" onClick={() => change.mutate({ state: "open" })}>{t("remarks.open")}</Button>)}
      </span>
    </li>
  );
}
