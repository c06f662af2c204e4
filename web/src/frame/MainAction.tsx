import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Square } from "lucide-react";
import { useEffect, useRef } from "react";
import { useTranslation } from "react-i18next";

import type { Job, Production } from "../shared/api/client";
import { askForMix, castRest, startVoicing, stopJob, useCurrentMix, useEdition } from "../shared/api/queries";
import { span } from "../shared/format";
import { Button, IconButton, Tip } from "../shared/ui/controls";
import { usePlace } from "../shared/place";
import { useNotices } from "../shared/notices";
import { useJob } from "../shared/useJob";
import { waitsBehind } from "../shared/waiting";

const UNITS = (t: (key: string) => string) => ({ h: t("time.h"), min: t("time.min"), s: t("time.s") });

/** The one main button: always what would be done next in this edition, or how far it is. */
export function MainAction({ production }: { production: Production }) {
  const { t } = useTranslation();
  const place = usePlace();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const edition = useEdition(production.id, place.language).data;
  const running = useJob(production.id, place.language, "take");
  const finishing = useJob(production.id, place.language, "finish", false);

  const refresh = () => client.invalidateQueries({ queryKey: ["production", production.id] });
  const act = useMutation({
    mutationFn: (work: () => Promise<unknown>) => work(),
    onError: (error) => say({ tone: "bad", text: error.message || t("common.unreachable") }),
    onSettled: refresh,
  });
  /** What was pressed last: the same twice is done once, the next step is done though the last one's end is still looked at. */
  const pressed = useRef("");
  const mixReady = useCurrentMix(production.id, place.language, edition?.mix_recipe);

  const made = mixReady?.state === "ready" ? mixReady.recipe : null;
  useEffect(() => {
    // What can be handed over is told by the server, which knows of a mix before the page does.
    if (made) void client.invalidateQueries({ queryKey: ["production", production.id, "deliveries"] });
  }, [made, client, production.id]);

  if (!edition) return <Button look="main" aria-busy className="min-w-36 shrink-0 whitespace-nowrap">{t("common.loading")}</Button>;
  if (running) {
    const left = running.state === "running" ? running.seconds_left : null;
    const behind = waitsBehind(t, running.ahead);
    return (
      <div className="flex items-center gap-1" role="status" aria-live="polite">
        <span className="relative overflow-hidden rounded-md bg-white/10 h-8 min-w-44 px-3 grid place-items-center text-sm">
          <span
            className="absolute inset-y-0 start-0 bg-lamp/35"
            style={{ width: `${(100 * running.done) / Math.max(1, running.total)}%` }}
          />
          <span className="relative whitespace-nowrap">
            {t("voicing.progress", { done: running.done, total: running.total })}
            {left !== null && ` · ${t("voicing.timeLeft", { time: span(left, UNITS(t)) })}`}
            {behind && ` · ${behind}`}
          </span>
        </span>
        <StopButton name={t("voicing.stop")} job={running} />
      </div>
    );
  }
  const counts = edition.edition.counts;
  // What a person is to record no voice says.
  const waiting = counts.unvoiced + counts.out_of_date - counts.unrecorded;
  const speakers = new Set(edition.lines.filter((line) => line.state === "uncast").map((line) => line.speaker)).size;
  const id = production.id;
  const begin = (kind: "take" | "finish") =>
    act.mutate(async () => {
      const begun = await startVoicing(id, place.language, kind);
      client.setQueryData(["job", begun.id], begun);
      client.setQueryData<Job[]>(["production", id, "jobs"], (jobs) => [begun, ...(jobs ?? [])]);
    });
  let label: string;
  let why = "";
  let work: () => void;
  if (counts.lines === counts.empty) {
    label = t("main.words");
    work = () => {
      const first = edition.lines.find((line) => !line.words.trim());
      place.go({ stage: "adapt", line: first?.id ?? null });
      if (first) focusWords(first.id);
    };
  } else if (speakers > 0) {
    label = t("main.cast", { count: speakers });
    work = () => act.mutate(() => castRest(id, place.language));
  } else if (waiting > 0) {
    label = t("main.voice", { count: waiting });
    work = () =>
      begin("take");
  } else if (counts.unrecorded > 0) {
    label = t("main.record", { count: counts.unrecorded });
    work = () => place.go({ stage: "direct", line: edition.lines.find((line) => line.by_person && line.state !== "current" && line.words.trim())?.id ?? null });
  } else if (finishing && mixReady?.state !== "ready") {
    // The rich voices come behind: a mix of sketches would be of a state that is gone before it is made. Mix offers it.
    label = mixReady?.state === "making" ? t("main.mixing", { percent: Math.round(mixReady.share * 100) }) : mixReady?.awaited ? t("main.awaited") : t("main.mixFinished");
    why = t("main.whyAwaited");
    work = mixReady?.state === "making" || mixReady?.awaited ? () => place.go({ stage: "mix" }) : () => act.mutate(() => askForMix(id, place.language, "finished"));
  } else if (finishing) {
    label = t("main.deliverSketch");
    why = t("main.whySketch");
    work = () => place.go({ stage: "deliver" });
  } else if (counts.sketch > 0) {
    label = t("main.finish", { count: counts.sketch });
    work = () => begin("finish");
  } else if (mixReady?.state === "making") {
    label = t("main.mixing", { percent: Math.round(mixReady.share * 100) });
    why = t("main.whyMixing");
    work = () => place.go({ stage: "mix" });
  } else if (mixReady?.state !== "ready") {
    label = t("main.mix");
    work = () => act.mutate(() => askForMix(id, place.language));
  } else {
    label = t("main.deliver");
    work = () => place.go({ stage: "deliver" });
  }
  return (
    <Tip text={why || label}>
      {/* It is never without a next step. */}
      <Button
        look="main"
        className="min-w-36 shrink-0 whitespace-nowrap"
        aria-busy={act.isPending}
        onClick={() => {
          if (act.isPending && pressed.current === label) return;
          pressed.current = label;
          work();
        }}
      >
        {label}
      </Button>
    </Tip>
  );
}

/** Into the field of a line's words, once it is drawn. */
function focusWords(line: number, tries = 30) {
  requestAnimationFrame(() => {
    const field = document.querySelector<HTMLTextAreaElement>(`[data-line="${line}"] textarea`);
    if (field) field.focus();
    else if (tries > 0) focusWords(line, tries - 1);
  });
}

function StopButton({ name, job }: { name: string; job: Job }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const stop = useMutation({
    mutationFn: () => stopJob(job.id),
    onError: (error) => say({ tone: "bad", text: error.message || t("common.unreachable") }),
    onSettled: () => client.invalidateQueries({ queryKey: ["job", job.id] }),
  });
  return (
    <IconButton name={name} className="hover:bg-white/10" disabled={stop.isPending} onClick={() => stop.mutate()}>
      <Square size={15} fill="currentColor" aria-hidden />
    </IconButton>
  );
}

/** How far the rich voices are behind the sketches, and how long until all is finished. */
export function Finishing({ production }: { production: Production }) {
  const { t } = useTranslation();
  const place = usePlace();
  const finishing = useJob(production.id, place.language, "finish");
  // When all is finished it is heard back.
  const hearing = useJob(production.id, place.language, "hear", false);
  const job = finishing ?? hearing;
  if (!job) return null;
  return (
    <span role="status" className="flex items-center gap-1 text-xs text-soft">
      <span className="relative w-24 h-1 rounded-full bg-rule overflow-hidden" aria-hidden>
        <span className="absolute inset-y-0 start-0 bg-tide" style={{ width: `${(100 * job.done) / Math.max(1, job.total)}%` }} />
      </span>
      {finishing ? t("voicing.finishing", { done: job.done, total: job.total }) : t("voicing.hearing", { done: job.done, total: job.total })}
      {job.seconds_left !== null && ` · ${t("voicing.timeLeft", { time: span(job.seconds_left, UNITS(t)) })}`}
      {job.ahead && ` · ${waitsBehind(t, job.ahead)}`}
      {production.role !== "reader" && <StopButton name={finishing ? t("voicing.stopFinishing") : t("voicing.stopHearing")} job={job} />}
    </span>
  );
}
