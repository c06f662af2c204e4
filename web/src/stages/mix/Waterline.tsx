import { useEffect, useMemo, useRef, useState, type KeyboardEvent, type PointerEvent } from "react";
import { useTranslation } from "react-i18next";

import type { EditionLines, Production } from "../../shared/api/client";
import { clock, decibels } from "../../shared/format";
import { usePlace } from "../../shared/place";
import { usePlayer } from "../../shared/player";
import { speakerLine } from "../../shared/ui/SpeakerMark";
import { usePeaks } from "../../shared/usePeaks";
import type { Cue, Layer } from "./soundWorld";
import { band, drawnTo, rowsOf, scaleStep, waveAbove } from "./waterline";
import type { PlayedLayers } from "../../shared/layerPlayer";

const BEYOND = 500;
const VOICES = 96;
const LANE = 46;
const SCALE = 22;
/** How each kind of layer is drawn. */
const LOOKS: Record<Layer["kind"], string> = { music: "var(--lamp)", effects: "var(--alarm)", ambience: "var(--tide)", bed: "var(--soft)" };
const MOST_WAVES = 150;
const NONE: EditionLines["lines"] = [];
const SMALL = 0.1;
const LARGE = 1;

interface Drag {
  id: string;
  edge: "body" | "end";
  from: number;
  by: number;
}

/** Time runs across: voices stand above the line, and under it the layers, each as thick as it is loud at that moment. */
export function Waterline({ production, edition, layers, cues, told, pixels, onZoom, chosen, onChoose, onMove, onLength, onRemove, unclear, names, readOnly }: {
  production: Production;
  edition: EditionLines;
  layers: readonly Layer[];
  cues: readonly Cue[];
  told: PlayedLayers | undefined;
  pixels: number;
  onZoom: (by: number) => void;
  chosen: string | null;
  onChoose: (cue: string | null) => void;
  onMove: (cue: string, by: number) => void;
  onLength: (cue: string, by: number) => void;
  onRemove: (cue: string) => void;
  /** By a line's id: how many LU it is over what lies under it. */
  unclear: ReadonlyMap<number, number>;
  names: ReadonlyMap<string, string>;
  readOnly: boolean;
}) {
  const { t } = useTranslation();
  const place = usePlace();
  const player = usePlayer();
  const box = useRef<HTMLDivElement>(null);
  const [drag, setDrag] = useState<Drag | null>(null);
  const speakers = useMemo(() => new Map(production.speakers.map((one) => [one.id, one])), [production.speakers]);
  const spoken = edition.lines.filter((line) => line.seconds > 0);
  const [seen, setSeen] = useState({ from: 0, to: Infinity });
  const inView = spoken.filter((line) => line.start + line.seconds > seen.from && line.start < seen.to);
  // Of hours at once nobody sees a wave: each line is a block then.
  const drawn = inView.length <= MOST_WAVES ? inView : NONE;
  const asked = drawn.map((line) => `${line.id}:${line.natural ?? ""}/${line.words}`).join("\n");
  // eslint-disable-next-line react-hooks/exhaustive-deps
  const wanted = useMemo(() => drawn.map((line) => ({ line: line.id, take: line.natural === null ? "" : `${line.natural}/${line.words}` })), [asked]);
  const peaks = usePeaks(production.id, edition.edition.language, wanted);
  const laid = useMemo(() => new Map(told?.cues.map((one) => [one.id, one])), [told]);
  const curves = useMemo(() => new Map(told?.layers.map((one) => [one.name, one.curve])), [told]);
  const seconds = Math.max(edition.seconds, told?.seconds ?? 0, 1);
  const width = seconds * pixels;
  const lanes = layers.filter((layer) => cues.some((cue) => cue.layer === layer.name && !cue.off));
  // A lane has as many rows as lie over one another in it.
  const rows = rowsOfLanes(lanes, cues, laid);
  const tops: number[] = [];
  let below = SCALE + VOICES + 4;
  for (const layer of lanes) {
    tops.push(below);
    below += LANE * Math.max(1, ...cues.filter((cue) => cue.layer === layer.name).map((cue) => (rows.get(cue.id ?? "") ?? 0) + 1));
  }
  const height = Math.max(below, SCALE + VOICES + LANE) + 4;
  const edges = spoken.flatMap((line) => [line.start, line.start + line.seconds]);

  useEffect(() => {
    const view = box.current;
    if (!view) return;
    const turn = (event: WheelEvent) => {
      if (!event.ctrlKey && !event.metaKey) return;
      event.preventDefault();
      onZoom(event.deltaY < 0 ? 1.15 : 1 / 1.15);
    };
    const look = () => setSeen({ from: (view.scrollLeft - BEYOND) / pixels, to: (view.scrollLeft + view.clientWidth + BEYOND) / pixels });
    look();
    view.addEventListener("wheel", turn, { passive: false });
    view.addEventListener("scroll", look, { passive: true });
    return () => {
      view.removeEventListener("wheel", turn);
      view.removeEventListener("scroll", look);
    };
  }, [onZoom, pixels]);
  // What one looks at stays in the middle while it is zoomed.
  const before = useRef(pixels);
  useEffect(() => {
    const view = box.current;
    if (view && before.current !== pixels) {
      const middle = (view.scrollLeft + view.clientWidth / 2) / before.current;
      view.scrollLeft = middle * pixels - view.clientWidth / 2;
      before.current = pixels;
    }
  }, [pixels]);
  const playhead = player.loaded?.production === production.id && player.loaded.language === edition.edition.language ? player.time : null;
  useEffect(() => {
    const view = box.current;
    if (!view || playhead === null || !player.playing) return;
    const x = playhead * pixels;
    if (x < view.scrollLeft || x > view.scrollLeft + view.clientWidth - 60) view.scrollLeft = x - 80;
  }, [playhead, pixels, player.playing]);
  useEffect(() => {
    const line = edition.lines.find((one) => one.id === place.line);
    const view = box.current;
    if (!line || !view) return;
    const x = line.start * pixels;
    if (x < view.scrollLeft || x > view.scrollLeft + view.clientWidth - 80) view.scrollLeft = x - view.clientWidth / 3;
    // When the choice changes, not whenever a take does.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [place.line]);

  function down(event: PointerEvent, id: string, edge: Drag["edge"]) {
    onChoose(id);
    if (readOnly) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    setDrag({ id, edge, from: event.clientX, by: 0 });
  }
  function move(event: PointerEvent) {
    if (!drag) return;
    const one = laid.get(drag.id);
    if (!one) return;
    const by = (event.clientX - drag.from) / pixels;
    const moved = drag.edge === "body" ? one.start : one.start + one.seconds;
    setDrag({ ...drag, by: drawnTo(moved + by, edges, pixels) - moved });
  }
  function up() {
    if (drag && Math.abs(drag.by) > 0.01) (drag.edge === "body" ? onMove : onLength)(drag.id, Math.round(drag.by * 100) / 100);
    setDrag(null);
  }
  function press(event: KeyboardEvent, id: string) {
    const step = event.shiftKey ? LARGE : SMALL;
    const keys: Record<string, () => void> = {
      ArrowLeft: () => (event.altKey ? onLength : onMove)(id, -step),
      ArrowRight: () => (event.altKey ? onLength : onMove)(id, step),
      Delete: () => onRemove(id),
    };
    if (event.key === "Enter" || event.key === " ") onChoose(id);
    else if (!readOnly && keys[event.key]) keys[event.key]?.();
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
  const tick = scaleStep(pixels);
  const ticks = Array.from({ length: Math.floor(seconds / tick) + 1 }, (_, index) => index * tick);
  // Each part's name lies from its first line to where the next part begins.
  const parts = production.parts.flatMap((part) => {
    const first = spoken.find((line) => line.part === part.id);
    return first && part.name ? [{ id: part.id, name: part.name, start: first.start }] : [];
  }).sort((one, other) => one.start - other.start);
  return (
    <div ref={box} className="overflow-x-auto overflow-y-hidden border border-rule rounded-lg bg-paper" dir="ltr" data-testid="waterline">
      <svg width={Math.max(width, 10)} height={height} className="block select-none" role="group" aria-label={t("waterline.name")}>
        {ticks.map((second) => (
          <g key={second}>
            <line x1={second * pixels} x2={second * pixels} y1={SCALE - 6} y2={height} stroke="var(--rule)" strokeWidth={0.5} />
            <text x={second * pixels + 3} y={13} fontSize={11} fill="var(--soft)" className="tabular-nums">{clock(second).replace(/\.0$/, "")}</text>
          </g>
        ))}
        <rect x={0} y={0} width={width} height={SCALE + VOICES} fill="transparent" onClick={(event) => player.seek((event.clientX - event.currentTarget.getBoundingClientRect().left) / pixels)} />
        {inView.map((line) => {
          const wave = peaks.get(line.id);
          const speaker = speakers.get(line.speaker);
          const current = place.line === line.id;
          const over = unclear.get(line.id);
          return (
            <g key={line.id} data-line={line.number} className="cursor-pointer" onClick={() => { onChoose(null); place.select(line.id); }}>
              <title>{t("waterline.line", { number: line.number, name: speaker?.name ?? "" })}</title>
              <rect x={line.start * pixels} y={SCALE} width={Math.max(2, line.seconds * pixels)} height={VOICES} fill="var(--ink)" fillOpacity={current ? 0.07 : 0} />
              <path d={waveAbove(wave ?? new Uint8Array([120]), line.start, line.seconds, pixels, SCALE + VOICES, VOICES * 0.62)} fill={speakerLine(speaker?.position ?? 0)} />
              {over !== undefined && (
                <>
                  <rect x={line.start * pixels} y={SCALE + 4} width={Math.max(4, line.seconds * pixels)} height={VOICES - 4} rx={4} fill="none" stroke="var(--alarm)" strokeWidth={2} />
                  {/* Within its own line: of two short ones side by side neither is written over the other. */}
                  <svg x={line.start * pixels} y={SCALE + 17} width={Math.max(4, line.seconds * pixels - 2)} height={16}>
                    <text x={4} y={12} fontSize={11} fill="var(--alarm)">{t("waterline.hidden", { lu: decibels(over) })}</text>
                  </svg>
                </>
              )}
            </g>
          );
        })}
        {parts.map((part, index) => (
          <svg key={part.id} x={part.start * pixels} y={SCALE} width={Math.max(0, ((parts[index + 1]?.start ?? seconds) - part.start) * pixels - 6)} height={16}>
            <title>{part.name}</title>
            <text x={4} y={12} fontSize={11} fontWeight={600} fill="var(--ink)">{part.name}</text>
          </svg>
        ))}
        <line x1={0} x2={width} y1={SCALE + VOICES} y2={SCALE + VOICES} stroke="var(--ink)" strokeWidth={1.5} />
        {lanes.map((layer, index) => (
          <g key={layer.name} transform={`translate(0 ${tops[index] ?? 0})`} opacity={layer.mute ? 0.3 : 1}>
            {cues.filter((cue) => cue.layer === layer.name && !cue.off).map((cue) => {
              const id = cue.id ?? "";
              const there = laid.get(id);
              if (!there) return null;
              const by = drag?.id === id ? drag.by : 0;
              const now = drag?.id === id && drag.edge === "end" ? { start: there.start, seconds: Math.max(0.1, there.seconds + by) } : { start: Math.max(0, there.start + by), seconds: there.seconds };
              const name = names.get(id) ?? "";
              const mine = chosen === id;
              return (
                <g key={id} transform={`translate(0 ${(rows.get(id) ?? 0) * LANE})`} role="button" tabIndex={0} aria-pressed={mine} aria-label={t("waterline.cue", { name, at: clock(there.start), seconds: clock(there.seconds) })} className="cursor-grab outline-none [&:focus-visible>rect]:stroke-[var(--lamp)]" onKeyDown={(event) => press(event, id)} onPointerDown={(event) => down(event, id, "body")} onPointerMove={move} onPointerUp={up} onPointerCancel={() => setDrag(null)}>
                  <rect x={now.start * pixels} y={-2} width={Math.max(6, now.seconds * pixels)} height={LANE - 4} rx={3} fill="var(--ink)" fillOpacity={mine ? 0.1 : 0.03} stroke={mine ? "var(--ink)" : "transparent"} strokeWidth={1.5} />
                  <path d={band(cue, layer, curves.get(layer.name) ?? [], now, pixels, LANE - 16)} fill={LOOKS[layer.kind]} fillOpacity={0.72} />
                  {there.joins.map((join) => (
                    <line key={join} x1={(join + by) * pixels} x2={(join + by) * pixels} y1={0} y2={LANE - 8} stroke="var(--ink)" strokeDasharray="2 2"><title>{t("waterline.join", { at: clock(join) })}</title></line>
                  ))}
                  <clipPath id={`clip-${id}`}><rect x={now.start * pixels} y={0} width={Math.max(60, now.seconds * pixels)} height={LANE} /></clipPath>
                  <text x={now.start * pixels + 5} y={LANE - 9} fontSize={11} fill="var(--ink)" clipPath={`url(#clip-${id})`}>{name}</text>
                  {!readOnly && <rect x={(now.start + now.seconds) * pixels - 5} y={0} width={7} height={LANE - 6} fill="transparent" className="cursor-ew-resize" onPointerDown={(event) => { event.stopPropagation(); down(event, id, "end"); }} onPointerMove={move} onPointerUp={up} />}
                </g>
              );
            })}
          </g>
        ))}
        {!lanes.length && <text x={12} y={SCALE + VOICES + 26} fontSize={12} fill="var(--soft)">{t("sounds.none")}</text>}
        {playhead !== null && <line x1={playhead * pixels} x2={playhead * pixels} y1={0} y2={height} stroke="var(--lamp)" strokeWidth={2} />}
      </svg>
    </div>
  );
}

function rowsOfLanes(lanes: readonly Layer[], cues: readonly Cue[], laid: ReadonlyMap<string, { id: string; start: number; seconds: number }>): ReadonlyMap<string, number> {
  return new Map(lanes.flatMap((layer) => [...rowsOf(cues.filter((cue) => cue.layer === layer.name && !cue.off).flatMap((cue) => laid.get(cue.id ?? "") ?? []))]));
}
