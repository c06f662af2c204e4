import { useVirtualizer } from "@tanstack/react-virtual";
import type { TFunction } from "i18next";
import { BookA, CodeXml, Drama, MicVocal, RotateCcw } from "lucide-react";
import { useEffect, useMemo, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import { api, data, type Line, type Schemas } from "../../shared/api/client";
import { startVoicing, useChange } from "../../shared/api/queries";
import { useNotices } from "../../shared/notices";
import { usePlace } from "../../shared/place";
import type { StageProps } from "../../shared/stage";
import { useJob } from "../../shared/useJob";
import { useSourceMedia } from "../../shared/useSourceMedia";
import { Button, Empty, FIELD, Tick } from "../../shared/ui/controls";
import { Setting } from "../../shared/ui/Setting";
import { SpeakerMark } from "../../shared/ui/SpeakerMark";
import { TakeDot } from "../../shared/ui/TakeDot";
import { GuidePanel } from "./GuidePanel";
import { HearButton } from "./HearButton";
import { LexiconSheet } from "./LexiconSheet";
import { dialMarks, Moods } from "./Moods";
import { Readings } from "./Readings";
import { RecordedWords } from "./RecordedWords";
import { RecordingPanel } from "./RecordingPanel";
import { RecordingsSheet } from "./RecordingsSheet";
import { SourceActingSheet } from "./SourceActingSheet";
import { SsmlSheet } from "./SsmlSheet";
import { Staff } from "./Staff";
import { amountOf, DIALS, gaps, parted, readAs, readingOf, turned, type Dial, type Mark, type ReadingKind } from "./stave";
import { Takes } from "./Takes";
import { hasSlots, TemplatePanel } from "./TemplatePanel";
import { useDirection, type Directing } from "./useDirection";
import { hear, hush, useHeard, useHearingTime } from "./useHearing";

/** Seconds before a change from which it is heard. */
const LEAD = 1;
/** Seconds of the pauses that are usual. */
const PAUSES = { none: 0, short: 0.25, long: 0.7 } as const;
const ORDER: readonly Dial[] = ["pace", "stress", "lift", "turn", "range", "level"];

/** How each line is said: its words on a stave, with everything that can be taken hold of. */
export function DirectStage({ production, edition }: StageProps) {
  const { t } = useTranslation();
  const place = usePlace();
  const selected = edition.lines.find((line) => line.id === place.line) ?? edition.lines[0];
  const [lines, setLines] = useState<readonly number[]>([]);
  if (!selected) return <Empty title={t("direct.empty")} />;
  const select = (line: number, extend: boolean) => {
    if (extend) {
      const [one, other] = [edition.lines.indexOf(selected), edition.lines.findIndex((row) => row.id === line)];
      setLines(edition.lines.slice(Math.min(one, other), Math.max(one, other) + 1).map((row) => row.id));
      return;
    }
    setLines([]);
    place.select(line);
  };
  return (
    <>
      <LineList production={production} edition={edition} selected={selected} chosen={lines} onSelect={select} />
      <div className="grow min-w-0 overflow-auto">
        <Directed key={selected.id} production={production} edition={edition} line={selected} chosen={lines.includes(selected.id) ? lines : [selected.id]} />
      </div>
    </>
  );
}

function LineList({ production, edition, selected, chosen, onSelect }: Pick<StageProps, "production" | "edition"> & { selected: Line; chosen: readonly number[]; onSelect: (line: number, extend: boolean) => void }) {
  const { t } = useTranslation();
  const box = useRef<HTMLDivElement>(null);
  const speakers = useMemo(() => new Map(production.speakers.map((speaker) => [speaker.id, speaker])), [production.speakers]);
  // The virtualiser hands out functions that change what they give; the compiler's memo is no help here.
  // eslint-disable-next-line react-hooks/incompatible-library
  const rows = useVirtualizer({ count: edition.lines.length, getScrollElement: () => box.current, estimateSize: () => 44, overscan: 10 });
  const at = edition.lines.indexOf(selected);
  const [recordings, setRecordings] = useState(false);
  // Lines change while recordings are prepared behind the page.
  useJob(production.id, edition.edition.language, "prepare", false);
  useEffect(() => rows.scrollToIndex(at, { align: "auto" }), [rows, at]);
  return (
    <div className="w-72 xl:w-88 shrink-0 border-e border-rule bg-paper flex flex-col">
    <div className="p-2 border-b border-rule flex items-center gap-2">
      <Button className="grow justify-center" onClick={() => setRecordings(true)}><MicVocal size={14} aria-hidden />{t("recordings.name")}</Button>
      {edition.edition.counts.unrecorded > 0 && <span className="text-xs text-soft">{t("main.record", { count: edition.edition.counts.unrecorded })}</span>}
    </div>
    <RecordingsSheet production={production} edition={edition} open={recordings} onClose={() => setRecordings(false)} />
    <div ref={box} className="grow min-h-0 overflow-auto" role="listbox" aria-multiselectable aria-label={t("direct.lines")}>
      <div className="relative" style={{ height: rows.getTotalSize() }}>
        {rows.getVirtualItems().map((row) => {
          const line = edition.lines[row.index];
          const speaker = line && speakers.get(line.speaker ?? -1);
          if (!line) return null;
          return (
            <button key={line.id} type="button" role="option" aria-selected={line.id === selected.id || chosen.includes(line.id)} className={`absolute inset-x-0 h-11 px-3 flex items-center gap-2 text-start border-b border-rule ${line.id === selected.id ? "bg-tide-wash border-s-4 border-s-tide" : chosen.includes(line.id) ? "bg-tide-wash" : "hover:bg-sunk"}`} style={{ top: row.start }} onClick={(event) => onSelect(line.id, event.shiftKey)}>
              <span className="w-7 text-end text-xs text-soft shrink-0">{line.number}</span>
              {speaker && <SpeakerMark name={speaker.name} position={speaker.position} size={22} />}
              <span className="grow min-w-0 flex flex-col">
                <span className="truncate text-sm" lang={edition.edition.language} dir={edition.edition.direction}>{line.words || t("take.empty")}</span>
                {line.directed && <span className={`truncate text-2xs text-soft ${edition.edition.direction === "rtl" ? "text-end" : ""}`}>{summary(t, line.directed)}</span>}
              </span>
              <TakeDot line={line} />
            </button>
          );
        })}
      </div>
    </div>
    </div>
  );
}

function Directed({ production, edition, line, chosen: lines }: Pick<StageProps, "production" | "edition"> & { line: Line; chosen: readonly number[] }) {
  const { t } = useTranslation();
  const say = useNotices((state) => state.say);
  const { language, direction } = edition.edition;
  const readOnly = production.role === "reader";
  const { direction: directed, stave, fault, set } = useDirection(production.id, language, line.id, line.words, !line.by_person && line.state !== "template");
  const tell = { onError: (error: Error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) };
  const voice = useChange(production.id, () => startVoicing(production.id, language, "take", [line.id]));
  const everywhere = useChange(production.id, (entry: { phrase: string; kind: ReadingKind; said: string }) =>
    data(api.POST("/api/productions/{production_id}/editions/{language}/lexicon/", { params: { path: { production_id: production.id, language } }, body: entry as Schemas["LexiconEntry"] })));
  const [[from, to], choose] = useState<readonly [number, number]>([0, 0]);
  /** A reading that the server would not have: it stays to be mended. */
  const [refused, setRefused] = useState<{ from: number; to: number; kind: ReadingKind; said: string } | null>(null);
  const [lexicon, setLexicon] = useState(false);
  const [markup, setMarkup] = useState(false);
  const [acting, setActing] = useState(false);
  const recording = useSourceMedia(production.id);
  const [hearing, setHearing] = useState(true);
  const speaker = production.speakers.find((one) => one.id === line.speaker);
  const marks: readonly Mark[] = directed?.marks ?? [];
  const count = to - from + 1;
  const id = `line/${line.id}`;
  const time = useHearingTime(id);
  const heardFault = useHeard((state) => state.fault);
  const wanted = (first: number | null, last?: number) => ({
    production: production.id, language, line: line.id,
    from: first === null ? 0 : Math.max(0, (stave?.words[first]?.start ?? 0) - (last === undefined ? LEAD : 0.02)),
    ...(last === undefined ? {} : { to: (stave?.words[last]?.end ?? 0) + 0.03 }),
  });
  const listen = (first: number | null, last?: number) => void hear(id, wanted(first, last));
  const change = (next: Directing, word: number | null = null, onRefused: () => void = () => undefined) =>
    set(next, { onError: onRefused, onSuccess: () => hearing && line.voice && (next.marks || next.variant !== undefined) && listen(word) });
  const mark = (next: Mark[], word = from) => change({ marks: next }, word);
  const dial = (which: Dial, amount: number) => {
    const { min, max, step } = DIALS[which];
    mark(turned(marks, which, from, count, Math.round(Math.min(max, Math.max(min, Math.round(amount / step) * step)) * 1000) / 1000));
  };
  const chosen = stave?.words.slice(from, to + 1).map((word) => word.text).join(" ") ?? "";
  const silence = stave ? (gaps(stave, marks)[from] ?? 0) : 0;
  useEffect(() => hush, []);
  return (
    <section className="p-5 flex flex-col gap-4" aria-label={t("direct.line", { number: line.number })}>
      <header className="flex items-center gap-3 min-w-0">
        {speaker && <SpeakerMark name={speaker.name} position={speaker.position} size={32} />}
        <div className="min-w-0 grow">
          <h2 className="font-semibold truncate">{speaker?.name} <span className="text-soft font-normal text-sm">{t("time.line", { number: line.number })}</span></h2>
          {line.notes && <p className="text-sm italic text-soft truncate">{line.notes}</p>}
        </div>
        {line.voice && !line.by_person && line.state !== "template" && line.words.trim() !== "" && (
          <>
            <Tick label={t("direct.hearChanges")} checked={hearing} onChange={setHearing} />
            <HearButton name={t("direct.hearLine")} id={id} wanted={wanted(null)} />
          </>
        )}
        {recording?.state === "ready" && recording.has_sound && <Button onClick={() => setActing(true)}><Drama size={14} aria-hidden />{t("acting.name")}</Button>}
        {line.words.trim() !== "" && <Button onClick={() => setMarkup(true)}><CodeXml size={14} aria-hidden />SSML</Button>}
        <Button onClick={() => setLexicon(true)}><BookA size={14} aria-hidden />{t("lexicon.name")}</Button>
        <TakeDot line={line} />
        {!readOnly && line.voice && !line.by_person && line.words.trim() && line.state !== "current" && line.state !== "template" && (
          <Button disabled={voice.isPending} onClick={() => voice.mutate(undefined, tell)}>{t("direct.voice")}</Button>
        )}
      </header>
      <SourceActingSheet production={production} edition={edition} open={acting} onClose={() => setActing(false)} />
      <SsmlSheet production={production} edition={edition} line={line} open={markup} onClose={() => setMarkup(false)} />
      <LexiconSheet production={production} edition={edition} open={lexicon} onClose={() => setLexicon(false)} />
      {heardFault && <p className="text-alarm text-sm" role="alert">{heardFault}</p>}
      {line.by_person && line.words.trim() !== "" && <RecordedWords production={production.id} language={language} direction={direction} line={line} />}
      {line.by_person && <RecordingPanel production={production} language={language} line={line} readOnly={readOnly} />}
      {!line.words.trim() ? (
        <p className="text-soft">{t("direct.noWords")}</p>
      ) : line.state === "template" ? (
        <TemplatePanel production={production} language={language} isSource={edition.edition.is_source} direction={direction} line={line} readOnly={readOnly} />
      ) : line.by_person ? null : fault ? (
        <p className="text-alarm" role="alert">{fault.message}</p>
      ) : !stave ? (
        <p className="text-soft" role="status">{t("common.loading")}</p>
      ) : (
        <>
          {stave.known ? (
            <Staff
              stave={stave}
              marks={marks}
              chosen={[from, Math.min(to, stave.words.length - 1)]}
              language={language}
              direction={direction}
              readOnly={readOnly}
              time={time}
              onChoose={(word, extend) => choose(extend ? [Math.min(from, word), Math.max(from, word)] : [word, word])}
              onLift={(by) => dial("lift", amountOf(marks, "lift", from) + by)}
              onPace={(by) => dial("pace", amountOf(marks, "pace", from) + by)}
              onGap={(word, seconds) => mark(parted(marks, word, seconds), word)}
              onStress={() => dial("stress", amountOf(marks, "stress", from) > 0 ? 0 : 1)}
              onHear={(alone) => (alone ? listen(from, to) : listen(from))}
            />
          ) : (
            <p className="text-soft max-w-prose">{line.state === "uncast" ? t("direct.uncast") : t("direct.light")}</p>
          )}
          {(directed?.lost.length ?? 0) > 0 && <p className="text-sm text-alarm">{t("direct.lost", { count: directed?.lost.length ?? 0, marks: directed?.lost.map((one) => `${t(`direct.kind.${one.kind}`)} (“${one.words}”)`).join(", ") ?? "" })}</p>}
          <div className="grid lg:grid-cols-2 gap-4 items-start">
            {stave.known && (
              <div className="flex flex-col gap-4">
              <div className="flex flex-col gap-2 rounded-md border border-rule bg-paper p-4">
                <div className="flex items-center gap-2">
                  <h3 className="text-sm font-semibold truncate grow" lang={language} dir={direction}>{chosen}</h3>
                  <HearButton name={t("direct.hearWord")} id={`${id}/word`} wanted={wanted(from, to)} className="size-7!" />
                  {marks.length > 0 && !readOnly && (
                    <Button className="h-7! px-2! text-xs!" onClick={() => mark([])}><RotateCcw size={13} aria-hidden />{t("direct.clear")}</Button>
                  )}
                </div>
                {ORDER.map((which) => {
                  const { min, max, step } = DIALS[which];
                  return <Setting key={`${which}/${from}/${to}`} name={t(`direct.dial.${which}`)} value={amountOf(marks, which, from)} min={min} max={max} step={step} show={(value) => reading(which, value)} disabled={readOnly} onSet={(value) => dial(which, value)} />;
                })}
                {from > 0 && (
                  <div className="flex items-center gap-2 text-sm">
                    <label className="flex items-center gap-2">
                      <span className="w-18">{t("direct.gap")}</span>
                      <input
                        key={`${from}/${silence}`}
                        className={`${FIELD} w-24!`}
                        type="number"
                        min={0}
                        max={10000}
                        step={25}
                        disabled={readOnly}
                        defaultValue={Math.round(silence * 1000)}
                        onBlur={(event) => event.target.value !== event.target.defaultValue && mark(parted(marks, from, event.target.value === "" ? null : Number(event.target.value) / 1000))}
                        onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
                      />
                      <span className="text-soft">ms</span>
                    </label>
                    {!readOnly && (["none", "short", "long"] as const).map((pause) => <Button key={pause} className="h-7! px-2! text-xs!" onClick={() => mark(parted(marks, from, PAUSES[pause]))}>{t(`direct.pause.${pause}`)}</Button>)}
                  </div>
                )}
                <Readings
                  key={`${from}/${to}/${JSON.stringify(readingOf(marks, from) ?? null)}`}
                  refused={refused?.from === from && refused.to === to ? refused : undefined}
                  production={production.id}
                  language={language}
                  direction={direction}
                  line={line}
                  marks={marks}
                  from={from}
                  count={count}
                  words={chosen}
                  readOnly={readOnly}
                  onSet={(kind, said) => {
                    setRefused(null);
                    change({ marks: readAs(marks, from, count, kind, said) }, from, () => kind && setRefused({ from, to, kind, said }));
                  }}
                  onEverywhere={(kind, said) => {
                    const phrase = chosen.replace(/^[^\p{L}\p{N}]+|[^\p{L}\p{N}]+$/gu, "");
                    everywhere.mutate({ phrase, kind, said }, { ...tell, onSuccess: () => { if (readingOf(marks, from)) set({ marks: readAs(marks, from, count, null, "") }); say({ tone: "calm", text: t("direct.inLexicon", { phrase }) }); if (hearing) listen(from); } });
                  }}
                />
                <p className="text-xs text-soft">{t("direct.keys")}</p>
              </div>
              <GuidePanel production={production} language={language} line={line} readOnly={readOnly} />
              <RecordingPanel production={production} language={language} line={line} readOnly={readOnly} />
              </div>
            )}
            {!stave.known && <RecordingPanel production={production} language={language} line={line} readOnly={readOnly} />}
            {directed && (
              <Moods
                key={lines.length > 1 ? "lines" : "line"}
                production={production}
                language={language}
                line={line}
                chosen={lines}
                own={directed.moods}
                beneath={directed.beneath}
                readOnly={readOnly}
                onMarks={(dials, moods) => change({ marks: [...marks, ...dialMarks(dials, stave.words.length || line.words.split(/\s+/).length)], ...(moods ? { moods } : {}) }, 0)}
              />
            )}
          </div>
          {hasSlots(line.words) && <TemplatePanel production={production} language={language} isSource={edition.edition.is_source} direction={direction} line={line} readOnly={readOnly} />}
          {directed && line.voice && <Takes production={production.id} language={language} line={line} direction={directed} readOnly={readOnly} onChange={change} />}
        </>
      )}
    </section>
  );
}

/** What is directed of a line, in a few words. */
function summary(t: TFunction, directed: NonNullable<Line["directed"]>): string {
  const said = directed.moods.map((one) => t(`direct.mood.${one.mood}`));
  if (directed.marks) said.push(t("direct.marks", { count: directed.marks }));
  if (directed.reading) said.push(t("direct.reading_n", { number: directed.reading }));
  if (directed.guided) said.push(t("direct.guided"));
  return said.join(" · ");
}

/** How a dial's amount reads. */
function reading(dial: Dial, value: number): string {
  const signed = `${value > 0 ? "+" : value < 0 ? "−" : ""}${Math.abs(value)}`;
  if (dial === "pace" || dial === "range") return `× ${value.toFixed(2)}`;
  return dial === "level" ? `${signed} dB` : dial === "stress" ? signed : `${signed} st`;
}
