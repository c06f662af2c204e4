import { useEffect, useMemo, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import type { StageProps } from "../../frame/Workplace";
import { useNotices } from "../../frame/notices";
import { usePlace } from "../../frame/place";
import { usePlayer } from "../../frame/player";
import { api, data, type Line } from "../../shared/api/client";
import { useChange } from "../../shared/api/queries";
import { clock, rate } from "../../shared/format";
import { Empty } from "../../shared/ui/controls";
import { speakerColour, SpeakerMark } from "../../shared/ui/SpeakerMark";
import { Setting } from "../cast/VoiceChooser";
import { rungs, trouble, type Rung } from "./ladder";

const SCALES = [14, 22, 34, 52];
const BAND = 64;

/** The ladder: time runs down; source slots on one rail, the dub on the other, a band between each pair. */
export function TimeStage({ production, edition, source }: StageProps) {
  const { t } = useTranslation();
  const place = usePlace();
  const box = useRef<HTMLDivElement>(null);
  const [scale, setScale] = useState(1);
  const pixels = SCALES[scale] ?? 22;
  const steps = useMemo(() => rungs(edition.lines), [edition.lines]);
  const height = (edition.seconds + 2) * pixels;
  const speakers = new Map(production.speakers.map((speaker) => [speaker.id, speaker]));
  const sourceWords = new Map(source.lines.map((line) => [line.id, line.words]));
  const selected = edition.lines.find((line) => line.id === place.line);
  useEffect(() => {
    const rung = steps.find((one) => one.line.id === place.line);
    const view = box.current;
    if (!rung || !view) return;
    const y = (rung.slot?.[0] ?? rung.start) * pixels;
    if (y < view.scrollTop + 20 || y > view.scrollTop + view.clientHeight - 120) view.scrollTop = y - view.clientHeight / 3;
    // When the choice or the scale changes, not whenever a take does.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [place.line, pixels]);
  if (!steps.length)
    return (
      <Empty title={t("time.empty")}>
        <p>{t("time.emptyHint")}</p>
      </Empty>
    );
  const comfortable = edition.timing.comfortable_fast;
  const ticks = Array.from({ length: Math.floor(edition.seconds / 5) + 1 }, (_, index) => index * 5);
  return (
    <>
      <div className="grow min-w-0 flex flex-col">
        <div className={`grid ${COLUMNS} h-9 shrink-0 items-center border-b border-rule text-xs text-soft px-3`}>
          <span>{t("time.clock")}</span>
          <span lang={source.edition.language}>{production.timed ? `${t("time.slots")} · ${source.edition.own_name}` : ""}</span>
          <span />
          <span lang={edition.edition.language}>{edition.edition.own_name}</span>
          <span className="flex items-center justify-end gap-1">
            {t("time.fit")}
            <button type="button" className="size-6 rounded-sm hover:bg-sunk disabled:opacity-40" aria-label={t("time.narrower")} disabled={scale === 0} onClick={() => setScale(scale - 1)}>−</button>
            <button type="button" className="size-6 rounded-sm hover:bg-sunk disabled:opacity-40" aria-label={t("time.wider")} disabled={scale === SCALES.length - 1} onClick={() => setScale(scale + 1)}>+</button>
          </span>
        </div>
        <div ref={box} className="grow min-h-0 overflow-auto relative px-3" role="list" aria-label={t("time.ladder")}>
          <div className={`relative grid ${COLUMNS}`} style={{ height }}>
            <div className="relative" aria-hidden>
              {ticks.map((tick) => (
                <span key={tick} className="absolute inset-x-0 text-2xs text-soft border-t border-rule" style={{ top: tick * pixels }}>
                  {clock(tick)}
                </span>
              ))}
            </div>
            <div className="relative">
              {steps.map(
                (step) =>
                  step.slot && (
                    <Block
                      key={step.line.id}
                      top={step.slot[0] * pixels}
                      height={(step.slot[1] - step.slot[0]) * pixels}
                      colour={speakerColour(speakers.get(step.line.speaker)?.position ?? 0)}
                      edge="end"
                      quiet
                    >
                      <span className="font-semibold">{speakers.get(step.line.speaker)?.name}</span>{" "}
                      <span lang={source.edition.language} dir={source.edition.direction}>{sourceWords.get(step.line.id)}</span>
                    </Block>
                  ),
              )}
            </div>
            <Bands steps={steps} pixels={pixels} height={height} comfortable={comfortable} selected={place.line} />
            <div className="relative">
              {steps.map((step) => (
                <DubBlock
                  key={step.line.id}
                  step={step}
                  pixels={pixels}
                  colour={speakerColour(speakers.get(step.line.speaker)?.position ?? 0)}
                  name={speakers.get(step.line.speaker)?.name ?? ""}
                  language={edition.edition.language}
                  direction={edition.edition.direction}
                  selected={step.line.id === place.line}
                  onSelect={() => place.select(step.line.id)}
                />
              ))}
            </div>
            <div className="relative text-sm">
              {steps.map((step) => (
                <FitFigure key={step.line.id} step={step} pixels={pixels} comfortable={comfortable} />
              ))}
            </div>
            <Needle production={production.id} language={edition.edition.language} pixels={pixels} />
          </div>
        </div>
      </div>
      <FitPanel production={production} edition={edition} line={selected} comfortable={comfortable} sourceWords={selected ? (sourceWords.get(selected.id) ?? "") : ""} />
    </>
  );
}

const COLUMNS = "grid-cols-[3.2rem_minmax(0,1fr)_64px_minmax(0,1fr)_8rem] gap-0";

function Block({
  top,
  height,
  colour,
  edge,
  quiet = false,
  children,
}: {
  top: number;
  height: number;
  colour: string;
  edge: "start" | "end";
  quiet?: boolean;
  children: React.ReactNode;
}) {
  const side = edge === "end" ? { borderInlineEndColor: colour, borderInlineEndWidth: 4 } : { borderInlineStartColor: colour, borderInlineStartWidth: 4 };
  return (
    <div
      className={`absolute inset-x-0 overflow-hidden px-2 text-xs leading-[1.15rem] border border-rule ${quiet ? "bg-sunk/50 text-soft" : "bg-paper"}`}
      style={{ top, height: Math.max(height, 4), ...side }}
    >
      {height >= 15 && children}
    </div>
  );
}

function DubBlock({
  step,
  pixels,
  colour,
  name,
  language,
  direction,
  selected,
  onSelect,
}: {
  step: Rung;
  pixels: number;
  colour: string;
  name: string;
  language: string;
  direction: "ltr" | "rtl";
  selected: boolean;
  onSelect: () => void;
}) {
  const { t } = useTranslation();
  const { line } = step;
  const silent = line.seconds === 0;
  const top = (silent ? (step.slot?.[0] ?? 0) : step.start) * pixels;
  const height = Math.max((silent && step.slot ? step.slot[1] - step.slot[0] : step.end - step.start) * pixels, 4);
  return (
    <div role="listitem" className="absolute inset-x-0" style={{ top, height }}>
      <button
        type="button"
        data-line={line.id}
        aria-current={selected ? "true" : undefined}
        aria-label={t("time.rung", { number: line.number, speaker: name, at: clock(step.start), words: line.words || t("take.empty") })}
        className={`w-full h-full overflow-hidden text-start px-2 text-xs leading-[1.15rem] flex items-start border ${selected ? "border-tide outline-2 outline-tide z-10" : "border-rule"} ${silent ? "border-dashed bg-transparent text-soft" : "bg-paper"}`}
        style={silent ? {} : { borderInlineStartColor: colour, borderInlineStartWidth: 4 }}
        onClick={onSelect}
      >
        {height >= 15 && (
          <span className="min-w-0" lang={language} dir={direction}>
            {silent ? t(`take.${line.state}`) : line.words}
          </span>
        )}
      </button>
    </div>
  );
}

const FILL = { over: "var(--alarm)", late: "var(--lamp)", fast: "var(--lamp)", none: "var(--tide)" } as const;

function Bands({ steps, pixels, height, comfortable, selected }: { steps: Rung[]; pixels: number; height: number; comfortable: number; selected: number | null }) {
  return (
    <svg aria-hidden className="block rtl:-scale-x-100" width={BAND} height={height}>
      {steps.map(({ line, slot, start, end }) => {
        if (!slot || line.seconds === 0) return null;
        const kind = trouble(line, comfortable);
        const points = [[0, slot[0]], [BAND, start], [BAND, end], [0, slot[1]]].map(([x = 0, y = 0]) => `${x},${x === 0 || x === BAND ? y * pixels : y}`);
        return (
          <polygon key={line.id} points={points.join(" ")} fill={FILL[kind]} fillOpacity={kind === "none" ? 0.2 : 0.5} stroke={selected === line.id ? "var(--tide)" : "none"} />
        );
      })}
    </svg>
  );
}

function FitFigure({ step, pixels, comfortable }: { step: Rung; pixels: number; comfortable: number }) {
  const { t } = useTranslation();
  const { line } = step;
  if (line.seconds === 0) return null;
  const kind = trouble(line, comfortable);
  const tall = (step.end - step.start) * pixels > 34;
  const detail =
    kind === "over" ? t("time.over", { seconds: line.over.toFixed(1) }) : line.late > 0.02 ? t("time.late", { seconds: line.late.toFixed(1) }) : "";
  return (
    <div
      className={`absolute inset-x-0 ps-3 leading-4 text-xs whitespace-nowrap ${kind === "over" ? "text-alarm font-semibold" : kind === "none" ? "text-soft" : "text-ink font-semibold"}`}
      style={{ top: step.start * pixels + 1 }}
    >
      {line.slot ? rate(line.rate) : clock(line.seconds)}
      {detail && (tall ? <span className="block">{detail}</span> : <span> {detail}</span>)}
    </div>
  );
}

function Needle({ production, language, pixels }: { production: number; language: string; pixels: number }) {
  const { loaded, time } = usePlayer();
  if (loaded?.production !== production || loaded.language !== language) return null;
  return <div aria-hidden className="absolute inset-x-0 h-0.5 bg-lamp pointer-events-none" style={{ top: time * pixels }} />;
}

function FitPanel({
  production,
  edition,
  line,
  comfortable,
  sourceWords,
}: {
  production: StageProps["production"];
  edition: StageProps["edition"];
  line: Line | undefined;
  comfortable: number;
  sourceWords: string;
}) {
  const { t } = useTranslation();
  const say = useNotices((state) => state.say);
  const speaker = production.speakers.find((one) => one.id === line?.speaker);
  const timing = useChange(production.id, (body: { comfortable_fast?: number; hard_fast?: number; pace?: number }) =>
    data(
      api.PATCH("/api/productions/{production_id}/editions/{language}/", {
        params: { path: { production_id: production.id, language: edition.edition.language } },
        body,
      }),
    ),
  );
  const tell = { onError: (error: Error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) };
  const readOnly = production.role === "reader";
  const over = edition.lines.filter((one) => one.over > 0);
  return (
    <aside className="w-80 shrink-0 border-s border-rule bg-paper overflow-auto p-4 flex flex-col gap-4" aria-label={t("time.panel")}>
      {line ? (
        <section className="flex flex-col gap-2">
          <h2 className="flex items-center gap-2 font-semibold min-w-0">
            {speaker && <SpeakerMark name={speaker.name} position={speaker.position} size={24} />}
            <span className="truncate">{speaker?.name}</span>
            <span className="text-soft font-normal text-sm ms-auto whitespace-nowrap">{t("time.line", { number: line.number })}</span>
          </h2>
          {sourceWords !== line.words && <p className="text-sm text-soft">{sourceWords}</p>}
          <p className="text-sm" lang={edition.edition.language} dir={edition.edition.direction}>{line.words || t("take.empty")}</p>
          {line.slot && line.natural !== null && <Gauge line={line} />}
          <dl className="grid grid-cols-[1fr_auto] gap-y-1 text-sm">
            {line.slot && <Figure name={t("time.slot")} value={`${clock(line.slot[0] ?? 0)} – ${clock(line.slot[1] ?? 0)}`} />}
            {line.seconds > 0 && <Figure name={t("time.played")} value={`${clock(line.start)} – ${clock(line.start + line.seconds)}`} />}
            {line.natural !== null && <Figure name={t("time.natural")} value={`${line.natural.toFixed(1)} s`} />}
            {line.seconds > 0 && <Figure name={t("time.rate")} value={rate(line.rate)} bad={line.rate > comfortable + 0.001} />}
            {line.into_silence > 0 && <Figure name={t("time.silence")} value={`${line.into_silence.toFixed(1)} s`} />}
            {line.late > 0.02 && <Figure name={t("time.lateBy")} value={`${line.late.toFixed(1)} s`} bad />}
            {line.over > 0 && <Figure name={t("time.overBy")} value={`${line.over.toFixed(1)} s`} bad />}
          </dl>
          {line.over > 0 && <p className="text-sm text-alarm">{t("time.advice", { count: Math.max(1, Math.round((line.over * line.rate) / 0.19)) })}</p>}
        </section>
      ) : (
        <p className="text-sm text-soft">{over.length ? t("time.overCount", { count: over.length }) : t("time.choose")}</p>
      )}
      <section className="border-t border-rule pt-4 flex flex-col gap-2">
        <h2 className="text-sm font-semibold">{t("time.limits", { language: edition.edition.own_name })}</h2>
        {production.timed ? (
          <>
            <Setting name={t("time.comfortable")} value={edition.timing.comfortable_fast} min={1} max={1.5} step={0.01} show={rate} disabled={readOnly} onSet={(value) => timing.mutate({ comfortable_fast: value, hard_fast: Math.max(value, edition.timing.hard_fast) }, tell)} />
            <Setting name={t("time.hard")} value={edition.timing.hard_fast} min={1} max={1.6} step={0.01} show={rate} disabled={readOnly} onSet={(value) => timing.mutate({ hard_fast: value, comfortable_fast: Math.min(value, edition.timing.comfortable_fast) }, tell)} />
          </>
        ) : (
          <Setting name={t("time.pace")} value={edition.timing.pace} min={0.5} max={2} step={0.05} show={rate} disabled={readOnly} onSet={(value) => timing.mutate({ pace: value }, tell)} />
        )}
      </section>
    </aside>
  );
}

/** The slot as a bar, the natural length and the played length under it on one scale. */
function Gauge({ line }: { line: Line }) {
  const { t } = useTranslation();
  const slot = (line.slot?.[1] ?? 0) - (line.slot?.[0] ?? 0);
  const natural = line.natural ?? 0;
  const longest = Math.max(slot, natural, line.seconds);
  const share = (value: number) => `${(100 * value) / longest}%`;
  return (
    <div role="img" aria-label={t("time.gauge", { slot: slot.toFixed(1), natural: natural.toFixed(1), played: line.seconds.toFixed(1) })} className="flex flex-col gap-1 text-2xs text-soft">
      {([["slot", slot, "bg-rule"], ["natural", natural, "bg-soft/50"], ["played", line.seconds, line.over > 0 ? "bg-alarm" : "bg-tide"]] as const).map(([name, value, look]) => (
        <span key={name} className="grid grid-cols-[4rem_1fr_2.5rem] items-center gap-2">
          {t(`time.gauge_${name}`)}
          <span className="h-2 rounded-sm bg-sunk"><span className={`block h-2 rounded-sm ${look}`} style={{ width: share(value) }} /></span>
          <span className="text-end">{value.toFixed(1)} s</span>
        </span>
      ))}
    </div>
  );
}

function Figure({ name, value, bad = false }: { name: string; value: string; bad?: boolean }) {
  return (
    <>
      <dt className="text-soft">{name}</dt>
      <dd className={`text-end ${bad ? "text-alarm font-semibold" : ""}`}>{value}</dd>
    </>
  );
}
