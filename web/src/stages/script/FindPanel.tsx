import { useQuery } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { useTranslation } from "react-i18next";

import { useNotices } from "../../shared/notices";
import { api, data, Fault, type Production, type Schemas } from "../../shared/api/client";
import { Button, FIELD, Select, Tick } from "../../shared/ui/controls";
import type { EditedLine } from "../../shared/script/scriptState";
import type { ScriptActions } from "../../shared/script/useScript";

type Asked = Schemas["ReplaceRequest"];

/** Find, and replace what is ticked: over the source or any edition, shown before it is done. */
export function FindPanel({ production, lines, actions, onGo }: { production: Production; lines: readonly EditedLine[]; actions: ScriptActions; onGo: (line: number) => void }) {
  const { t } = useTranslation();
  const say = useNotices((state) => state.say);
  const [find, setFind] = useState("");
  const [replacement, setReplacement] = useState("");
  const [regular, setRegular] = useState(false);
  const [exact, setExact] = useState(false);
  const [whole, setWhole] = useState(false);
  const [reopen, setReopen] = useState(false);
  const [language, setLanguage] = useState(production.source_language);
  const [left, setLeft] = useState<ReadonlySet<number>>(new Set());
  const asked: Asked = useDeferredValue({ find, replacement, regular, exact_case: exact, whole_words: whole } as Asked);
  const call = (body: Asked) =>
    data(api.POST("/api/productions/{production_id}/editions/{language}/replace/", { params: { path: { production_id: production.id, language } }, body }));
  const found = useQuery({
    queryKey: ["production", production.id, "find", language, asked],
    enabled: asked.find !== "",
    queryFn: () => call(asked),
    retry: false,
    placeholderData: (previous) => previous,
  });
  const hits = asked.find === "" || found.error ? [] : (found.data?.hits ?? []);
  const numbers = new Map(lines.map((line, index) => [line.id, index + 1]));
  const ticked = hits.filter((hit) => !left.has(hit.line) && numbers.has(hit.line));
  async function replace() {
    try {
      const all = left.size === 0 && (found.data?.line_count ?? 0) > hits.length;
      const done = await call({ ...asked, apply: true, reopen, ...(all ? {} : { lines: ticked.map((hit) => hit.line) }) });
      say({ tone: "calm", text: t("script.replaced", { count: done.applied }) });
      await actions.lookAgain();
      void found.refetch();
    } catch (error) {
      if (!(error instanceof Fault)) throw error;
      say({ tone: "bad", text: error.message || t("common.unreachable") });
    }
  }
  const tick = (label: string, value: boolean, set: (value: boolean) => void) => <Tick label={label} checked={value} onChange={set} />;
  return (
    <div className="flex flex-col gap-2">
      <input autoFocus aria-label={t("script.find")} placeholder={t("script.find")} className={FIELD} value={find} onChange={(event) => { setFind(event.target.value); setLeft(new Set()); }} />
      {production.role !== "reader" && (
        <input aria-label={t("script.replaceBy")} placeholder={t("script.replaceBy")} className={FIELD} value={replacement} onChange={(event) => setReplacement(event.target.value)} />
      )}
      <Select aria-label={t("script.findIn")} value={language} onChange={(event) => { setLanguage(event.target.value); setLeft(new Set()); }}>
        {production.editions.map((one) => <option key={one.language} value={one.language}>{one.own_name}</option>)}
      </Select>
      <div className="flex flex-wrap gap-x-3 gap-y-1">
        {tick(t("script.exactCase"), exact, setExact)}
        {tick(t("script.wholeWords"), whole, setWhole)}
        {tick(t("script.regular"), regular, setRegular)}
      </div>
      {found.error instanceof Fault && asked.find !== "" && <p role="alert" className="text-sm text-alarm">{found.error.message || t("common.unreachable")}</p>}
      {asked.find !== "" && !found.error && found.data && (
        <p className="text-sm text-soft" role="status">{t("script.hits", { count: found.data.count, lines: found.data.line_count })}</p>
      )}
      {production.role !== "reader" && hits.some((hit) => hit.approved) && tick(t("script.reopenToo"), reopen, setReopen)}
      {production.role !== "reader" && ticked.length > 0 && (
        <Button look="main" onClick={() => void replace()}>{t("script.replaceIn", { count: left.size ? ticked.length : (found.data?.line_count ?? 0) })}</Button>
      )}
      <ul className="flex flex-col">
        {hits.map((hit) => (
          <li key={hit.line} className="flex gap-1.5 items-start py-1 border-b border-rule/60">
            <span className="mt-0.5">
              <Tick
                hidden
                label={t("script.replaceHere", { number: numbers.get(hit.line) ?? 0 })}
                checked={!left.has(hit.line)}
                onChange={(on) => {
                  const next = new Set(left);
                  if (on) next.delete(hit.line);
                  else next.add(hit.line);
                  setLeft(next);
                }}
              />
            </span>
            <button type="button" className="min-w-0 grow text-start text-sm" onClick={() => onGo(hit.line)}>
              <span className="text-xs text-soft me-1.5">{numbers.get(hit.line)}</span>
              <Marked text={hit.text} spans={hit.spans} />
              {replacement !== "" && !(hit.approved && !reopen) && <span className="block text-tide">{hit.replaced}</span>}
              {hit.approved && <span className="block text-xs text-soft">{reopen ? t("script.willReopen") : t("script.staysApproved")}</span>}
            </button>
          </li>
        ))}
      </ul>
    </div>
  );
}

function Marked({ text, spans }: { text: string; spans: number[][] }) {
  // Spans are counted in characters as the server counts them: by code point.
  const characters = Array.from(text);
  const pieces: React.ReactNode[] = [];
  let at = 0;
  for (const [from = 0, to = 0] of spans) {
    pieces.push(characters.slice(at, from).join(""), <mark key={from} className="bg-lamp-wash text-ink rounded-xs">{characters.slice(from, to).join("")}</mark>);
    at = to;
  }
  pieces.push(characters.slice(at).join(""));
  return <span>{pieces}</span>;
}
