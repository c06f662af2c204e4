import { useQuery } from "@tanstack/react-query";
import { Download, Trash2, Upload } from "lucide-react";
import { useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import { api, data, editionPath, send, type EditionLines, type Production, type Schemas } from "../../shared/api/client";
import { useChange } from "../../shared/api/queries";
import { useNotices } from "../../shared/notices";
import { Button, Empty, FIELD, IconButton, Select, Sheet, Tick } from "../../shared/ui/controls";
import { HearButton } from "./HearButton";
import { READINGS, type ReadingKind } from "./stave";

type Entry = Schemas["LexiconEntry"];

/** How words and phrases are read wherever they stand, with where each is used and in which voice it is heard. */
export function LexiconSheet({ production, edition, open, onClose }: { production: Production; edition: EditionLines; open: boolean; onClose: () => void }) {
  const { t } = useTranslation();
  const { language, name, direction } = edition.edition;
  return (
    <Sheet wide title={t("lexicon.title", { language: name })} open={open} onClose={onClose}>
      {open && <Lexicon production={production} edition={edition} language={language} direction={direction} />}
    </Sheet>
  );
}

const EMPTY = { phrase: "", kind: "alias" as ReadingKind, said: "", case_matters: false, exact: false, note: "", shared: false };

function Lexicon({ production, edition, language, direction }: { production: Production; edition: EditionLines; language: string; direction: "ltr" | "rtl" }) {
  const { t } = useTranslation();
  const say = useNotices((state) => state.say);
  const file = useRef<HTMLInputElement>(null);
  const [draft, setDraft] = useState(EMPTY);
  const [voice, setVoice] = useState<number>(0);
  const readOnly = production.role === "reader";
  const path = { production_id: production.id, language };
  const lexicon = useQuery({ queryKey: ["production", production.id, "lexicon", language], queryFn: () => data(api.GET("/api/productions/{production_id}/editions/{language}/lexicon/", { params: { path } })) });
  const tell = { onError: (error: Error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) };
  const add = useChange(production.id, async (entry: typeof EMPTY) => {
    await data(api.POST("/api/productions/{production_id}/editions/{language}/lexicon/", { params: { path }, body: entry as Entry }));
    setDraft(EMPTY);
  });
  const change = useChange(production.id, (entry: Entry) => data(api.PUT("/api/productions/{production_id}/editions/{language}/lexicon/{entry_id}/", { params: { path: { ...path, entry_id: entry.id } }, body: entry })));
  const remove = useChange(production.id, (entry: Entry) => data(api.DELETE("/api/productions/{production_id}/editions/{language}/lexicon/{entry_id}/", { params: { path: { ...path, entry_id: entry.id } } })));
  const bring = useChange(production.id, async (chosen: File) => {
    const form = new FormData();
    form.append("file", chosen);
    const brought = await send<Schemas["BroughtLexicon"]>(`${editionPath(production.id, language)}/lexicon/brought/`, form);
    say({ tone: brought.left.length ? "bad" : "calm", text: [t("lexicon.brought", { count: brought.count }), ...brought.left.slice(0, 3)].join(" ") });
  });
  // A line of each speaker who has a voice: that is who an entry is heard in.
  const heardIn = production.speakers.map((speaker) => ({ speaker, line: edition.lines.find((line) => line.speaker === speaker.id && line.voice) })).filter((one) => one.line);
  const line = heardIn[voice]?.line;
  const entries = lexicon.data?.entries ?? [];
  const wanted = (phrase: string, kind: ReadingKind, said: string) => ({ production: production.id, language, line: line?.id ?? 0, body: { words: phrase, marks: [{ kind, word: 0, amount: 1, count: phrase.split(/\s+/).length, ...(kind === "alias" || kind === "ipa" ? { said } : {}) }] } });
  const written = draft.kind === "alias" || draft.kind === "ipa";
  return (
    <div className="p-5 flex flex-col gap-4">
      <p className="text-sm text-soft max-w-prose">{t("lexicon.what")}</p>
      <div className="flex flex-wrap items-center gap-2">
        {heardIn.length > 0 && (
          <label className="flex items-center gap-2 text-sm">
            {t("lexicon.heardIn")}
            <Select value={voice} onChange={(event) => setVoice(Number(event.target.value))}>{heardIn.map((one, index) => <option key={one.speaker.id} value={index}>{one.speaker.name}</option>)}</Select>
          </label>
        )}
        <span className="grow" />
        <a className="inline-flex items-center gap-1.5 h-8 px-3 text-sm rounded-md border border-rule bg-paper hover:border-tide" href={`${editionPath(production.id, language)}/lexicon.pls`} download><Download size={14} aria-hidden />PLS</a>
        <a className="inline-flex items-center gap-1.5 h-8 px-3 text-sm rounded-md border border-rule bg-paper hover:border-tide" href={`${editionPath(production.id, language)}/lexicon.csv`} download><Download size={14} aria-hidden />CSV</a>
        {!readOnly && (
          <>
            <input ref={file} type="file" hidden accept=".pls,.xml,.csv,.tsv,.txt" aria-label={t("lexicon.bring")} onChange={(event) => { const chosen = event.target.files?.[0]; if (chosen) bring.mutate(chosen, tell); event.target.value = ""; }} />
            <Button onClick={() => file.current?.click()}><Upload size={14} aria-hidden />{t("lexicon.bring")}</Button>
          </>
        )}
      </div>
      {!readOnly && (
        <form
          className="grid grid-cols-[1fr_11rem_1.4fr_auto] gap-2 items-center rounded-md border border-rule bg-paper p-3"
          aria-label={t("lexicon.add")}
          onSubmit={(event) => {
            event.preventDefault();
            add.mutate(draft, tell);
          }}
        >
          <input className={FIELD} lang={language} dir={direction} aria-label={t("lexicon.phrase")} placeholder={t("lexicon.phrase")} maxLength={100} value={draft.phrase} onChange={(event) => setDraft({ ...draft, phrase: event.target.value })} />
          <Select aria-label={t("lexicon.kind")} value={draft.kind} onChange={(event) => setDraft({ ...draft, kind: event.target.value as ReadingKind })}>{READINGS.map((kind) => <option key={kind} value={kind}>{t(`direct.reading.${kind}`)}</option>)}</Select>
          <input className={FIELD} disabled={!written} dir={draft.kind === "ipa" ? "ltr" : direction} aria-label={t("lexicon.said")} placeholder={t("lexicon.said")} maxLength={200} value={written ? draft.said : ""} onChange={(event) => setDraft({ ...draft, said: event.target.value })} />
          <span className="flex items-center gap-1">
            {line && <HearButton name={t("lexicon.hear", { phrase: draft.phrase })} id="lexicon/new" wanted={wanted(draft.phrase || "a", draft.kind, draft.said || draft.phrase || "a")} />}
            <Button type="submit" look="main" disabled={!draft.phrase.trim() || (written && !draft.said.trim())}>{t("lexicon.add")}</Button>
          </span>
          <span className="col-span-full flex flex-wrap gap-5">
            <Tick label={t("lexicon.case")} checked={draft.case_matters} onChange={(on) => setDraft({ ...draft, case_matters: on })} />
            <Tick label={t("lexicon.exact")} checked={draft.exact} onChange={(on) => setDraft({ ...draft, exact: on })} />
            <Tick label={t("lexicon.shared")} checked={draft.shared} onChange={(on) => setDraft({ ...draft, shared: on })} />
          </span>
        </form>
      )}
      {lexicon.isPending ? <p className="text-soft">{t("common.loading")}</p> : entries.length === 0 ? <Empty title={t("lexicon.empty")} /> : (
        <table className="text-sm w-full">
          <thead><tr className="text-start text-soft border-b border-rule">{(["phrase", "kind", "said", "note", "used"] as const).map((head) => <th key={head} className="text-start font-medium py-1 pe-3">{t(`lexicon.${head}`)}</th>)}<th /></tr></thead>
          <tbody>
            {entries.map((entry) => (
              <tr key={entry.id} className="border-b border-rule align-baseline">
                <td className="py-1.5 pe-3 font-medium" lang={language} dir={direction}>{entry.phrase}</td>
                <td className="pe-3">{t(`direct.reading.${entry.kind}`)}</td>
                <td className="pe-3 w-64">
                  {entry.kind === "alias" || entry.kind === "ipa" ? <input aria-label={t("lexicon.saidOf", { phrase: entry.phrase })} className={FIELD} dir={entry.kind === "ipa" ? "ltr" : direction} readOnly={readOnly} maxLength={200} defaultValue={entry.said} key={entry.said} onBlur={(event) => event.target.value !== entry.said && change.mutate({ ...entry, said: event.target.value }, tell)} onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()} /> : "–"}
                  {entry.against && <span className="block text-xs text-alarm">{t("lexicon.against", { said: entry.against })}</span>}
                </td>
                <td className="pe-3 text-soft">{entry.note}</td>
                <td className="pe-3 tabular-nums" title={(entry.lines ?? []).map((id) => edition.lines.find((one) => one.id === id)?.number).join(", ")}>{t("lexicon.lines", { count: entry.lines?.length ?? 0 })}{entry.shared ? ` · ${t("lexicon.sharedMark")}` : ""}</td>
                <td className="whitespace-nowrap text-end">
                  {line && <HearButton name={t("lexicon.hear", { phrase: entry.phrase })} id={`lexicon/${entry.id}`} wanted={wanted(entry.phrase, entry.kind, entry.said ?? "")} className="size-7!" />}
                  {!readOnly && <IconButton name={t("lexicon.remove", { phrase: entry.phrase })} className="size-7!" onClick={() => remove.mutate(entry, tell)}><Trash2 size={13} aria-hidden /></IconButton>}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {!readOnly && (lexicon.data?.proposed.length ?? 0) > 0 && (
        <section className="flex flex-col gap-2">
          <h3 className="text-sm font-semibold">{t("lexicon.proposed")}</h3>
          <p className="flex flex-wrap gap-2">
            {lexicon.data?.proposed.map((one) => <Button key={one.phrase} onClick={() => setDraft({ ...EMPTY, phrase: one.phrase, kind: one.kind as ReadingKind })}>{t("lexicon.often", { phrase: one.phrase, count: one.count })}</Button>)}
          </p>
        </section>
      )}
    </div>
  );
}
