import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Square, WandSparkles } from "lucide-react";
import { useEffect, useState } from "react";
import type { TFunction } from "i18next";
import { useTranslation } from "react-i18next";

import type { StageProps } from "../../shared/stage";
import { useNotices } from "../../shared/notices";
import { api, data, type Job } from "../../shared/api/client";
import { stopJob, useJobById } from "../../shared/api/queries";
import { Button, IconButton, Tip } from "../../shared/ui/controls";
import { useDraftingMeans } from "./useAdapt";

/** Drafts the empty lines of the edition, and says how far it is. */
export function DraftButton({ production, edition, only, again = 0 }: {
  production: StageProps["production"];
  edition: StageProps["edition"];
  /** Just these lines; all that are empty without. */
  only?: readonly number[];
  /** So many of them are a machine's drafts already, and are drafted anew where none is empty. */
  again?: number;
}) {
  const { t } = useTranslation();
  const { language } = edition.edition;
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const means = useDraftingMeans(production.id, language, false);
  const empty = edition.lines.filter((line) => !line.words.trim() && (!only || only.includes(line.id))).length;
  const [job, setJob] = useState<number | null>(null);
  const start = useMutation({
    mutationFn: () => startDrafting(production.id, language, only && [...only], empty === 0),
    onSuccess: (begun) => setJob(begun.id),
    onError: (error) => say({ tone: "bad", text: error.message || t("common.unreachable") }),
  });
  const now = useJobById(job);
  useEffect(() => {
    if (!now || now.state === "running") return;
    // Told once the lines show what was drafted, or who acts on it at once acts on lines that are still empty.
    void client.invalidateQueries({ queryKey: ["production", production.id] }).then(() => say(toldOf(now, t)));
    // Once, when it has ended.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [now?.state]);
  if (now?.state === "running")
    return (
      <span className="flex items-center gap-1 text-xs" role="status">
        {t("draft.progress", { done: now.done, total: now.total })}
        <IconButton name={t("draft.stop")} className="size-7" onClick={() => void stopJob(now.id)}><Square size={13} aria-hidden /></IconButton>
      </span>
    );
  if (!empty && !again) return null;
  if (means && !means.route.length && !means.units)
    return (
      <Tip text={t("draft.whatWould")}>
        <span tabIndex={0} className="text-xs text-soft whitespace-nowrap underline decoration-dotted px-1">{t("draft.cannot")}</span>
      </Tip>
    );
  const how = means ? (means.route.length ? t("draft.how", { route: means.names.join(" → "), by: [...new Set(means.by)].join(", "), units: means.units }) : t("draft.memoryOnly", { units: means.units })) : "";
  return (
    <Tip text={how}>
      <Button className="h-7! px-2!" disabled={start.isPending} onClick={() => start.mutate()}>
        <WandSparkles size={15} aria-hidden />
        {!empty ? t("draft.again", { count: again }) : only?.length === 1 ? t("draft.this") : t("draft.lines", { count: empty })}
      </Button>
    </Tip>
  );
}

export function startDrafting(production: number, language: string, lines?: number[], again = false): Promise<Job> {
  return data(
    api.POST("/api/productions/{production_id}/editions/{language}/drafts/", {
      params: { path: { production_id: production, language } },
      body: { again, ...(lines ? { lines } : {}) },
    }),
  );
}

function toldOf(job: Job, t: TFunction): { tone: "bad" | "calm"; text: string } {
  const { exact = 0, fuzzy = 0, drafted = 0 } = job.report;
  const made = exact + fuzzy + drafted;
  const text = t("draft.done", { count: made, exact, fuzzy, drafted });
  return job.fault ? { tone: made ? "calm" : "bad", text: `${text} ${job.fault}` } : { tone: "calm", text };
}
