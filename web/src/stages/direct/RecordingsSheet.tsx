import { useQuery } from "@tanstack/react-query";
import type { TFunction } from "i18next";
import { Download, FolderOpen, LoaderCircle, Trash2, Upload } from "lucide-react";
import { useRef, useState, type DragEvent } from "react";
import { useTranslation } from "react-i18next";

import { api, data, editionPath, send, type EditionLines, type Production, type Schemas } from "../../shared/api/client";
import { useChange } from "../../shared/api/queries";
import { clock } from "../../shared/format";
import { askForEditionFile, useHandOver } from "../../shared/handOver";
import { usePlace } from "../../shared/place";
import { useNotices } from "../../shared/notices";
import { Button, Empty, IconButton, Select, Sheet, Tick } from "../../shared/ui/controls";
import { SampleButton } from "../../shared/ui/SampleButton";

/** So many files go in one request. */
const AT_ONCE = 20;
const ORDER: readonly Schemas["VerdictEnum"][] = ["doubtful", "other_words", "left_over", "matched"];
const SHEETS = ["csv", "xlsx", "pdf"] as const;

/** Recordings of people: the sheet that goes to the studio, and what comes back, matched to its lines before any of it is taken. */
export function RecordingsSheet({ production, edition, open, onClose }: { production: Production; edition: EditionLines; open: boolean; onClose: () => void }) {
  const { t } = useTranslation();
  return (
    <Sheet wide title={t("recordings.title", { language: edition.edition.name })} open={open} onClose={onClose}>
      {open && <Recordings production={production} edition={edition} />}
    </Sheet>
  );
}

function Recordings({ production, edition }: { production: Production; edition: EditionLines }) {
  const { t } = useTranslation();
  const say = useNotices((state) => state.say);
  const files = useRef<HTMLInputElement>(null);
  const folder = useRef<HTMLInputElement>(null);
  const [over, setOver] = useState(false);
  /** What was decided otherwise than proposed: by recording, its line, or null for none. */
  const [given, setGiven] = useState<ReadonlyMap<number, number | null>>(new Map());
  const readOnly = production.role === "reader";
  const place = usePlace();
  const { language, direction } = edition.edition;
  const path = { params: { path: { production_id: production.id, language } } };
  const sheet = useHandOver(production.id);
  const recordings = useQuery({
    queryKey: ["production", production.id, "recordings", language],
    queryFn: () => data(api.GET("/api/productions/{production_id}/editions/{language}/recordings/", path)),
    refetchInterval: (query) => (query.state.data?.listening ? 1000 : false),
  });
  const tell = { onError: (error: Error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) };
  const bring = useChange(production.id, async (chosen: readonly File[]) => {
    let count = 0;
    const left: string[] = [];
    for (let at = 0; at < chosen.length; at += AT_ONCE) {
      const form = new FormData();
      for (const one of chosen.slice(at, at + AT_ONCE)) form.append("files", one, one.name);
      const brought = await send<Schemas["BroughtRecordings"]>(`${editionPath(production.id, language)}/recordings/`, form);
      count += brought.count;
      left.push(...brought.left);
    }
    say({ tone: left.length ? "bad" : "calm", text: [t("recordings.brought", { count }), ...left.slice(0, 3)].join(" ") });
  });
  const listening = recordings.data?.listening ?? false;
  // What somebody is to decide comes first, once all has been listened to.
  const rows = listening ? (recordings.data?.waiting ?? []) : [...(recordings.data?.waiting ?? [])].sort((one, other) => ORDER.indexOf(one.verdict) - ORDER.indexOf(other.verdict));
  const lineOf = (row: Schemas["Waiting"]) => given.get(row.id) ?? (given.has(row.id) ? null : row.line);
  const ticked = (row: Schemas["Waiting"]) => (given.has(row.id) ? given.get(row.id) !== null : row.verdict === "matched" && row.state === "ready");
  const chosen = rows.filter((row) => ticked(row) && lineOf(row) !== null);
  const twice = new Set(chosen.filter((row) => chosen.some((other) => other !== row && lineOf(other) === lineOf(row))).map((row) => row.id));
  const take = useChange(production.id, async () => {
    await data<unknown>(api.PUT("/api/productions/{production_id}/editions/{language}/recordings/", { ...path, body: { recordings: chosen.map((row) => ({ recording: row.id, line: lineOf(row) ?? 0 })) } }));
    setGiven(new Map());
  });
  const throwOut = useChange(production.id, (ids: readonly number[]) => data<unknown>(api.DELETE("/api/productions/{production_id}/editions/{language}/recordings/", { params: { ...path.params, query: { recordings: ids.join(",") } } })));
  const give = (row: Schemas["Waiting"], line: number | null) => setGiven(new Map(given).set(row.id, line));
  const words = new Map(edition.lines.map((line) => [line.id, line]));
  const sayable = edition.lines.filter((line) => line.words.trim() && line.state !== "on_screen");
  const bringAll = (list: FileList | null) => {
    const found = [...(list ?? [])].filter((one) => !one.name.startsWith("."));
    if (found.length) bring.mutate(found, tell);
  };
  const drop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    if (!readOnly) bringAll(event.dataTransfer.files);
  };
  const counted = (verdict: Schemas["VerdictEnum"]) => rows.filter((row) => row.verdict === verdict).length;
  return (
    <div className="p-5 flex flex-col gap-4 min-h-96" onDragOver={(event) => { event.preventDefault(); setOver(true); }} onDragLeave={() => setOver(false)} onDrop={drop}>
      <p className="text-sm text-soft max-w-prose">{t("recordings.what")}</p>
      <div className="flex flex-wrap items-center gap-2">
        {!readOnly && (
          <>
            <input ref={files} type="file" hidden multiple accept="audio/*,video/*,.zip" aria-label={t("recordings.bring")} onChange={(event) => { bringAll(event.target.files); event.target.value = ""; }} />
            <input ref={folder} type="file" hidden multiple {...{ webkitdirectory: "" }} aria-label={t("recordings.folder")} onChange={(event) => { bringAll(event.target.files); event.target.value = ""; }} />
            <Button disabled={bring.isPending} onClick={() => files.current?.click()}><Upload size={14} aria-hidden />{t("recordings.bring")}</Button>
            <Button disabled={bring.isPending} onClick={() => folder.current?.click()}><FolderOpen size={14} aria-hidden />{t("recordings.folder")}</Button>
          </>
        )}
        <span className="grow" />
        <span className="text-sm text-soft">{t("recordings.sheet")}</span>
        {SHEETS.map((ending) => <Button key={ending} disabled={sheet.waiting} onClick={() => void sheet.take(() => askForEditionFile(production.id, language, { file: `recording-sheet.${ending}` }))}><Download size={14} aria-hidden />{ending.toUpperCase()}</Button>)}
      </div>
      {over && <p className="rounded-md border-2 border-dashed border-tide bg-tide-wash p-6 text-center">{t("recordings.drop")}</p>}
      {(bring.isPending || listening) && <p className="text-sm text-soft flex items-center gap-2" role="status"><LoaderCircle size={14} className="animate-spin" aria-hidden />{bring.isPending ? t("recordings.bringing") : t("recordings.listening", { done: rows.filter((row) => row.state === "ready").length, total: rows.length })}</p>}
      {recordings.data && !recordings.data.hears && rows.length > 0 && <p className="text-sm text-soft">{t("recordings.unheard")}</p>}
      {recordings.data && (recordings.data.recorded > 0 || recordings.data.missing > 0) && <p className="text-sm">{t("recordings.recorded", { count: recordings.data.recorded })} {recordings.data.missing > 0 && t("recordings.missing", { count: recordings.data.missing })}</p>}
      {rows.length === 0 ? recordings.data && !bring.isPending && (
        <Empty title={t("recordings.empty")}>
          {recordings.data.recorded + recordings.data.missing === 0 && (
            <>
              <p>{t("recordings.nobody")}</p>
              {!readOnly && <Button onClick={() => place.go({ stage: "cast", line: null })}>{t("recordings.toCast")}</Button>}
            </>
          )}
        </Empty>
      ) : (
        <>
          <div className="flex flex-wrap items-center gap-4">
            <p className="grow text-sm">{(["matched", "doubtful", "other_words", "left_over"] as const).filter((verdict) => counted(verdict) > 0).map((verdict) => t(`recordings.count.${verdict}`, { count: counted(verdict) })).join(" · ")}</p>
            {!readOnly && (
              <>
                <Button onClick={() => throwOut.mutate(rows.map((row) => row.id), tell)}><Trash2 size={14} aria-hidden />{t("recordings.throwAll")}</Button>
                <Button look="main" disabled={!chosen.length || twice.size > 0 || take.isPending || bring.isPending} onClick={() => take.mutate(undefined, tell)}>{t("recordings.take", { count: chosen.length })}</Button>
              </>
            )}
          </div>
          <table className="text-sm w-full table-fixed">
            <thead><tr className="text-soft border-b border-rule"><th className="w-9" /><th className="w-9" />{(["file", "line", "heard"] as const).map((head) => <th key={head} scope="col" className="text-start font-medium py-1 pe-3">{t(`recordings.${head}`)}</th>)}<th className="w-9" /></tr></thead>
            <tbody>
              {rows.map((row) => {
                const at = lineOf(row);
                const line = at === null ? undefined : words.get(at);
                return (
                  <tr key={row.id} className="border-b border-rule align-top">
                    <td className="py-1.5"><Tick hidden label={t("recordings.takeOne", { name: row.name })} checked={ticked(row)} disabled={readOnly || (at === null && row.line === null)} onChange={(on) => give(row, on ? (at ?? row.line) : null)} /></td>
                    <td>{row.seconds > 0 && <SampleButton small name={t("recordings.hear", { name: row.name })} address={`${editionPath(production.id, language)}/recordings/${row.id}.flac`} />}</td>
                    <td className="py-1.5 pe-3">
                      <span className="block truncate" title={row.name}>{row.name}</span>
                      {row.seconds > 0 && <span className="text-xs text-soft">{clock(row.seconds)}</span>}
                      {row.faults.map((fault) => <span key={fault.code} className="block text-xs text-alarm">{t(`recording.fault.${fault.code}`, { said: fault.said })}</span>)}
                    </td>
                    <td className="py-1 pe-3">
                      <Select className="w-full" aria-label={t("recordings.lineOf", { name: row.name })} disabled={readOnly} value={at ?? ""} onChange={(event) => give(row, event.target.value === "" ? null : Number(event.target.value))}>
                        <option value="">{t("recordings.none")}</option>
                        {sayable.map((one) => <option key={one.id} value={one.id}>{one.number} · {one.words.slice(0, 60)}</option>)}
                      </Select>
                      {line && <span className="block mt-0.5" lang={language} dir={direction}>{line.words}</span>}
                    </td>
                    <td className="py-1.5 pe-3">
                      <span className={row.verdict === "matched" || row.verdict === "left_over" ? "text-soft" : "text-alarm"}>{verdictOf(t, row, words)}</span>
                      {twice.has(row.id) && <span className="block text-alarm">{t("recordings.twice")}</span>}
                      {row.heard !== null && <span className="block text-xs text-soft" lang={language} dir={direction}>{row.heard ? `“${row.heard}”` : t("recordings.nothing")}</span>}
                    </td>
                    <td className="py-1 text-end">{!readOnly && <IconButton name={t("recordings.throw", { name: row.name })} className="size-7!" onClick={() => throwOut.mutate([row.id], tell)}><Trash2 size={13} aria-hidden /></IconButton>}</td>
                  </tr>
                );
              })}
            </tbody>
          </table>
        </>
      )}
    </div>
  );
}

/** What is said of how a recording came to its line. */
function verdictOf(t: TFunction, row: Schemas["Waiting"], lines: ReadonlyMap<number, { number: number }>): string {
  if (row.state === "listening") return t("recordings.notYet");
  const number = row.line === null ? 0 : (lines.get(row.line)?.number ?? 0);
  if (row.why === "said_elsewhere") return t("recordings.why.said_elsewhere", { number, named: row.named === null ? 0 : (lines.get(row.named)?.number ?? 0) });
  if (row.why !== "") return t(`recordings.why.${row.why}`);
  if (row.verdict === "matched") return t(`recordings.by.${row.by || "heard"}`);
  return t(`recordings.verdict.${row.verdict}`);
}
