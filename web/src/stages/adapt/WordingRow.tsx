import { Mic } from "lucide-react";
import { memo, useEffect, useLayoutEffect, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import { useNotices } from "../../shared/notices";
import { editionPath, Fault, type EditionLines, type Line, type Speaker } from "../../shared/api/client";
import { rate } from "../../shared/format";
import { dropTyped, keepTyped, keptTyped } from "../../shared/kept";
import { Button, IconButton } from "../../shared/ui/controls";
import { SpeakerMark } from "../../shared/ui/SpeakerMark";
import { TakeDot } from "../../shared/ui/TakeDot";
import { howChosen, type How } from "../../shared/useChosen";
import { SampleButton } from "../../shared/ui/SampleButton";
import { Unanswered } from "../../shared/unanswered";
import { GaugeBar, GaugeWords } from "./Gauge";
import { MARK_LOOK, pieces, sourceSpans, wordingSpans } from "./marks";
import { useGauge, type AdaptActions, type Doubt, type Standing } from "./useAdapt";

export const GRID = "grid-cols-[8.5rem_minmax(0,1fr)_minmax(0,1.3fr)_7.5rem] xl:grid-cols-[11.5rem_minmax(0,1fr)_minmax(0,1.3fr)_9rem]";
const STATE_LOOK = { empty: "border-alarm text-alarm", draft: "border-dashed border-lamp text-ink", edited: "border-tide text-ink", approved: "border-tide bg-tide text-paper" } as const;

interface Props {
  production: number;
  edition: EditionLines;
  line: Line;
  speaker: Speaker | undefined;
  sourceWords: string;
  sourceLanguage: string;
  sourceDirection: "ltr" | "rtl";
  standing: Standing | undefined;
  doubt: Doubt | undefined;
  selected: boolean;
  chosen: boolean;
  readOnly: boolean;
  actions: AdaptActions;
  onSelect: (line: number) => void;
  onChoose: (line: number, how: How) => void;
  onNext: (from: number) => void;
  onPhrase: (line: number, text: string, at: number, length: number) => void;
  onTyping: (line: number, text: string | null) => void;
  onVoice: (line: number) => void;
}

/** A line: source, wording, how long it will be, and what became of it. */
export const WordingRow = memo(function WordingRow(props: Props) {
  const { t } = useTranslation();
  const { edition, line, speaker, sourceWords, standing, doubt, selected, chosen, readOnly } = props;
  const { language, direction, is_source, own_name } = edition.edition;
  const state = line.words.trim() ? (standing?.state ?? "edited") : "empty";
  return (
    <div
      role="row"
      data-line={line.id}
      aria-current={selected ? "true" : undefined}
      className={`grid ${GRID} gap-3 px-4 py-1.5 items-start border-b border-rule/60 border-s-4 ${chosen ? "border-s-tide bg-tide-wash" : selected ? "border-s-tide bg-tide-wash/60" : "border-s-transparent"}`}
      onClick={() => props.onSelect(line.id)}
    >
      <span role="cell" className="flex items-center gap-2 min-w-0">
        <button
          type="button"
          tabIndex={-1}
          aria-label={t("script.chooseLine", { number: line.number })}
          aria-pressed={chosen}
          className="text-xs text-soft w-7 h-6 pe-1 text-end shrink-0 rounded-sm hover:bg-sunk select-none"
          onClick={(event) => {
            event.stopPropagation();
            props.onChoose(line.id, howChosen(event));
          }}
        >
          {line.number}
        </button>
        {speaker && <SpeakerMark name={speaker.name} position={speaker.position} size={22} />}
        <span className="truncate text-sm font-semibold" title={speaker?.name}>{speaker?.name}</span>
      </span>
      <div role="cell" className="text-sm py-0.5 min-w-0" lang={props.sourceLanguage} dir={props.sourceDirection}>
        {standing?.source_difference.length ? (
          <p className="wrap-anywhere">
            {standing.source_difference.map(([kind, text], index) =>
              kind === "same" ? <span key={index}>{text}</span> : kind === "new" ? <ins key={index} className="bg-lamp-wash no-underline">{text}</ins> : <del key={index} className="text-soft">{text}</del>,
            )}
            <span className="block text-2xs text-soft">{t("adapt.sourceChanged")}</span>
          </p>
        ) : (
          <p className="wrap-anywhere">
            {pieces(sourceWords, sourceSpans(doubt)).map((piece, index) =>
              piece.kind ? <span key={index} className={MARK_LOOK[piece.kind]} title={piece.note}>{piece.text}</span> : <span key={index}>{piece.text}</span>,
            )}
          </p>
        )}
      </div>
      <div role="cell" className="text-sm min-w-0">
        {is_source ? (
          <p className="py-0.5 text-soft">{t("adapt.inScript")}</p>
        ) : (
          <Field key={line.id} {...props} label={t("adapt.wordsOf", { number: line.number, language: own_name })} />
        )}
      </div>
      <div role="cell" className="flex flex-col gap-1 text-xs text-soft min-w-0">
        <span className="flex items-center justify-end gap-1 h-6">
          {!is_source && (
            <span className={`me-auto rounded-sm border px-1 text-2xs ${STATE_LOOK[state]}`} title={standing?.by ? t("adapt.byWhom", { user: standing.by, at: standing.at ? new Date(standing.at).toLocaleString() : "" }) : undefined}>
              {t(`adapt.state.${state}`)}
              {standing?.score != null && state === "draft" && ` ${Math.floor(standing.score * 100)} %`}
            </span>
          )}
          {line.seconds > 0 && line.slot && <span className={line.over > 0 ? "text-alarm font-semibold" : ""}>{rate(line.rate)}</span>}
          <TakeDot line={line} />
          {(line.state === "unvoiced" || line.state === "out_of_date") && !line.by_person && !readOnly ? (
            <IconButton className="size-6!" tabIndex={selected ? 0 : -1} name={t("adapt.voice", { number: line.number })} onClick={() => props.onVoice(line.id)}>
              <Mic size={14} aria-hidden />
            </IconButton>
          ) : line.natural !== null ? (
            <SampleButton small tabIndex={selected ? 0 : -1} name={t("adapt.hear", { number: line.number })} address={`${editionPath(props.production, language)}/lines/${line.id}/take.wav`} />
          ) : (
            <span className="w-6" />
          )}
        </span>
        {!selected && line.slot && line.natural !== null && line.state === "current" && (
          <GaugeBar direction={direction} gauge={{ natural: line.natural, slot: (line.slot[1] ?? 0) - (line.slot[0] ?? 0), room: null, standing: line.over > 0 ? "over" : line.flags.includes("fast") ? "fast" : "fits" }} />
        )}
      </div>
    </div>
  );
});

/** Milliseconds without a key, after which what was typed is saved. */
const PAUSE = 500;
const RETRY = 4_000;

/** The words, typed directly. Saved while they are typed, and on leaving; Escape leaves the field, and takes nothing back. */
function Field({ production, edition, line, doubt, standing, selected, readOnly, actions, label, onSelect, onNext, onPhrase, onTyping }: Props & { label: string }) {
  const { t } = useTranslation();
  const say = useNotices((state) => state.say);
  const field = useRef<HTMLTextAreaElement>(null);
  const { language, direction } = edition.edition;
  const own = `wording/${production}/${language}/${line.id}`;
  const [kept] = useState(() => keptTyped(own));
  const [typed, setTyped] = useState<string | null>(kept && kept.text.trim() !== line.words ? kept.text : null);
  const [unsaved, setUnsaved] = useState(false);
  const [reopen, setReopen] = useState(false);
  const base = useRef(kept?.base ?? line.revision);
  const [unanswered] = useState(() => new Unanswered());
  const saving = useRef<Promise<boolean> | null>(null);
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  const latest = useRef({ typed, words: line.words, reopen });
  useLayoutEffect(() => {
    latest.current = { typed, words: line.words, reopen };
  });
  const text = typed ?? line.words;
  const approved = standing?.state === "approved";

  useLayoutEffect(() => {
    const box = field.current;
    if (!box) return;
    box.style.height = "0";
    box.style.height = `${box.scrollHeight}px`;
  }, [text]);
  useEffect(() => () => onTyping(line.id, null), [onTyping, line.id]);

  /** Save what stands in the field. While the hand is in it the field is left as it was typed, its own undo with it. */
  async function keep(leaving = false): Promise<boolean> {
    clearTimeout(timer.current);
    if (saving.current) await saving.current;
    const now = latest.current.typed;
    if (now === null) return true;
    const done = () => {
      if (latest.current.typed === now) dropTyped(own);
      if (leaving) setTyped((current) => (current === now ? null : current));
      setUnsaved(false);
      onTyping(line.id, null);
      return true;
    };
    if (now.trim() === latest.current.words && !unanswered.some) return done();
    const save = async (): Promise<boolean> => {
      try {
        unanswered.send(now);
        const saved = await actions.write(line.id, now, base.current, latest.current.reopen);
        unanswered.answered();
        base.current = saved.revision;
        latest.current.words = saved.text;
        return done();
      } catch (error) {
        if (!(error instanceof Fault)) throw error;
        const theirs = error.code === "conflict" ? (error.current as { text?: string; revision?: number } | undefined) : undefined;
        const revision = theirs?.revision;
        if (revision && unanswered.isOurs(theirs.text)) {
          // Our own words came through though their answer did not: these go on from there.
          base.current = revision;
          unanswered.answered();
          return await save();
        }
        setUnsaved(true);
        // The next try is typed over what stands there now, knowingly.
        if (revision) base.current = revision;
        keepTyped(own, { text: now, base: base.current });
        say({ tone: "bad", text: `${label}: ${error.message || t("common.unreachableKept")}` });
        // Away for a moment: it is tried again by itself.
        if (error.status === 0 || error.status === 503) timer.current = setTimeout(() => void keepNow.current(), RETRY);
        return false;
      }
    };
    saving.current = save();
    const saved = await saving.current;
    saving.current = null;
    return saved;
  }
  const keepNow = useRef(keep);
  useEffect(() => {
    keepNow.current = keep;
  });
  useEffect(() => {
    // Kept from before a reload, or from when the connection was lost: it goes on to the server.
    if (latest.current.typed !== null) void keepNow.current(true);
    const leave = () => void keepNow.current();
    window.addEventListener("pagehide", leave);
    return () => {
      window.removeEventListener("pagehide", leave);
      // A row scrolled out of sight while it is typed in is not left by hand: it is saved all the same.
      void keepNow.current();
    };
  }, []);
  function phrase() {
    const box = field.current;
    if (box) onPhrase(line.id, box.value, box.selectionStart, box.selectionEnd - box.selectionStart);
  }
  return (
    <div className="relative -mx-1.5">
      {typed === null && doubt && (
        <div aria-hidden lang={language} dir={direction} className="absolute inset-0 pointer-events-none px-1.5 py-0.5 leading-snug whitespace-pre-wrap break-words text-transparent">
          {pieces(line.words, wordingSpans(doubt)).map((piece, index) => (piece.kind ? <span key={index} className={MARK_LOOK[piece.kind]}>{piece.text}</span> : <span key={index}>{piece.text}</span>))}
        </div>
      )}
      <textarea
        ref={field}
        rows={1}
        aria-label={label}
        aria-invalid={unsaved}
        lang={language}
        dir={direction}
        readOnly={readOnly || (approved && !reopen)}
        spellCheck={false}
        className={`relative block w-full resize-none overflow-hidden rounded-sm bg-transparent px-1.5 py-0.5 leading-snug hover:bg-sunk/40 focus:bg-paper ${text.trim() || readOnly ? "" : "outline outline-1 outline-dashed outline-rule bg-sunk/40"} ${unsaved ? "outline-2 outline-alarm" : ""}`}
        value={text}
        data-wording
        onFocus={() => {
          if (typed === null) base.current = line.revision;
          onSelect(line.id);
        }}
        onChange={(event) => {
          const next = event.target.value;
          setTyped(next);
          keepTyped(own, { text: next, base: base.current });
          onTyping(line.id, next);
          clearTimeout(timer.current);
          timer.current = setTimeout(() => void keepNow.current(), PAUSE);
        }}
        onSelect={phrase}
        onBlur={() => void keep(true).then((done) => done && setReopen(false))}
        onKeyDown={(event) => {
          if (event.nativeEvent.isComposing) return;
          if (event.key === "Enter" && !event.shiftKey) {
            event.preventDefault();
            const approve = event.ctrlKey || event.metaKey;
            void keep().then((done) => {
              if (done && approve && text.trim()) void actions.state([line.id], "approved");
            });
            // On at once: who goes through line after line does not wait for the server, and is not moved later.
            onNext(line.id);
          } else if (event.key === "Escape") {
            event.stopPropagation();
            event.currentTarget.blur();
          }
        }}
      />
      {selected && !readOnly && approved && !reopen && (
        <p className="mt-1 px-1.5 flex items-center gap-2 text-xs">
          <span className="text-soft grow">{t("adapt.isApproved")}</span>
          <Button
            className="h-6! text-xs! px-2!"
            onClick={() => {
              // Asked once: what is approved is not changed by a slip of the hand.
              setReopen(true);
              field.current?.focus();
            }}
          >
            {t("adapt.reopen")}
          </Button>
        </p>
      )}
      {selected && !readOnly && <LiveGauge production={production} edition={edition} line={line} text={text} />}
    </div>
  );
}

function LiveGauge({ production, edition, line, text }: { production: number; edition: EditionLines; line: Line; text: string }) {
  const { t } = useTranslation();
  const gauge = useGauge(production, line, edition.edition.language, text, edition.timing);
  if (!gauge || (gauge.slot === null && gauge.natural === 0)) return null;
  return (
    <div className="mt-1 px-1.5 flex items-center gap-2 text-xs" role="status" aria-label={t("gauge.name")} data-exact={gauge.exact} data-standing={gauge.standing} data-natural={gauge.natural.toFixed(3)}>
      {gauge.slot !== null && <span className="grow min-w-16"><GaugeBar gauge={gauge} direction={edition.edition.direction} tall /></span>}
      <span className="whitespace-nowrap"><GaugeWords gauge={gauge} /></span>
    </div>
  );
}
