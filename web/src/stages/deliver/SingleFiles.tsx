import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import type { TFunction } from "i18next";
import { Download, LoaderCircle } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { useNotices } from "../../shared/notices";
import { usePlace } from "../../shared/place";
import { api, data, type Delivery, type Production } from "../../shared/api/client";
import { askForMix, fetchMix, startVoicing, useDeliveries } from "../../shared/api/queries";
import { clock, decibels } from "../../shared/format";
import { askForEditionFile, askForProductionFile, contentOf, useHandOver, type EditionFile, type HandOver, type ProductionFile } from "../../shared/handOver";
import { Button, Notice, Select } from "../../shared/ui/controls";

const SCRIPTS = ["csv", "tsv", "xlsx", "docx", "pptx", "txt", "fountain", "srt", "vtt", "ttml", "json"] as const;
const TRACKS = ["wav", "flac", "mp3"] as const;

/** Files by themselves: editions down, what can be had across. */
export function SingleFiles({ production }: { production: Production }) {
  const { t } = useTranslation();
  const deliveries = useDeliveries(production.id);
  const rows = new Map((deliveries.data ?? []).map((row) => [row.language, row]));
  return (
    <div>
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
      <ScriptFile production={production.id} />
      <Past production={production.id} />
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
                    stage: stop.code === "uncast" ? "cast" : stop.code === "unrecorded" ? "direct" : "adapt",
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
  // Just the mix that is shown is asked for: whatever is finished meanwhile, that one can be had.
  const file = (name: EditionFile["file"], label: string) => (
    <FileButton
      key={name}
      production={production}
      ask={() => askForEditionFile(production, row.language, { file: name, mix: row.mix_ready ? row.mix : "", sketch: sketches > 0, unread: row.unread.length > 0 })}
      label={label}
    />
  );
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
              {TRACKS.map((kind) => file(`mix.${kind}`, t(`deliver.file.${kind}`)))}
            </span>
            <span className="block text-xs text-soft mt-1.5">
              {clock(row.seconds)} · {decibels(row.lufs ?? 0)} LUFS · {decibels(row.true_peak_db ?? 0)} dBTP
            </span>
          </>
        ) : (
          <Button disabled={mix.isPending} onClick={() => mix.mutate()}>{mix.isPending ? t("deliver.mixing") : t("deliver.mix")}</Button>
        )}
      </td>
      <td className="px-3 py-3">{file("clips.zip", t("deliver.file.zip"))}</td>
      <td className="px-3 py-3">
        <span className="flex flex-wrap gap-2">
          {file("captions.srt", t("deliver.file.srt"))}
          {file("captions.vtt", t("deliver.file.vtt"))}
          {row.on_screen > 0 && file("on-screen.csv", t("deliver.onScreen", { count: row.on_screen }))}
        </span>
      </td>
    </>
  );
}

/** The script in any format, and what that one cannot hold, said before it goes out. */
function ScriptFile({ production }: { production: number }) {
  const { t } = useTranslation();
  const [file, setFile] = useState<ProductionFile["file"]>("script.csv");
  const unheld = useQuery({
    queryKey: ["production", production, "unheld", file],
    queryFn: () => data(api.GET("/api/productions/{production_id}/unheld/", { params: { path: { production_id: production }, query: { file } } })),
  }).data;
  return (
    <section aria-label={t("deliver.scriptFile")} className="mt-6 text-sm">
      <h2 className="font-semibold mb-1.5">{t("deliver.scriptFile")}</h2>
      <p className="flex items-center gap-3">
        <Select aria-label={t("deliver.scriptAs")} value={file} onChange={(event) => setFile(event.target.value as ProductionFile["file"])}>
          {SCRIPTS.map((one) => <option key={one} value={`script.${one}`}>{t(`deliver.scriptIn.${one}`)}</option>)}
        </Select>
        <FileButton production={production} ask={() => askForProductionFile(production, { file })} label={t("deliver.takeScript")} />
        {unheld?.length === 0 && <span className="text-soft">{t("deliver.heldAll")}</span>}
      </p>
      {unheld && unheld.length > 0 && (
        <div className="mt-2 text-soft" role="status">
          <p>{t("deliver.unheld")}</p>
          <ul className="list-disc ps-5">
            {unheld.map((one) => <li key={one.code}>{one.message}</li>)}
          </ul>
        </div>
      )}
    </section>
  );
}

/** A file to take away: made first where it is not there. */
function FileButton({ production, ask, label }: { production: number; ask: () => Promise<HandOver>; label: string }) {
  const { t } = useTranslation();
  const { waiting, take } = useHandOver(production);
  return (
    <Button className="px-2.5!" aria-busy={waiting} onClick={() => void take(ask)}>
      {waiting ? <LoaderCircle size={14} aria-hidden className="animate-spin motion-reduce:animate-none" /> : <Download size={14} aria-hidden />}
      {waiting ? t("deliver.making") : label}
    </Button>
  );
}

const COUNTED = ["clips", "cues", "holds", "lines", "pages"] as const;

/** What was handed over, by whom, and what was measured of it. */
function Past({ production }: { production: number }) {
  const { t, i18n } = useTranslation();
  const files = useQuery({
    queryKey: ["production", production, "files"],
    queryFn: () => data(api.GET("/api/productions/{production_id}/files/", { params: { path: { production_id: production } } })),
  }).data;
  const ready = (files ?? []).filter((file) => file.state === "ready");
  if (!ready.length) return null;
  const when = new Intl.DateTimeFormat(i18n.language, { dateStyle: "medium", timeStyle: "short" });
  return (
    <section aria-label={t("deliver.past")} className="mt-6 max-w-4xl">
      <h2 className="text-sm font-semibold mb-1">{t("deliver.past")}</h2>
      <ul className="text-sm divide-y divide-rule border-y border-rule">
        {ready.map((file) => (
          <li key={file.id} className="flex items-center gap-4 py-1">
            <span className="grow min-w-0 truncate" title={file.name}>{file.name}</span>
            <span className="text-xs text-soft whitespace-nowrap">{measured(file, t)}</span>
            <span className="text-xs text-soft whitespace-nowrap">{t("deliver.pastBy", { user: file.by ?? "", at: when.format(new Date(file.asked)) })}</span>
            <a className="inline-grid place-items-center size-7 rounded-md hover:bg-sunk" href={contentOf(production, file)} download aria-label={t("deliver.again", { name: file.name })}>
              <Download size={14} aria-hidden />
            </a>
          </li>
        ))}
      </ul>
    </section>
  );
}

function measured(file: HandOver, t: TFunction): string {
  const { lufs, seconds } = file.report;
  const counted = COUNTED.flatMap((what) => (file.report[what] === undefined ? [] : [t(`deliver.measured.${what}`, { count: file.report[what] })]));
  return [...counted, ...(seconds === undefined ? [] : [clock(seconds)]), ...(lufs === undefined ? [] : [`${decibels(lufs)} LUFS`])].join(" · ");
}
