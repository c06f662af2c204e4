import { useQuery } from "@tanstack/react-query";
import { Download } from "lucide-react";
import { useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import { api, data, editionPath, type EditionLines, type Line, type Production, type Schemas } from "../../shared/api/client";
import { useChange } from "../../shared/api/queries";
import { useNotices } from "../../shared/notices";
import { Button, Select, Sheet, Tick } from "../../shared/ui/controls";
import { coloured, sentences } from "./markup";

type Scope = "line" | "part" | "edition";

/** Lines as SSML: read, edited with what is wrong at its place, and taken over. */
export function SsmlSheet({ production, edition, line, open, onClose }: { production: Production; edition: EditionLines; line: Line; open: boolean; onClose: () => void }) {
  const { t } = useTranslation();
  const [scope, setScope] = useState<Scope>("line");
  const { language } = edition.edition;
  const part = production.parts.find((one) => one.id === line.part);
  const query = scope === "line" ? { lines: String(line.id) } : scope === "part" && part ? { part: part.id } : {};
  const text = useQuery({
    queryKey: ["production", production.id, "ssml", language, query],
    enabled: open,
    queryFn: async () => {
      const answer = await fetch(`${editionPath(production.id, language)}/ssml/?${new URLSearchParams(query as Record<string, string>).toString()}`, { credentials: "same-origin" });
      if (!answer.ok) throw new Error(t("common.unreachable"));
      return answer.text();
    },
  });
  const lines = edition.lines.filter((one) => scope === "edition" || (scope === "line" ? one.id === line.id : one.part === line.part)).map((one) => one.id);
  return (
    <Sheet wide title={t("ssml.title")} open={open} onClose={onClose}>
      <div className="p-5 flex flex-col gap-3 h-full">
        <div className="flex items-center gap-2">
          <Select aria-label={t("direct.scope")} value={scope} onChange={(event) => setScope(event.target.value as Scope)}>
            <option value="line">{t("direct.scopes.line")}</option>
            {part && <option value="part">{part.name}</option>}
            <option value="edition">{t("ssml.edition", { language: edition.edition.name })}</option>
          </Select>
          <span className="grow" />
          <a className="inline-flex items-center gap-1.5 h-8 px-3 text-sm rounded-md border border-rule bg-paper hover:border-tide" href={`${editionPath(production.id, language)}/ssml/?${new URLSearchParams(query as Record<string, string>).toString()}`} download><Download size={14} aria-hidden />SSML</a>
        </div>
        {text.data === undefined ? <p className="text-soft">{text.error ? text.error.message : t("common.loading")}</p> : (
          <Editor key={text.data} production={production} language={language} text={text.data} lines={lines} onTaken={onClose} />
        )}
      </div>
    </Sheet>
  );
}

/** The sentences alone, what is marked in each shown as a mark; one that is pressed is gone to in the text. */
function Folded({ text, onGo }: { text: string; onGo: (at: number) => void }) {
  const { t } = useTranslation();
  return (
    <ol className="grow min-h-64 overflow-auto rounded-md border border-rule bg-paper p-2 text-sm" aria-label={t("ssml.folded")}>
      {sentences(text).map((one) => (
        <li key={one.at}>
          <button type="button" className="w-full text-start px-2 py-1 rounded-sm hover:bg-sunk" onClick={() => onGo(one.at)}>
            {one.words} {one.marks.length > 0 && <span className="text-xs text-tide">{one.marks.join(" · ")}</span>}
          </button>
        </li>
      ))}
    </ol>
  );
}

function Editor({ production, language, text, lines, onTaken }: { production: Production; language: string; text: string; lines: readonly number[]; onTaken: () => void }) {
  const { t } = useTranslation();
  const say = useNotices((state) => state.say);
  const field = useRef<HTMLTextAreaElement>(null);
  const behind = useRef<HTMLPreElement>(null);
  const [now, setNow] = useState(text);
  const [folded, setFolded] = useState(false);
  const readOnly = production.role === "reader";
  const path = { params: { path: { production_id: production.id, language } } };
  const looked = useQuery({
    queryKey: ["ssml-look", production.id, language, now],
    enabled: now !== text,
    queryFn: async ({ signal }) => {
      await new Promise((done) => setTimeout(done, 250));
      return data(api.PUT("/api/productions/{production_id}/editions/{language}/ssml/", { ...path, signal, body: { text: now, lines: [...lines], only_look: true } }));
    },
    placeholderData: (previous) => previous,
  });
  const take = useChange(production.id, async () => {
    await data(api.PUT("/api/productions/{production_id}/editions/{language}/ssml/", { ...path, body: { text: now, lines: [...lines], only_look: false } }));
    // Now, before the lines are looked at afresh: this editor is of the text as it was.
    onTaken();
  });
  const problems: readonly Schemas["SsmlProblem"][] = now === text ? [] : (looked.data?.problems ?? []);
  const errors = problems.filter((one) => one.severity === "error");
  const goTo = (problem: Schemas["SsmlProblem"]) => {
    const at = now.split("\n").slice(0, problem.line - 1).join("\n").length + (problem.line > 1 ? 1 : 0) + problem.column - 1;
    field.current?.focus();
    field.current?.setSelectionRange(at, at + 1);
  };
  const unfold = (at: number) => {
    setFolded(false);
    requestAnimationFrame(() => {
      field.current?.focus();
      field.current?.setSelectionRange(at, at);
      // To the line that it is on: a field of text does not go to its caret by itself.
      if (field.current) field.current.scrollTop = (now.slice(0, at).split("\n").length - 3) * 20;
    });
  };
  return (
    <>
      <Tick className="self-start" label={t("ssml.fold")} checked={folded} onChange={setFolded} />
      {folded ? <Folded text={now} onGo={unfold} /> : <div className="relative grow min-h-64 rounded-md border border-rule bg-paper overflow-hidden font-mono text-[13px] leading-5" dir="ltr">
        <pre ref={behind} aria-hidden className="absolute inset-0 m-0 p-3 overflow-hidden whitespace-pre-wrap break-words">
          {coloured(now).map((piece, index) => <span key={index} className={piece.kind === "tag" ? "text-tide font-semibold" : piece.kind === "value" ? "text-ink font-medium" : piece.kind === "name" ? "text-soft" : ""}>{piece.text}</span>)}
          {"\n"}
        </pre>
        <textarea
          ref={field}
          aria-label={t("ssml.text")}
          spellCheck={false}
          readOnly={readOnly}
          className="absolute inset-0 size-full p-3 bg-transparent text-transparent caret-ink whitespace-pre-wrap break-words resize-none font-mono text-[13px] leading-5"
          value={now}
          onChange={(event) => setNow(event.target.value)}
          onScroll={(event) => behind.current?.scrollTo(0, event.currentTarget.scrollTop)}
        />
      </div>}
      {problems.length > 0 && (
        <ul className="text-sm max-h-32 overflow-auto flex flex-col gap-1" aria-label={t("ssml.problems")}>
          {problems.map((problem, index) => (
            <li key={index}>
              <button type="button" className={`text-start underline-offset-2 hover:underline ${problem.severity === "error" ? "text-alarm" : "text-soft"}`} onClick={() => goTo(problem)}>
                {t("ssml.at", { line: problem.line, column: problem.column, message: problem.message })}
              </button>
            </li>
          ))}
        </ul>
      )}
      {!readOnly && (
        <div className="flex items-center gap-3">
          <Button look="main" disabled={now === text || looked.isFetching || errors.length > 0 || !looked.data?.changed.length} onClick={() => take.mutate(undefined, { onError: (error: Error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) })}>{t("ssml.take")}</Button>
          <span className="text-sm text-soft" role="status">{now === text || !looked.data ? "" : errors.length ? t("ssml.errors", { count: errors.length }) : t("ssml.changed", { count: looked.data.changed.length })}</span>
        </div>
      )}
    </>
  );
}
