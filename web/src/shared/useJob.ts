import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";

import type { Job } from "./api/client";
import { useJobById, useJobs } from "./api/queries";
import { useNotices } from "./notices";

/** How many times, at the most, the lines are looked at again while a job runs. */
const LOOKS = 20;

/**
 * The job of one kind that runs in an edition, followed by its id until it has ended, so that its end is never
 * missed; null where there is none. Lines change under it: they are looked at again now and then. Where two parts
 * of the page follow the same job, one of them `tells` of lines that could not be made.
 */
export function useJob(production: number, language: string, kind: Job["kind"], tells = true): Job | null {
  const { t } = useTranslation();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const listKey = ["production", production, "jobs"];
  const list = useJobs(production).data ?? [];
  const listed = list.find((job) => job.kind === kind && job.language === language)?.id ?? null;
  // A job that has ended is listed no more: it is followed all the same until its end has been seen.
  const [followed, setFollowed] = useState<{ language: string; id: number } | null>(null);
  if (listed !== null && listed !== followed?.id) setFollowed({ language, id: listed });
  const id = listed ?? (followed?.language === language ? followed.id : null);
  const job = useJobById(id, kind === "take" ? 400 : 1_000);
  const ended = id !== null && job && job.state !== "running" ? job.id : null;
  useEffect(() => {
    if (ended === null) return;
    for (const fault of tells ? (job?.faults ?? []) : []) say({ tone: "bad", text: t("voicing.fault", { number: fault.number, message: fault.message }) });
    // Shown until the lines have been looked at again, or the button would offer for a moment what is just done.
    void client.invalidateQueries({ queryKey: ["production", production] }).then(() => {
      client.setQueryData<Job[]>(listKey, (jobs) => jobs?.filter((one) => one.id !== ended));
      setFollowed((one) => (one?.id === ended ? null : one));
    });
    // Only when a job has just ended.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [ended]);
  const done = job?.done ?? 0;
  useEffect(() => {
    if (id !== null) void client.invalidateQueries({ queryKey: ["production", production, "edition", language] });
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [Math.floor(done / Math.max(kind === "take" ? 4 : 1, (job?.total ?? 0) / LOOKS))]);
  return id !== null && job ? job : null;
}
