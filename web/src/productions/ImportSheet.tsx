import { useMutation, useQueryClient } from "@tanstack/react-query";
import { ChevronRight, FileUp, Scissors, UserMinus, UserPlus, X } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import type { TFunction } from "i18next";
import { useTranslation } from "react-i18next";
import { useNavigate } from "react-router";

import { api, data, send, type Preview, type Schemas } from "../shared/api/client";
import { useLanguages } from "../shared/api/queries";
import { clock, languageName } from "../shared/format";
import { Button, Empty, FIELD, IconButton, Notice, Select, Sheet, Tick } from "../shared/ui/controls";
import { SpeakerMark } from "../shared/ui/SpeakerMark";
import { SpeakerField } from "../shared/ui/SpeakerField";

const ROLES = ["speaker", "words", "start", "end", "duration", "notes", "part", "kind"] as const;
const WAYS = ["whole", "heading", "paragraph", "characters", "pattern"] as const;

type Hints = Schemas["PatchedHintsRequest"];
type Rows = Preview["rows"];
const MOST_LABELS = 40;
const RATES = [23.976, 24, 25, 29.97, 30, 48, 50, 59.94, 60];

/** Bringing a script in: the file on one side, what was understood on the other; nothing is created before. */
export function ImportSheet({ open, onClose }: { open: boolean; onClose: () => void }) {
  const { t } = useTranslation();
  const navigate = useNavigate();
  const client = useQueryClient();
  const [text, setText] = useState("");
  const [name, setName] = useState("");
  const [preview, setPreview] = useState<Preview | null>(null);
  const [over, setOver] = useState(false);
  const picker = useRef<HTMLInputElement>(null);

  const read = useMutation({
    mutationFn: (from: File | string) => {
      const form = new FormData();
      if (typeof from === "string") form.set("text", from);
      else form.set("file", from);
      return send<Preview>("/api/imports/", form);
    },
    onSuccess: (found) => {
      setPreview(found);
      // A name of its own at once: it is typed over where another one is wanted.
      setName((now) => now.trim() ? now : found.filename ? found.filename.replace(/\.[^.]+$/, "").replace(/[-_]+/g, " ") : nameFrom(found) || t("import.pastedName"));
    },
    onError: () => setPreview(null),
  });
  const correct = useMutation({
    // One behind the other: each says all that was corrected of its kind, so the last has to arrive last.
    scope: { id: "import-correct" },
    mutationFn: (hints: Hints) =>
      data(
        api.PATCH("/api/imports/{draft_id}/", {
          params: { path: { draft_id: preview?.draft ?? 0 } },
          body: hints,
        }),
      ),
    onSuccess: setPreview,
  });
  const create = useMutation({
    mutationFn: () =>
      data(
        api.POST("/api/imports/{draft_id}/production/", {
          params: { path: { draft_id: preview?.draft ?? 0 } },
          body: { name },
        }),
      ),
    onSuccess: (production) => {
      void client.invalidateQueries({ queryKey: ["productions"] });
      navigate(`/productions/${production.id}`);
    },
  });
  const done = useRef<HTMLButtonElement>(null);
  const problem = useRef<HTMLDivElement>(null);
  const draft = preview?.draft;
  const warned = preview?.problems.some((one) => one.severity !== "note") ?? false;
  useEffect(() => {
    // On to what is to be done: what is odd is looked at first, else it is created.
    if (draft !== undefined) (warned ? problem.current : done.current)?.focus();
    // Once for each script that was read.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [draft]);
  const why = !preview ? t("import.whyNothing") : !name.trim() ? t("import.whyName") : "";
  const fault = create.error ?? correct.error ?? read.error;

  function take(file: File | undefined) {
    if (file) read.mutate(file);
  }
  return (
    <Sheet title={t("import.title")} wide open={open} onClose={onClose}>
      <div className="grid grid-cols-[minmax(0,2fr)_minmax(0,3fr)] h-full">
        <section className="p-5 flex flex-col gap-3 border-e border-rule min-h-0" aria-label={t("import.script")}>
          <div
            className={`rounded-lg border-2 border-dashed p-4 text-center text-sm ${over ? "border-tide bg-tide-wash" : "border-rule"}`}
            onDragOver={(event) => {
              event.preventDefault();
              setOver(true);
            }}
            onDragLeave={() => setOver(false)}
            onDrop={(event) => {
              event.preventDefault();
              setOver(false);
              take(event.dataTransfer.files[0]);
            }}
          >
            <Button onClick={() => picker.current?.click()}>
              <FileUp size={16} aria-hidden />
              {t("import.choose")}
            </Button>
            <p className="mt-2 text-soft">{t("import.formats")}</p>
            <input
              ref={picker}
              type="file"
              className="sr-only"
              tabIndex={-1}
              aria-label={t("import.choose")}
              accept=".txt,.md,.csv,.tsv,.xlsx,.docx,.pptx,.srt,.vtt,.ttml,.dfxp,.xml,.ass,.ssa,.sbv,.smi,.sub,.scc,.stl,.fountain,.json,text/plain,text/csv"
              onChange={(event) => {
                take(event.target.files?.[0]);
                event.target.value = "";
              }}
            />
          </div>
          <label htmlFor="pasted" className="text-sm font-semibold">{t("import.paste")}</label>
          <textarea
            id="pasted"
            autoFocus
            dir="auto"
            className={`${FIELD} grow min-h-40 font-sans resize-none`}
            placeholder={t("import.example")}
            value={text}
            onChange={(event) => setText(event.target.value)}
          />
          <Button onClick={() => read.mutate(text)} disabled={!text.trim() || read.isPending}>{t("import.read")}</Button>
        </section>
        <section className="flex flex-col min-h-0" aria-label={t("import.understood")} aria-live="polite">
          <div className="grow min-h-0 overflow-auto p-5 flex flex-col gap-4">
            {fault && <Notice tone="bad">{fault.message || t("common.unreachable")}</Notice>}
            {preview ? (
              <Understood preview={preview} waiting={correct.isPending} problemsRef={problem} onCorrect={(hints) => correct.mutate(hints)} />
            ) : (
              !fault && (
                <Empty title={t("import.understood")}>
                  <p>{t("import.before")}</p>
                </Empty>
              )
            )}
          </div>
          <form
            className="border-t border-rule p-4 flex items-center gap-3"
            onSubmit={(event) => {
              event.preventDefault();
              create.mutate();
            }}
          >
            <label htmlFor="production-name" className="text-sm font-semibold whitespace-nowrap">{t("import.name")}</label>
            <input id="production-name" className={FIELD} maxLength={200} required value={name} onChange={(event) => setName(event.target.value)} />
            {why && <span className="text-sm text-soft whitespace-nowrap" id="why-not">{why}</span>}
            <button
              ref={done}
              type="submit"
              aria-describedby={why ? "why-not" : undefined}
              className="h-9 px-4 rounded-md bg-lamp text-lamp-ink font-semibold text-sm whitespace-nowrap disabled:opacity-50"
              disabled={!preview || !name.trim() || create.isPending}
            >
              {preview ? t("import.create", { count: preview.line_count }) : t("import.createNothing")}
            </button>
          </form>
        </section>
      </div>
    </Sheet>
  );
}

/** A heading, or who talks with whom. */
function nameFrom(preview: Preview): string {
  const heading = preview.lines[0]?.part;
  return heading || preview.speakers.slice(0, 2).map((one) => one.name).join(" & ").slice(0, 80);
}

function Understood({
  preview,
  waiting,
  problemsRef,
  onCorrect,
}: {
  preview: Preview;
  waiting: boolean;
  problemsRef: React.RefObject<HTMLDivElement | null>;
  onCorrect: (hints: Hints) => void;
}) {
  const { t, i18n } = useTranslation();
  const languages = useLanguages().data ?? [];
  const nameOf = (tag: string) => languageName(tag, i18n.language);
  const known = new Map(languages.map((one) => [one.tag, one.name]));
  const problems = preview.problems;
  const turnedRef = useLatest(Object.fromEntries(preview.labels.filter((one) => one.turned).map((one) => [one.name, one.taken])), waiting);
  const turn = (name: string, taken: boolean) => {
    turnedRef.current = { ...turnedRef.current, [name]: taken };
    onCorrect({ labels: turnedRef.current });
  };
  const asWords = preview.labels.filter((one) => !one.taken).slice(0, MOST_LABELS);
  const meanings = preview.columns.map((column) => column.meaning);
  return (
    <>
      <p className="text-sm">
        <strong>{t("import.lines", { count: preview.line_count })}</strong>
        {" · "}
        {t("import.timed", { count: preview.timed })}
        {" · "}
        {[t(`import.format.${preview.format}`), preview.encodings.length ? "" : preview.encoding].filter(Boolean).join(", ")}
      </p>
      <div className="flex items-center gap-2 text-sm">
        <label htmlFor="source-language">{t("import.source")}</label>
        <Select
          id="source-language"
          value={preview.source_language}
          onChange={(event) => onCorrect({ source_language: event.target.value })}
        >
          {!known.has(preview.source_language) && <option value={preview.source_language}>{nameOf(preview.source_language)}</option>}
          {languages.map((one) => (
            <option key={one.tag} value={one.tag}>{one.name}</option>
          ))}
        </Select>
        {preview.languages.length > 0 && (
          <span className="text-soft">
            {t("import.translations", { names: preview.languages.map((tag) => nameOf(tag)).join(", ") })}
          </span>
        )}
      </div>
      {preview.encodings.length > 0 && (
        <label className="flex items-center gap-2 text-sm">
          {t("import.encoding")}
          <Select
            value={preview.encodings.find((one) => one.name === preview.encoding)?.id ?? ""}
            onChange={(event) => onCorrect({ encoding: event.target.value as NonNullable<Hints["encoding"]> })}
          >
            {preview.encodings.map((one) => <option key={one.id} value={one.id}>{one.name}</option>)}
          </Select>
        </label>
      )}
      {preview.from_start !== null && (
        <Tick label={t("import.fromStart")} checked={preview.from_start} onChange={(from_start) => onCorrect({ from_start })} />
      )}
      {preview.brackets !== null && (
        <Tick label={t("import.brackets")} checked={preview.brackets} onChange={(brackets) => onCorrect({ brackets })} />
      )}
      {preview.directing !== null && (
        <div className="flex flex-col gap-1">
          <Tick label={t("import.directing")} checked={preview.directing} onChange={(directing) => onCorrect({ directing })} />
          <ul className="flex flex-wrap gap-1.5 ps-6" aria-label={t("import.directed")}>
            {preview.directed.map((one) => (
              <li key={`${one.kind} ${one.what}`} className={`text-xs rounded px-1.5 py-0.5 bg-sunk ${preview.directing ? "" : "line-through text-soft"}`}>
                {directedSo(t, one)} <span className="text-soft">{one.lines}</span>
              </li>
            ))}
          </ul>
        </div>
      )}
      {preview.frames && (
        <label className="flex items-center gap-2 text-sm">
          {t("import.fps")}
          <Select value={String(preview.fps ?? 25)} onChange={(event) => onCorrect({ fps: Number(event.target.value) })}>
            {RATES.map((one) => <option key={one} value={one}>{one}</option>)}
          </Select>
        </label>
      )}
      {(preview.could_be_prose || preview.prose) && <Prose key={preview.draft} preview={preview} onCorrect={onCorrect} />}
      {preview.columns.length > 0 && (
        <fieldset>
          <legend className="text-sm font-semibold mb-1.5">{t("import.columns")}</legend>
          <div className="grid grid-cols-[repeat(auto-fill,minmax(9rem,1fr))] gap-2">
            {preview.columns.map((column, index) => (
              <label key={index} className="text-xs flex flex-col gap-0.5 min-w-0">
                <span className="truncate" title={column.header}>{column.header}</span>
                <Select
                  value={column.meaning}
                  onChange={(event) =>
                    onCorrect({
                      columns: Object.fromEntries(meanings.map((meaning, at) => [String(at), at === index ? event.target.value : meaning])),
                    })
                  }
                >
                  <option value="">{t("import.passOver")}</option>
                  {ROLES.map((role) => (
                    <option key={role} value={role}>{t(`import.role.${role}`)}</option>
                  ))}
                  {column.meaning && !(ROLES as readonly string[]).includes(column.meaning) && !known.has(column.meaning) && (
                    <option value={column.meaning}>{nameOf(column.meaning)}</option>
                  )}
                  {languages.map((one) => (
                    <option key={one.tag} value={one.tag}>{one.name}</option>
                  ))}
                </Select>
              </label>
            ))}
          </div>
        </fieldset>
      )}
      {problems.length > 0 && (
        <div ref={problemsRef} tabIndex={-1}>
          <h3 className="text-sm font-semibold mb-1.5">{t("import.problems", { count: problems.length })}</h3>
          <Problems problems={problems} />
        </div>
      )}
      <div className="flex flex-wrap gap-x-4 gap-y-2">
        {preview.speakers.map((speaker, index) => (
          <span key={speaker.name} className="flex items-center gap-1.5 text-sm min-w-0 group">
            <SpeakerMark name={speaker.name} position={index} size={22} />
            <span className="truncate max-w-48">{speaker.name}</span>
            <span className="text-soft">{speaker.lines}</span>
            {preview.labels.some((one) => one.taken && one.name === speaker.name) && (
              <IconButton name={t("import.noName", { name: speaker.name })} className="size-6! opacity-60 group-hover:opacity-100 focus:opacity-100" onClick={() => turn(speaker.name, false)}>
                <UserMinus size={13} aria-hidden />
              </IconButton>
            )}
          </span>
        ))}
      </div>
      {asWords.length > 0 && (
        <div className="flex flex-wrap items-center gap-2 text-sm" role="group" aria-label={t("import.asWords")}>
          <span className="text-soft">{t("import.asWords")}</span>
          {asWords.map((one) => (
            <Button key={one.name} className="h-7! px-2! text-xs! max-w-64" title={t("import.isName", { name: one.name })} aria-label={t("import.isName", { name: one.name })} onClick={() => turn(one.name, true)}>
              <UserPlus size={13} aria-hidden />
              <span className="truncate">{one.name}:</span>
              {one.count > 1 && <span className="text-soft">{one.count}</span>}
            </Button>
          ))}
        </div>
      )}
      <Rows preview={preview} waiting={waiting} onCorrect={(rows) => onCorrect({ rows })} key={`rows-${preview.draft}`} />
    </>
  );
}

function directedSo(t: TFunction, { kind, what }: Preview["directed"][number]): string {
  if (kind === "room") return t(`rooms.room.${what}`);
  return kind === "mood" ? t(`direct.mood.${what}`) : t(`direct.kind.${what}`);
}

/** What was odd, one heading for each kind; the rows under it. */
function Problems({ problems }: { problems: Preview["problems"] }) {
  const { t } = useTranslation();
  const kinds = [...new Set(problems.map((one) => one.code))];
  return (
    <div className="border border-lamp rounded-md divide-y divide-rule text-sm bg-paper">
      {kinds.map((kind) => {
        const some = problems.filter((one) => one.code === kind);
        const [first] = some;
        if (first && some.length === 1)
          return (
            <p key={kind} className="px-3 py-1.5 flex gap-3">
              <span className="text-soft w-14 shrink-0">{first.row ? t("import.row", { row: first.row }) : ""}</span>
              <span>{first.message}</span>
            </p>
          );
        return (
          <details key={kind} className="group">
            <summary className="px-3 py-1.5 flex gap-3 cursor-pointer list-none">
              <ChevronRight size={15} aria-hidden className="mt-0.5 shrink-0 group-open:rotate-90" />
              <span className="grow">{first?.message}</span>
              <span className="text-soft whitespace-nowrap">{t("import.rowsOf", { count: some.length })}</span>
            </summary>
            <ul className="pb-1.5 ps-10 pe-3 max-h-44 overflow-auto" tabIndex={0} aria-label={first?.message}>
              {some.map((one, index) => (
                <li key={index} className="flex gap-3">
                  <span className="text-soft w-14 shrink-0">{one.row ? t("import.row", { row: one.row }) : ""}</span>
                  <span>{one.message}</span>
                </li>
              ))}
            </ul>
          </details>
        );
      })}
    </div>
  );
}

/** What was said last: as it was answered, or, while answers are still to come, by a hand that is quicker than they. */
function useLatest<T>(answered: T, waiting: boolean) {
  const latestRef = useRef(answered);
  useEffect(() => {
    if (!waiting) latestRef.current = answered;
  }, [answered, waiting]);
  return latestRef;
}

const SHOWN = 80;

/** The lines as they were understood, corrected where they stand: who speaks, the words; left out, or cut in two. */
function Rows({ preview, waiting, onCorrect }: { preview: Preview; waiting: boolean; onCorrect: (rows: Rows) => void }) {
  const { t } = useTranslation();
  const [most, setMost] = useState(SHOWN);
  const rowsRef = useLatest(preview.rows, waiting);
  const left = Object.values(preview.rows).filter((one) => one.drop);
  const speakers = preview.speakers.map((one, index) => ({ id: index, name: one.name, position: index, lines: one.lines, note: "" }));
  const say = (next: Rows) => {
    rowsRef.current = next;
    onCorrect(next);
  };
  const change = (key: string, over: Rows[string]) => say({ ...rowsRef.current, [key]: { ...rowsRef.current[key], ...over } });
  return (
    <section aria-label={t("import.firstLines")} className="flex flex-col">
      <p className="text-xs text-soft pb-1">{t("import.correctHere")}</p>
      {left.length > 0 && (
        <p className="flex items-center gap-2 text-sm pb-1.5">
          <span className="text-soft">{t("import.leftOut", { count: left.length })}</span>
          <Button
            className="h-6! px-2! text-xs!"
            onClick={() => say(Object.fromEntries(Object.entries(rowsRef.current).map(([key, one]) => [key, one.drop ? { ...one, drop: false } : one])))}
          >
            {t("import.takeBack")}
          </Button>
        </p>
      )}
      {preview.lines.slice(0, most).map((line) => (
        <Row key={line.key} line={line} speakers={speakers} onChange={(over) => change(line.key, over)} />
      ))}
      {preview.lines.length > most && <Button className="self-start mt-2" onClick={() => setMost(most + 4 * SHOWN)}>{t("import.more", { count: preview.line_count - most })}</Button>}
    </section>
  );
}

function Row({ line, speakers, onChange }: { line: Preview["lines"][number]; speakers: React.ComponentProps<typeof SpeakerField>["speakers"]; onChange: (over: Rows[string]) => void }) {
  const { t } = useTranslation();
  const [typed, setTyped] = useState<string | null>(null);
  const field = useRef<HTMLTextAreaElement>(null);
  const words = typed ?? line.words;
  const keep = () => {
    if (typed !== null && typed.trim() !== line.words) onChange({ words: typed });
    setTyped(null);
  };
  return (
    <div className="grid grid-cols-[3.5rem_10rem_minmax(0,1fr)_auto] gap-2 items-start border-t border-rule py-0.5 text-sm group" data-row={line.key}>
      <span className="text-soft text-xs pt-1 whitespace-nowrap">{line.start === null ? (line.row ?? "") : clock(line.start)}</span>
      <span className="min-w-0">
        <SpeakerField speakers={speakers} value={line.speaker} label={t("import.speakerOf", { row: line.row ?? line.key })} onChoose={(speaker) => onChange({ speaker })} />
      </span>
      <span className="min-w-0">
        <textarea
          ref={field}
          rows={1}
          dir="auto"
          aria-label={t("import.wordsOf", { row: line.row ?? line.key })}
          className="block w-full resize-none field-sizing-content rounded-sm bg-transparent px-1 py-0.5 hover:bg-sunk focus:bg-paper"
          value={words}
          onChange={(event) => setTyped(event.target.value)}
          onBlur={keep}
          onKeyDown={(event) => {
            if (event.key === "Escape" && typed !== null) {
              event.stopPropagation();
              setTyped(null);
            }
          }}
        />
        {line.notes && <em className="block px-1 text-xs text-soft">({line.notes})</em>}
      </span>
      <span className="flex opacity-60 group-hover:opacity-100 group-focus-within:opacity-100">
        <IconButton
          name={t("import.splitRow", { row: line.row ?? line.key })}
          className="size-6!"
          // Before the field is left, while its caret is known.
          onMouseDown={(event) => event.preventDefault()}
          onClick={() => {
            const at = field.current?.selectionStart ?? 0;
            if (at > 0 && at < words.length) onChange({ words, split: at });
            else field.current?.focus();
          }}
        >
          <Scissors size={13} aria-hidden />
        </IconButton>
        <IconButton name={t("import.dropRow", { row: line.row ?? line.key })} className="size-6!" onClick={() => onChange({ drop: true })}>
          <X size={13} aria-hidden />
        </IconButton>
      </span>
    </div>
  );
}

/** A book's text: who reads it, and where its parts begin, seen before anything is made. */
function Prose({ preview, onCorrect }: { preview: Preview; onCorrect: (hints: Hints) => void }) {
  const { t } = useTranslation();
  const [way, setWay] = useState<(typeof WAYS)[number]>("heading");
  const [most, setMost] = useState("5000");
  const [pattern, setPattern] = useState("^Chapter");
  const [narrator, setNarrator] = useState("Narrator");
  const ask = (over: { way?: (typeof WAYS)[number]; prose?: boolean } = {}) =>
    onCorrect({
      prose: over.prose ?? true,
      parts_by: (over.way ?? way) === "whole" ? "" : ((over.way ?? way) as Exclude<(typeof WAYS)[number], "whole">),
      narrator,
      pattern,
      ...(Number(most) >= 200 ? { most_characters: Number(most) } : {}),
    });
  return (
    <fieldset className="rounded-md border border-rule bg-paper p-3 flex flex-col gap-2">
      <legend className="sr-only">{t("import.prose")}</legend>
      <Tick label={t("import.prose")} checked={preview.prose} onChange={(prose) => ask({ prose })} className="font-semibold" />
      {preview.prose && (
        <>
          <div className="flex flex-wrap items-end gap-3 text-xs">
            <label className="flex flex-col gap-0.5">
              {t("import.partsBy")}
              <Select value={way} onChange={(event) => { const next = event.target.value as (typeof WAYS)[number]; setWay(next); ask({ way: next }); }}>
                {WAYS.map((one) => <option key={one} value={one}>{t(`import.way.${one}`)}</option>)}
              </Select>
            </label>
            {way === "characters" && (
              <label className="flex flex-col gap-0.5">{t("import.most")}<input className={`${FIELD} w-24`} inputMode="numeric" value={most} onChange={(event) => setMost(event.target.value)} onBlur={() => ask()} /></label>
            )}
            {way === "pattern" && (
              <label className="flex flex-col gap-0.5">{t("import.pattern")}<input className={`${FIELD} w-48`} value={pattern} onChange={(event) => setPattern(event.target.value)} onBlur={() => ask()} /></label>
            )}
            <label className="flex flex-col gap-0.5">{t("import.narrator")}<input className={`${FIELD} w-36`} maxLength={120} value={narrator} onChange={(event) => setNarrator(event.target.value)} onBlur={() => ask()} /></label>
          </div>
          <p className="text-sm font-semibold">{t("import.parts", { count: preview.parts.length })}</p>
          <ol className="max-h-40 overflow-auto text-sm divide-y divide-rule" tabIndex={0} aria-label={t("import.parts", { count: preview.parts.length })}>
            {preview.parts.map((part, index) => (
              <li key={index} className="flex gap-3 py-0.5">
                <span className="grow truncate">{part.name || t("import.noTitle")}</span>
                <span className="text-soft tabular-nums">{t("import.lines", { count: part.lines })}</span>
                <span className="text-soft tabular-nums w-32 text-end whitespace-nowrap">{t("import.characters", { count: part.characters })}</span>
              </li>
            ))}
          </ol>
        </>
      )}
    </fieldset>
  );
}
