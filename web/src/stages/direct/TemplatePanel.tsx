import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { CircleCheck, CircleDashed, Download, ListVideo, Plus, Square, Trash2, TriangleAlert, Upload } from "lucide-react";
import { useEffect, useRef, useState, type ComponentProps, type KeyboardEvent } from "react";
import { useTranslation } from "react-i18next";

import { api, data, editionPath, send, type Line, type Production, type Schemas } from "../../shared/api/client";
import { useChange } from "../../shared/api/queries";
import { clock } from "../../shared/format";
import { askForEditionFile, useHandOver } from "../../shared/handOver";
import { useNotices } from "../../shared/notices";
import { useSample } from "../../shared/player";
import { Button, FIELD, IconButton, Select } from "../../shared/ui/controls";
import { SampleButton } from "../../shared/ui/SampleButton";
import { THINGS } from "./stave";

type Row = Record<string, string>;
type Kinds = NonNullable<Schemas["ClipTableChangeRequest"]["kinds"]>;
const ROW = 40;
const VISIBLE = 420;

/** Whether a line has variable parts: `{time}`. */
export const hasSlots = (words: string) => /\{\s*[\p{L}_][^{}]*\}/u.test(words);

/** A cell of the table. What is typed stays until the server has it, or has something else. */
function Cell({ value, keep, ...rest }: Omit<ComponentProps<"input">, "value"> & { value: string; keep: (typed: string) => Promise<unknown> }) {
  const [typed, setTyped] = useState<string | null>(null);
  const sent = useRef<string | null>(null);
  const send = async () => {
    const now = typed?.trim() ?? null;
    if (now === null || now === sent.current) return;
    if (now === value && sent.current === null) return setTyped(null);
    sent.current = now;
    const kept = await keep(now).then(() => true, () => false);
    if (sent.current !== now) return;
    sent.current = null;
    // Refused, it stays to be mended; so does what was typed meanwhile.
    if (kept) setTyped((later) => (later?.trim() === now ? null : later));
  };
  return (
    <input
      {...rest}
      className={FIELD}
      value={typed ?? value}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={() => void send()}
      onKeyDown={(event) => {
        if (event.key === "Escape") setTyped(null);
        rest.onKeyDown?.(event);
      }}
    />
  );
}

/** A line with variable parts and the table of their values: every row is a clip of its own, in every edition. */
export function TemplatePanel({ production, language, isSource, direction, line, readOnly }: { production: Production; language: string; isSource: boolean; direction: "ltr" | "rtl"; line: Line; readOnly: boolean }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const file = useRef<HTMLInputElement>(null);
  const box = useRef<HTMLDivElement>(null);
  const sample = useSample();
  const zip = useHandOver(production.id);
  const path = { params: { path: { production_id: production.id, language, line_id: line.id } } };
  const table = { params: { path: { production_id: production.id, line_id: line.id } } };
  const tell = { onError: (error: Error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) };
  const queryKey = ["production", production.id, "clips", language, line.id, line.words];
  const clips = useQuery({
    queryKey,
    queryFn: () => data(api.GET("/api/productions/{production_id}/editions/{language}/lines/{line_id}/clips/", path)),
    refetchInterval: (query) => (query.state.data?.making ? 700 : false),
    placeholderData: (previous) => previous,
  });
  // One after another: a row that is called otherwise by now is found by its new name.
  const inTurn = `table/${line.id}`;
  const renamed = useRef(new Map<string, string>());
  const set = useChange(production.id, async (change: Schemas["ClipTableChangeRequest"]) => {
    const before = client.getQueryData<Schemas["Clips"]>(queryKey)?.table?.rows ?? [];
    const named = (name: string) => (before.some((row) => row.name === name) ? name : (renamed.current.get(name) ?? name));
    const body = { ...change, ...(change.cells ? { cells: change.cells.map((cell) => ({ ...cell, row: named(cell.row) })) } : {}), ...(change.remove ? { remove: change.remove.map(named) } : {}), ...(change.reference ? { reference: named(change.reference) } : {}) };
    const answer = await data(api.PUT("/api/productions/{production_id}/lines/{line_id}/table/", { ...table, body }));
    const cell = change.cells?.find((one) => one.column === "name");
    if (!cell) return answer;
    // What the server calls it: the place in the list is the same.
    const at = before.findIndex((row) => row.name === named(cell.row));
    const now = answer.rows[at]?.name;
    if (now !== undefined) renamed.current.set(cell.row, now);
    return answer;
  }, inTurn);
  const remove = useChange(production.id, () => data<unknown>(api.DELETE("/api/productions/{production_id}/lines/{line_id}/table/", table)), inTurn);
  const bring = useChange(production.id, (chosen: File) => {
    const form = new FormData();
    form.append("file", chosen, chosen.name);
    return send<Schemas["ClipTable"]>(`/api/productions/${production.id}/lines/${line.id}/table/brought/`, form);
  }, inTurn);
  const make = useChange(production.id, () => data(api.POST("/api/productions/{production_id}/editions/{language}/lines/{line_id}/clips/", path)));
  const found = clips.data;
  const making = found?.making ?? null;
  const was = useRef(making !== null);
  useEffect(() => {
    if (was.current && making === null) void client.invalidateQueries({ queryKey: ["production", production.id, "clips"] });
    was.current = making !== null;
  }, [making, client, production.id]);
  const rows: readonly Row[] = found?.table?.rows ?? [];
  const slots = found?.slots ?? [];
  // The values of another language than the source's stand in columns of their own, over the plain ones.
  const column = (slot: string) => (isSource ? slot : `${slot} ${language.toLowerCase()}`);
  const state = new Map((found?.clips ?? []).map((clip) => [clip.name, clip]));
  const address = (name: string) => `${editionPath(production.id, language)}/lines/${line.id}/clips/${encodeURIComponent(name)}.wav`;
  const left = (found?.clips ?? []).filter((clip) => !clip.made && !clip.missing.length).length;
  const made = (found?.clips ?? []).filter((clip) => clip.made);
  const change = (row: string, name: string, value: string) => set.mutateAsync({ cells: [{ row, column: name, value }] }, tell);
  // eslint-disable-next-line react-hooks/incompatible-library
  const shown = useVirtualizer({ count: rows.length, getScrollElement: () => box.current, estimateSize: () => ROW, overscan: 8 });
  /** Enter goes on to the same cell of the next row, which a new one may be. */
  const onward = (event: KeyboardEvent<HTMLInputElement>, at: number) => {
    if (event.key !== "Enter") return;
    const cell = event.currentTarget.dataset.cell ?? "";
    event.currentTarget.blur();
    box.current?.querySelector<HTMLInputElement>(`[data-row="${at + 1}"][data-cell="${CSS.escape(cell)}"]`)?.focus();
  };
  const columns = `2rem 1.5rem minmax(6rem,10rem) repeat(${slots.length},minmax(4rem,8rem)) minmax(6rem,1fr) 5rem 2rem`;
  const listening = sample.row === `clips/${line.id}`;
  return (
    <section className="flex flex-col gap-4" aria-label={t("template.title")}>
      <p className="rounded-md border border-rule bg-paper p-4 text-lg" lang={language} dir={direction}>
        {line.words.split(/(\{[^{}]*\})/u).map((piece, index) => (piece.startsWith("{") ? <mark key={index} className="bg-tide-wash text-ink rounded-sm px-1">{piece}</mark> : piece))}
      </p>
      <p className="text-sm text-soft max-w-prose">{t("template.what")} {found && found.table && !found.exact && found.cast && t("template.light")}</p>
      {found && !found.cast && <p className="text-sm text-alarm">{t("direct.uncast")}</p>}
      <div className="flex flex-wrap items-center gap-2">
        {!readOnly && (
          <>
            <Button disabled={set.isPending} onClick={() => set.mutate({ add: [{ name: t("template.newRow", { number: rows.length + 1 }) }] }, tell)}><Plus size={14} aria-hidden />{t("template.addRow")}</Button>
            <input ref={file} type="file" hidden accept=".csv,.tsv,.txt,.xlsx" aria-label={t("template.bring")} onChange={(event) => { const chosen = event.target.files?.[0]; if (chosen) bring.mutate(chosen, tell); event.target.value = ""; }} />
            <Button disabled={bring.isPending} onClick={() => file.current?.click()}><Upload size={14} aria-hidden />{t("template.bring")}</Button>
          </>
        )}
        <span className="grow" />
        {made.length > 0 && <Button aria-pressed={listening} onClick={() => sample.playRow(`clips/${line.id}`, made.map((clip) => address(clip.name)))}>{listening ? <Square size={12} fill="currentColor" aria-hidden /> : <ListVideo size={14} aria-hidden />}{listening ? t("template.stop") : t("template.listen")}</Button>}
        {made.length > 0 && left === 0 && <Button disabled={zip.waiting} onClick={() => void zip.take(() => askForEditionFile(production.id, language, { file: "template-clips.zip" }))}><Download size={14} aria-hidden />ZIP</Button>}
        {making ? (
          <span role="status" className="text-sm text-soft">{t("template.making", { done: making.done, total: making.total })}</span>
        ) : (
          !readOnly && left > 0 && found?.cast && <Button look="main" disabled={make.isPending} onClick={() => make.mutate(undefined, tell)}>{t("template.make", { count: left })}</Button>
        )}
      </div>
      {rows.length > 0 && (
        <div className="rounded-md border border-rule bg-paper text-sm" role="table" aria-label={t("template.table")} aria-rowcount={rows.length + 1}>
          <div role="row" className="grid gap-2 items-center px-2 py-2 border-b border-rule text-soft" style={{ gridTemplateColumns: columns }}>
            <span role="columnheader" aria-label={t("template.hearColumn")} />
            <span role="columnheader" aria-label={t("template.measure")} />
            <span role="columnheader">{t("template.name")}</span>
            {slots.map((slot) => (
              <span key={slot} role="columnheader" className="flex flex-col gap-1">
                <span className="truncate" title={slot}>{slot}</span>
                <Select className="w-full h-7! text-xs" aria-label={t("template.readAs", { slot })} disabled={readOnly} value={found?.table?.kinds[slot] ?? ""} onChange={(event) => set.mutate({ kinds: { [slot]: event.target.value as Kinds[string] } }, tell)}>
                  <option value="">{t("template.asWritten")}</option>
                  {THINGS.map((kind) => <option key={kind} value={kind}>{t(`direct.reading.${kind}`)}</option>)}
                </Select>
              </span>
            ))}
            <span role="columnheader" className="truncate">{t("template.words")}</span>
            <span role="columnheader" className="text-end">{t("template.state")}</span>
            <span role="columnheader" aria-label={t("template.removeColumn")} />
          </div>
          <div ref={box} className="overflow-auto" style={{ maxHeight: VISIBLE }} role="rowgroup">
            <div className="relative" style={{ height: shown.getTotalSize() }} role="presentation">
              {shown.getVirtualItems().map((item) => {
                const row = rows[item.index];
                if (!row) return null;
                const name = row.name ?? "";
                const clip = state.get(name);
                return (
                  <div key={item.index} role="row" aria-rowindex={item.index + 2} className="absolute inset-x-0 grid gap-2 items-center px-2 border-b border-rule" style={{ top: item.start, height: ROW, gridTemplateColumns: columns }}>
                    <span role="cell">{clip?.made && <SampleButton small name={t("template.hear", { name })} address={address(name)} />}</span>
                    <span role="cell"><input type="radio" name={`measure-${line.id}`} className="size-4 accent-tide" aria-label={t("template.measureOf", { name })} title={t("template.measure")} disabled={readOnly} checked={found?.table?.reference === name} onChange={() => set.mutate({ reference: name }, tell)} /></span>
                    <span role="cell"><Cell aria-label={t("template.nameOf", { number: item.index + 1 })} data-row={item.index} data-cell="name" readOnly={readOnly} maxLength={60} value={name} keep={(typed) => change(name, "name", typed)} onKeyDown={(event) => onward(event, item.index)} /></span>
                    {slots.map((slot) => (
                      <span key={slot} role="cell">
                        <Cell lang={language} dir={direction} aria-label={t("template.valueOf", { slot, name })} data-row={item.index} data-cell={slot} readOnly={readOnly} maxLength={200} value={row[column(slot)] ?? ""} placeholder={isSource ? "" : row[slot]} keep={(typed) => change(name, column(slot), typed)} onKeyDown={(event) => onward(event, item.index)} />
                      </span>
                    ))}
                    <span role="cell" className={`truncate ${clip?.missing.length ? "text-alarm" : "text-soft"}`} lang={language} dir={direction} title={clip?.fault || clip?.words}>{clip?.missing.length ? t("template.missing", { slots: clip.missing.join(", ") }) : (clip?.fault || clip?.words)}</span>
                    <span role="cell" className="flex items-center justify-end gap-1 text-soft">
                      {clip?.seconds != null && clock(clip.seconds)}
                      {clip?.made ? <CircleCheck size={15} className="text-tide" aria-label={t("template.made")} /> : clip?.missing.length || clip?.fault ? <TriangleAlert size={15} className="text-alarm" aria-label={t("template.notMade")} /> : <CircleDashed size={15} aria-label={t("template.notMade")} />}
                    </span>
                    <span role="cell">{!readOnly && rows.length > 1 && <IconButton name={t("template.remove", { name })} className="size-7!" onClick={() => set.mutate({ remove: [name] }, tell)}><Trash2 size={13} aria-hidden /></IconButton>}</span>
                  </div>
                );
              })}
            </div>
          </div>
        </div>
      )}
      {found?.table && !readOnly && <p><Button onClick={() => remove.mutate(undefined, tell)}><Trash2 size={14} aria-hidden />{t("template.takeAway")}</Button></p>}
    </section>
  );
}
