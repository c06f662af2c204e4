import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Square } from "lucide-react";
import { useEffect } from "react";
import { useTranslation } from "react-i18next";

import { api, data, type Production } from "../shared/api/client";
import { askForMix, castRest, startVoicing, useCurrentMix, useEdition } from "../shared/api/queries";
import { Button, IconButton } from "../shared/ui/controls";
import { usePlace } from "./place";
import { useNotices } from "./notices";

/** The one main button: always what would be done next in this edition, or how far it is. */
export function MainAction({ production }: { production: Production }) {
  const { t } = useTranslation();
  const place = usePlace();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const edition = useEdition(production.id, place.language).data;
  const jobsKey = ["production", production.id, "voicings", place.language];
  const started = useQuery({
    queryKey: jobsKey,
    queryFn: async () => {
      const path = { production_id: production.id, language: place.language };
      const jobs = await data(api.GET("/api/productions/{production_id}/editions/{language}/voicings/", { params: { path } }));
      return jobs[0]?.id ?? null;
    },
  }).data;
  // A job is followed by its id until it has ended, so that its end is never missed.
  const job = useQuery({
    queryKey: ["voicing", started],
    enabled: Boolean(started),
    queryFn: () => data(api.GET("/api/voicings/{job_id}/", { params: { path: { job_id: started ?? 0 } } })),
    refetchInterval: (query) => (query.state.data && query.state.data.state !== "running" ? false : 400),
  }).data;
  // Shown until the lines have been looked at again, or the button would offer for a moment what is just done.
  const running = started && job ? job : null;
  const finished = started && job && job.state !== "running" ? job.id : null;
  useEffect(() => {
    if (finished === null) return;
    for (const fault of job?.faults ?? []) say({ tone: "bad", text: t("voicing.fault", { number: fault.number, message: fault.message }) });
    void client
      .invalidateQueries({ queryKey: ["production", production.id] })
      .then(() => client.setQueryData(jobsKey, null));
    // Only when a job has just ended.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [finished]);
  // Lines change under a running job: look at them now and then, and less often the more there are.
  const done = running?.done ?? 0;
  useEffect(() => {
    if (running) void client.invalidateQueries({ queryKey: ["production", production.id, "edition", place.language] });
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [Math.floor(done / Math.max(4, (running?.total ?? 0) / 20))]);

  const refresh = () => client.invalidateQueries({ queryKey: ["production", production.id] });
  const act = useMutation({
    mutationFn: (work: () => Promise<unknown>) => work(),
    onError: (error) => say({ tone: "bad", text: error.message || t("common.unreachable") }),
    onSettled: refresh,
  });
  const mixReady = useCurrentMix(production.id, place.language, edition?.mix_recipe);

  if (!edition) return <Button look="main" disabled className="min-w-36">…</Button>;
  if (running) {
    const left = running.state === "running" ? running.seconds_left : null;
    return (
      <div className="flex items-center gap-1" role="status" aria-live="polite">
        <span className="relative overflow-hidden rounded-md bg-white/10 h-8 min-w-44 px-3 grid place-items-center text-sm">
          <span
            className="absolute inset-y-0 start-0 bg-lamp/35"
            style={{ width: `${(100 * running.done) / Math.max(1, running.total)}%` }}
          />
          <span className="relative">
            {t("voicing.progress", { done: running.done, total: running.total })}
            {left !== null && ` · ${t("voicing.left", { count: Math.ceil(left) })}`}
          </span>
        </span>
        <IconButton
          name={t("voicing.stop")}
          className="hover:bg-white/10"
          onClick={() =>
            act.mutate(() => data(api.DELETE("/api/voicings/{job_id}/", { params: { path: { job_id: running.id } } })))
          }
        >
          <Square size={15} fill="currentColor" aria-hidden />
        </IconButton>
      </div>
    );
  }
  const counts = edition.edition.counts;
  const waiting = counts.unvoiced + counts.out_of_date;
  const speakers = new Set(edition.lines.filter((line) => line.state === "uncast").map((line) => line.speaker)).size;
  const id = production.id;
  let label: string;
  let work: (() => void) | null;
  if (counts.lines === counts.empty) {
    label = t("main.words");
    work = () => place.go({ stage: "adapt" });
  } else if (speakers > 0) {
    label = t("main.cast", { count: speakers });
    work = () => act.mutate(() => castRest(id, place.language));
  } else if (waiting > 0) {
    label = t("main.voice", { count: waiting });
    work = () =>
      act.mutate(async () => {
        const begun = await startVoicing(id, place.language);
        client.setQueryData(["voicing", begun.id], begun);
        client.setQueryData(jobsKey, begun.id);
      });
  } else if (mixReady?.state === "making") {
    label = t("main.mixing", { percent: Math.round(mixReady.share * 100) });
    work = null;
  } else if (mixReady?.state !== "ready") {
    label = t("main.mix");
    work = () => act.mutate(() => askForMix(id, place.language));
  } else {
    label = t("main.deliver");
    work = () => place.go({ stage: "deliver" });
  }
  return (
    <Button look="main" className="min-w-36" disabled={!work || act.isPending} onClick={() => work?.()}>
      {label}
    </Button>
  );
}
