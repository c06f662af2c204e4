import { Pause, Play } from "lucide-react";
import { useId, type ReactNode, type RefObject } from "react";

import { clock } from "../shared/format";
import type { OpenedLink, ReviewedEdition } from "./link";
import type { Say } from "./words";

/** The head of a link's page: what it is of, and what stands beside. */
export function Head({ production, children }: { production: string; children?: ReactNode }) {
  return (
    <header className="bg-quay text-quay-ink py-3">
      <div className="max-w-3xl mx-auto px-4 flex flex-wrap items-center gap-x-4 gap-y-1">
        <h1 className="text-lg font-semibold wrap-anywhere" dir="auto">{production}</h1>
        {children}
      </div>
    </header>
  );
}

/** Which edition is on: a choice where there are several. */
export function EditionTabs({ link, language, say, onChoose }: { link: OpenedLink; language: string; say: Say; onChoose: (language: string) => void }) {
  if (link.editions.length < 2) return null;
  return (
    <div role="group" aria-label={say("edition")} className="flex flex-wrap gap-1">
      {link.editions.map((one) => (
        <button key={one.language} type="button" aria-pressed={one.language === language} lang={one.language} dir={one.direction} className={`h-10 px-3 rounded-md text-base ${one.language === language ? "bg-tide text-white" : "bg-sunk"}`} onClick={() => onChoose(one.language ?? "")}>
          {one.name}
        </button>
      ))}
    </div>
  );
}

const WIDE = 1000;
const QUIETEST = -42;
const LOUDEST = -12;

/**
 * How loud it is along the programme, and under it where each line is said: the one at hand, those that are judged, the
 * rest. Pressed, it goes there.
 */
export function Strip({ edition, time, current, judged, onSeek, label }: { edition: ReviewedEdition; time: number; current?: number | undefined; judged?: (line: number) => boolean; onSeek: (to: number) => void; label: string }) {
  const id = useId();
  const { curve, lines } = edition;
  const seconds = Math.max(edition.seconds, 0.1);
  const at = (moment: number) => (moment / seconds) * WIDE;
  // A window of loudness is told for each second, by its middle.
  const height = (lufs: number) => 2 + 24 * Math.min(1, Math.max(0, (lufs - QUIETEST) / (LOUDEST - QUIETEST)));
  const heights = curve.map((lufs) => (30 - height(lufs)).toFixed(1));
  const area = heights.length ? `M0 30 L0 ${heights[0]} ${heights.map((top, second) => `L${at(second + 0.5).toFixed(1)} ${top}`).join(" ")} L${WIDE} ${heights.at(-1)} L${WIDE} 30 Z` : "";
  return (
    <div className="relative" dir="ltr">
      <svg viewBox={`0 0 ${WIDE} 44`} preserveAspectRatio="none" className="w-full h-12" aria-hidden>
        <clipPath id={id}><rect x={0} y={0} width={at(time)} height={44} /></clipPath>
        <path d={area} className="fill-rule" />
        <path d={area} className="fill-tide" clipPath={`url(#${id})`} />
        {lines.map((line) => <rect key={line.id} x={at(line.start)} width={Math.max(3, at(line.end - line.start) - 1)} y={34} height={9} className={line.id === current ? "fill-lamp" : judged?.(line.id) ? "fill-tide" : "fill-soft"} />)}
        <rect x={Math.min(WIDE - 2, at(time))} width={2} y={0} height={44} className="fill-ink" />
      </svg>
      <input type="range" aria-label={label} aria-valuetext={clock(time)} className="absolute inset-0 w-full h-12 opacity-0 cursor-pointer focus-visible:opacity-60" min={0} max={seconds} step={0.1} value={time} onChange={(event) => onSeek(Number(event.target.value))} />
      <span className="flex justify-between text-xs text-soft tabular-nums"><span>{clock(time)}</span><span>{clock(edition.seconds)}</span></span>
    </div>
  );
}

export function PlayButton({ playing, say, onPress }: { playing: boolean; say: Say; onPress: () => void }) {
  return (
    <button type="button" aria-label={playing ? say("pause") : say("play")} className="grid place-items-center size-14 shrink-0 rounded-full bg-tide text-white" onClick={onPress}>
      {playing ? <Pause size={24} fill="currentColor" aria-hidden /> : <Play size={24} fill="currentColor" className="ml-0.5" aria-hidden />}
    </button>
  );
}

export function Picture({ of, address, captions, language, label }: { of: RefObject<HTMLVideoElement | null>; address: string; captions?: string; language?: string; label?: string }) {
  return (
    <video ref={of} src={address} muted playsInline preload="auto" className="w-full max-h-[38vh] bg-black rounded-md" tabIndex={-1} aria-hidden={captions ? undefined : true}>
      {captions && <track kind="captions" src={captions} srcLang={language} label={label} default />}
    </video>
  );
}
