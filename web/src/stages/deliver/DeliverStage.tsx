import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Download } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { StageProps } from "../../shared/stage";
import { useNotices } from "../../shared/notices";
import { usePlace } from "../../shared/place";
import { editionPath, whyNot, type Delivery } from "../../shared/api/client";
import { askForMix, fetchMix, startVoicing, useDeliveries } from "../../shared/api/queries";
import { clock, decibels } from "../../shared/format";
import { Button, Notice } from "../../shared/ui/controls";

const TRACKS = ["wav", "flac", "mp3"] as const;
const OTHERS = ["clips.zip", "captions.srt", "captions.vtt"] as const;

/** Editions down, what can be handed over across. */
export function DeliverStage({ production }: StageProps) {
  const { t } = useTranslation();
  const deliveries = useDeliveries(production.id);
  const rows = new Map((deliveries.data ?? []).map((row) => [row.language, row]));
  return (
    <div className="grow min-w-0 overflow-auto p-5">
      {deliveries.error && <Notice tone="bad">{deliveries.error.message || t("common.unreachable")}</Notice>}
      <table className="w-full border-collapse text-sm" aria-label={t("deliver.table")}>
        <thead>
          <tr className="text-start text-xs text-soft border-b border-rule">
            {(["edition", "track", "clips", "captions"] as const).map((name) => (
              <th key={name} scope="col" className="text-start font-normal px-3 py-2">{t(`deliver.${name}`)}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {production.editions.map((edition) => {
            const row = rows.get(edition.language);
            return (
              <tr key={edition.language} className="border-b border-rule align-top bg-paper">
                <th scope="row" className="text-start px-3 py-3 font-normal min-w-48">
                  <span className="font-semibold block" lang={edition.language}>{edition.own_name}</span>
                  <span className="text-soft block">{edition.is_source ? t("frame.source") : edition.name === edition.own_name ? "" : edition.name}</span>
                  {row && !edition.is_source && (
                    <span className="block text-xs text-soft mt-1">{t("deliver.readAndApproved", { approved: row.approved, drafts: row.unread.length, total: row.worded })}</span>
                  )}
                  {row && row.empty > 0 && row.empty < edition.counts.lines && (
                    <span className="block text-xs mt-1">{t("deliver.partly", { count: row.empty })}</span>
                  )}
                </th>
                {row ? <Cells production={production.id} row={row} /> : <td colSpan={3} className="px-3 py-3 text-soft">…</td>}
              </tr>
            );
          })}
        </tbody>
      </table>
      <p className="mt-5 text-sm flex items-center gap-3">
        <FileLink href={`/api/productions/${production.id}/script.csv`} label={t("script.download")} />
        <span className="text-soft">{t("deliver.script")}</span>
      </p>
    </div>
  );
}

function Cells({ production, row }: { production: number; row: Delivery }) {
  const { t } = useTranslation();
  const place = usePlace();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const [anyway, setAnyway] = useState(false);
  const [unread, setUnread] = useState(false);
  const base = `${editionPath(production, row.language)}/files/`;
  const mix = useMutation({
    mutationFn: async () => {
      let made = await askForMix(production, row.language);
      while (made.state === "making") {
        await new Promise((done) => setTimeout(done, 300));
        made = await fetchMix(production, row.language, made.recipe);
      }
    },
    onError: (error) => say({ tone: "bad", text: error.message || t("common.unreachable") }),
    onSettled: () => client.invalidateQueries({ queryKey: ["production", production] }),
  });
  const finish = useMutation({
    mutationFn: () => startVoicing(production, row.language, "finish"),
    onError: (error) => say({ tone: "bad", text: error.message || t("common.unreachable") }),
    onSettled: () => client.invalidateQueries({ queryKey: ["production", production] }),
  });
  if (row.stops.length)
    return (
      <td colSpan={3} className="px-3 py-3">
        <ul className="flex flex-col gap-1">
          {row.stops.map((stop) => (
            <li key={stop.code}>
              <button
                type="button"
                className="text-alarm underline decoration-alarm/40 hover:decoration-alarm text-start"
                onClick={() =>
                  place.go({
                    language: row.language,
                    stage: stop.code === "uncast" ? "cast" : "adapt",
                    line: stop.lines[0] ?? null,
                  })
                }
              >
                {t(`deliver.stop.${stop.code}`, { count: stop.lines.length })}
              </button>
            </li>
          ))}
        </ul>
      </td>
    );
  const sketches = row.sketches.length;
  if (row.unread.length && !unread)
    return (
      <td colSpan={3} className="px-3 py-3">
        <p>{t("deliver.unread", { count: row.unread.length })}</p>
        <span className="flex gap-2 mt-2">
          <Button look="main" onClick={() => place.go({ language: row.language, stage: "adapt", line: row.unread[0] ?? null })}>{t("deliver.read")}</Button>
          <Button onClick={() => setUnread(true)}>{t("deliver.unreadAnyway")}</Button>
        </span>
      </td>
    );
  // A link names just the mix that is shown: whatever is finished meanwhile, that one can be had.
  const query = (sound: boolean) => `?${new URLSearchParams({ ...(row.mix_ready ? { mix: row.mix } : {}), ...(sound && sketches ? { sketch: "true" } : {}), ...(row.unread.length ? { unread: "true" } : {}) })}`;
  if (sketches && !anyway)
    return (
      <td colSpan={3} className="px-3 py-3">
        <p>{t("deliver.sketches", { count: sketches })}</p>
        <span className="flex gap-2 mt-2">
          <Button look="main" disabled={row.finishing || finish.isPending} onClick={() => finish.mutate()}>
            {row.finishing ? t("deliver.finishing") : t("deliver.finish", { count: sketches })}
          </Button>
          <Button onClick={() => setAnyway(true)}>{t("deliver.anyway")}</Button>
        </span>
      </td>
    );
  return (
    <>
      <td className="px-3 py-3">
        {sketches > 0 && <p className="mb-2">{t("deliver.sketches", { count: sketches })}</p>}
        {row.mix_ready ? (
          <>
            <span className="flex flex-wrap gap-2">
              {TRACKS.map((kind) => (
                <FileLink key={kind} href={`${base}mix.${kind}${query(true)}`} label={t(`deliver.file.${kind}`)} />
              ))}
            </span>
            <span className="block text-xs text-soft mt-1.5">
              {clock(row.seconds)} · {decibels(row.lufs ?? 0)} LUFS · {decibels(row.true_peak_db ?? 0)} dBTP
            </span>
          </>
        ) : (
          <Button disabled={mix.isPending} onClick={() => mix.mutate()}>{mix.isPending ? t("deliver.mixing") : t("deliver.mix")}</Button>
        )}
      </td>
      <td className="px-3 py-3"><FileLink href={`${base}${OTHERS[0]}${query(true)}`} label={t("deliver.file.zip")} /></td>
      <td className="px-3 py-3">
        <span className="flex flex-wrap gap-2">
          <FileLink href={`${base}${OTHERS[1]}${query(false)}`} label={t("deliver.file.srt")} />
          <FileLink href={`${base}${OTHERS[2]}${query(false)}`} label={t("deliver.file.vtt")} />
          {row.on_screen > 0 && <FileLink href={`${base}on-screen.csv`} label={t("deliver.onScreen", { count: row.on_screen })} />}
        </span>
      </td>
    </>
  );
}

/** A file to take away. Where it cannot be had the page says why; nothing is saved that is not the file. */
function FileLink({ href, label }: { href: string; label: string }) {
  const { t } = useTranslation();
  const say = useNotices((state) => state.say);
  const client = useQueryClient();
  const [waiting, setWaiting] = useState(false);
  async function take(event: React.MouseEvent<HTMLAnchorElement>) {
    if (event.ctrlKey || event.metaKey || event.shiftKey) return;
    event.preventDefault();
    if (waiting) return;
    const wanted = event.currentTarget.href;
    setWaiting(true);
    const fault = await whyNot(wanted);
    setWaiting(false);
    if (fault) {
      say({ tone: "bad", text: fault.message || t("common.unreachable") });
      void client.invalidateQueries({ queryKey: ["production"] });
      return;
    }
    const link = document.createElement("a");
    link.href = wanted;
    link.download = "";
    link.click();
  }
  return (
    <a href={href} download aria-busy={waiting} onClick={(event) => void take(event)} className="inline-flex items-center gap-1.5 h-8 px-2.5 rounded-md border border-rule bg-paper hover:border-tide whitespace-nowrap aria-busy:opacity-60">
      <Download size={14} aria-hidden />
      {label}
    </a>
  );
}
