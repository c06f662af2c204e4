import { useVirtualizer } from "@tanstack/react-virtual";
import { BookA, LayoutGrid, Rows3, X } from "lucide-react";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import type { StageProps } from "../../shared/stage";
import { useNotices } from "../../shared/notices";
import { usePlace } from "../../shared/place";
import { startVoicing, useChange } from "../../shared/api/queries";
import { useChosen } from "../../shared/useChosen";
import { useKeys } from "../../shared/useKeys";
import { Button, Empty } from "../../shared/ui/controls";
import { Board } from "./Board";
import { ChosenBar } from "./ChosenBar";
import { DraftButton } from "./DraftButton";
import { FilesMenu } from "./FilesMenu";
import { LookPanel, SourcePanel, type Phrase } from "./LookPanel";
import { useShown } from "./shown";
import { TermsSheet } from "./TermsSheet";
import { reason, useAdaptActions, useDoubts, useStandings } from "./useAdapt";
import { GRID, WordingRow } from "./WordingRow";

const REASONS = ["empty", "doubtful", "too_long", "changed", "misheard"] as const;
type Reason = (typeof REASONS)[number];
const KEYS: Record<Reason, string> = { empty: "e", doubtful: "d", too_long: "l", changed: "c", misheard: "r" };

/** Source beside wording, a row for each line; or all languages at once. */
export function AdaptStage({ production, edition, source }: StageProps) {
  const { t } = useTranslation();
  const place = usePlace();
  const { select } = place;
  const say = useNotices((state) => state.say);
  const box = useRef<HTMLDivElement>(null);
  const [board, setBoard] = useState(false);
  const [terms, setTerms] = useState(false);
  const [phrase, setPhrase] = useState<Phrase | null>(null);
  const [typing, setTyping] = useState<{ line: number; text: string } | null>(null);
  const { language, direction, own_name, is_source, counts } = edition.edition;
  const readOnly = production.role === "reader";
  const standings = useStandings(production.id, language, is_source);
  const doubts = useDoubts(production.id, language);
  const actions = useAdaptActions(production.id, language);
  const voice = useChange(production.id, (lines: number[]) => startVoicing(production.id, language, "take", lines));
  const { mutate: voiceLines } = voice;
  const speakers = useMemo(() => new Map(production.speakers.map((speaker) => [speaker.id, speaker])), [production.speakers]);
  const { only, show } = useShown();
  const shown = only?.production === production.id && only.language === language ? only : null;
  const lines = useMemo(() => (shown ? edition.lines.filter((line) => shown.lines.has(line.id)) : edition.lines), [edition.lines, shown]);
  const chosen = useChosen(lines, place.line, select);
  const { choose } = chosen;
  const sourceWords = useMemo(() => new Map(source.lines.map((line) => [line.id, line.words])), [source.lines]);
  const reasons = useMemo(
    // The source is as it was written: only how it was said is looked at.
    () => edition.lines.map((line) => ({ line: line.id, reason: is_source ? (doubts.get(line.id)?.heard ? ("misheard" as const) : null) : sourceWords.get(line.id)?.trim() ? reason(line, standings.get(line.id), doubts.get(line.id)) : null })),
    [edition.lines, standings, doubts, sourceWords, is_source],
  );
  const partNames = useMemo(() => new Map(production.parts.map((part) => [part.id, part.name])), [production.parts]);
  const items = useMemo(
    () => lines.flatMap((line, index) => (line.part !== null && line.part !== lines[index - 1]?.part ? [{ part: line.part }, { line }] : [{ line }])),
    [lines],
  );
  // The virtualiser hands out functions that change what they give; the compiler's memo is no help here.
  // eslint-disable-next-line react-hooks/incompatible-library
  const rows = useVirtualizer({
    count: items.length,
    getScrollElement: () => box.current,
    estimateSize: (index) => ("part" in (items[index] ?? {}) ? 34 : 54),
    overscan: 10,
    getItemKey: (index) => {
      const item = items[index];
      return item === undefined ? index : "line" in item ? item.line.id : `part${item.part}/${index}`;
    },
  });
  const indexOf = useCallback((id: number) => items.findIndex((item) => "line" in item && item.line.id === id), [items]);
  useEffect(() => {
    const at = place.line === null ? -1 : indexOf(place.line);
    if (at < 0 || board) return;
    const seen = rows.getVirtualItems();
    if (!seen.some((row) => row.index === at && row.start >= (box.current?.scrollTop ?? 0) + 36 && row.end <= (box.current?.scrollTop ?? 0) + (box.current?.clientHeight ?? 0) - 20))
      rows.scrollToIndex(at, { align: "center" });
    // When the choice changes, not whenever the lines do.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [place.line, board]);
  const focusOn = useCallback(
    (id: number) => {
      select(id);
      let tries = 0;
      // The row may have to be drawn first.
      const focus = () => {
        const field = box.current?.querySelector<HTMLTextAreaElement>(`[data-line="${id}"] textarea`);
        if (field) field.focus();
        else if (tries++ < 20) requestAnimationFrame(focus);
      };
      requestAnimationFrame(focus);
    },
    [select],
  );
  const onNext = useCallback(
    (from: number) => {
      const at = lines.findIndex((line) => line.id === from);
      const next = lines[at + 1];
      if (next) focusOn(next.id);
    },
    [lines, focusOn],
  );
  const goTo = (wanted: Reason) => {
    const at = reasons.findIndex((one) => one.line === place.line);
    const order = [...reasons.slice(at + 1), ...reasons.slice(0, at + 1)];
    const next = order.find((one) => one.reason === wanted);
    if (!next) return;
    if (shown && !shown.lines.has(next.line)) show(null);
    focusOn(next.line);
  };
  const onPhrase = useCallback((line: number, text: string, at: number, length: number) => setPhrase({ line, text, at, length }), []);
  const onTyping = useCallback((line: number, text: string | null) => setTyping((now) => (text === null ? (now?.line === line ? null : now) : { line, text })), []);
  const onVoice = useCallback(
    (...voiced: number[]) => voiceLines(voiced, { onError: (error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) }),
    [voiceLines, say, t],
  );
  const selected = edition.lines.find((line) => line.id === place.line);
  const approve = () => {
    if (readOnly || is_source) return;
    if (chosen.ids.size) {
      // Of several: all approved, or where they all are, none any more.
      const worded = edition.lines.filter((line) => chosen.ids.has(line.id) && line.words.trim()).map((line) => line.id);
      const open = worded.filter((id) => standings.get(id)?.state !== "approved");
      if (worded.length) void actions.state(open.length ? open : worded, open.length ? "approved" : "edited");
    } else if (selected?.words.trim()) void actions.state([selected.id], standings.get(selected.id)?.state === "approved" ? "edited" : "approved");
  };
  useKeys({ ...Object.fromEntries(REASONS.map((one) => [KEYS[one], () => goTo(one)])), a: approve, b: () => setBoard((now) => !now), "Shift+ArrowDown": () => chosen.extend(1), "Shift+ArrowUp": () => chosen.extend(-1), "Mod+a": chosen.all, Escape: chosen.letGo, Enter: () => place.line !== null && focusOn(place.line) });
  if (!edition.lines.length)
    return (
      <Empty title={t("script.empty")}>
        <p>{t("script.emptyHint")}</p>
      </Empty>
    );
  const count = (wanted: Reason) => reasons.filter((one) => one.reason === wanted).length;
  return (
    <>
      <div className="grow min-w-0 flex flex-col bg-paper">
        <div className="min-h-11 py-1 shrink-0 flex flex-wrap items-center gap-2 px-4 border-b border-rule bg-ground" role="toolbar" aria-label={t("adapt.tools")}>
          <Button className="h-7! px-2!" aria-pressed={board} onClick={() => setBoard(!board)}>
            {board ? <Rows3 size={15} aria-hidden /> : <LayoutGrid size={15} aria-hidden />}
            {board ? t("adapt.lines") : t("adapt.board")}
          </Button>
          {!board && (
            <>
              {REASONS.map((one) => {
                const many = count(one);
                // What there is none of takes no room.
                return many === 0 ? null : (
                  <button
                    key={one}
                    type="button"
                    aria-label={t("adapt.nextOf", { what: t(`adapt.reason.${one}`), count: many })}
                    className={`h-6 px-1.5 rounded-sm text-xs whitespace-nowrap flex items-center gap-1 bg-lamp-wash hover:bg-lamp hover:text-lamp-ink`}
                    onClick={() => goTo(one)}
                  >
                    {t(`adapt.reason.${one}`)} <b>{many}</b>
                  </button>
                );
              })}
            </>
          )}
          {!board && shown && (
            <button type="button" className="h-6 px-1.5 rounded-sm text-xs whitespace-nowrap flex items-center gap-1 bg-tide text-paper" aria-label={t("adapt.showAll", { what: shown.name })} onClick={() => show(null)}>
              {shown.name} <X size={12} aria-hidden />
            </button>
          )}
          <span className="ms-auto flex items-center gap-2">
            {!is_source && !readOnly && <DraftButton production={production} edition={edition} {...(shown ? { only: [...shown.lines] } : {})} />}
            {!is_source && <Button className="h-7! px-2!" onClick={() => setTerms(true)}><BookA size={15} aria-hidden />{t("adapt.terms")}</Button>}
            {!is_source && <FilesMenu production={production} edition={edition} readOnly={readOnly} />}
          </span>
        </div>
        {board ? (
          <Board
            production={production}
            onOpen={(language, line, counted) => {
              setBoard(false);
              show(counted ? { production: production.id, language, ...counted } : null);
              place.go({ language, line });
            }}
          />
        ) : (
          <div ref={box} className="grow min-h-0 overflow-auto" role="table" aria-label={t("adapt.table", { language: own_name })} aria-rowcount={items.length + 1}>
            <div role="row" className={`sticky top-0 z-10 bg-ground border-b border-rule grid ${GRID} gap-3 px-4 h-8 items-center text-xs text-soft`}>
              <span role="columnheader">{t("adapt.line")}</span>
              <span role="columnheader" className="truncate" title={source.edition.own_name} lang={source.edition.language}>{source.edition.own_name}</span>
              <span role="columnheader" className="flex items-center gap-3 min-w-0" dir={direction}>
                <span className="truncate" title={is_source ? undefined : own_name} lang={language}>{is_source ? t("adapt.same") : own_name}</span>
                {!is_source && <span className="truncate" dir="ltr">{t("adapt.worded", { done: counts.lines - counts.empty, total: counts.lines })}</span>}
              </span>
              <span role="columnheader" className="text-end">{t("adapt.take")}</span>
            </div>
            <div role="rowgroup" className="relative" style={{ height: rows.getTotalSize() + 72 }}>
              {rows.getVirtualItems().map((row) => {
                const item = items[row.index];
                if (!item) return null;
                return (
                  <div key={row.key} role="presentation" ref={rows.measureElement} data-index={row.index} className="absolute inset-x-0 top-0" style={{ transform: `translateY(${row.start}px)` }}>
                    {"line" in item ? (
                      <WordingRow
                        production={production.id}
                        edition={edition}
                        line={item.line}
                        speaker={speakers.get(item.line.speaker)}
                        sourceWords={sourceWords.get(item.line.id) ?? ""}
                        sourceLanguage={source.edition.language}
                        sourceDirection={source.edition.direction}
                        standing={standings.get(item.line.id)}
                        doubt={doubts.get(item.line.id)}
                        selected={item.line.id === place.line}
                        chosen={chosen.ids.has(item.line.id)}
                        readOnly={readOnly}
                        actions={actions}
                        onSelect={select}
                        onChoose={choose}
                        onNext={onNext}
                        onPhrase={onPhrase}
                        onTyping={onTyping}
                        onVoice={onVoice}
                      />
                    ) : (
                      <div role="row" className="px-4 pt-2 pb-1 text-sm font-semibold">
                        <span role="rowheader">{partNames.get(item.part)}</span>
                      </div>
                    )}
                  </div>
                );
              })}
            </div>
          </div>
        )}
        {!board && !is_source && !readOnly && chosen.ids.size > 0 && (
          <ChosenBar production={production} edition={edition} lines={edition.lines.filter((line) => chosen.ids.has(line.id))} standings={standings} actions={actions} onVoice={(ids) => onVoice(...ids)} onDone={chosen.letGo} />
        )}
      </div>
      {!board && !is_source && (
        <LookPanel
          production={production}
          edition={edition}
          line={selected}
          source={selected ? (sourceWords.get(selected.id) ?? "") : ""}
          standing={selected && standings.get(selected.id)}
          doubt={selected && doubts.get(selected.id)}
          phrase={phrase && phrase.line === selected?.id ? phrase : null}
          text={typing && typing.line === selected?.id ? typing.text : (selected?.words ?? "")}
          actions={actions}
          readOnly={readOnly}
          onApprove={approve}
        />
      )}
      {!board && is_source && doubts.size > 0 && <SourcePanel production={production} edition={edition} line={selected} doubt={selected && doubts.get(selected.id)} actions={actions} readOnly={readOnly} />}
      <TermsSheet production={production} edition={edition} open={terms} readOnly={readOnly} onClose={() => setTerms(false)} />
    </>
  );
}
