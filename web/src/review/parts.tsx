import { Pause, Play } from "lucide-react";
import type { RefObject } from "react";

import { clock } from "../shared/format";
import type { OpenedLink, ReviewedEdition } from "./link";
import type { Say } from "./words";

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

/** The picture, or how loud it is along the programme; pressed, it goes there. */
export function Strip({ edition, time, at, onSeek, label }: { edition: ReviewedEdition; time: number; at: { start: number; end: number } | null; onSeek: (to: number) => void; label: string }) {
  const { curve, seconds } = edition;
  const bars = Math.min(160, Math.max(1, curve.length));
  const heights = Array.from({ length: bars }, (_, bar) => {
    const from = Math.floor((bar * curve.length) / bars);
    const loudest = Math.max(-60, ...curve.slice(from, Math.max(from + 1, Math.floor(((bar + 1) * curve.length) / bars))));
    return Math.max(2, Math.min(40, (loudest + 50) * 1.1));
  });
  return (
    <div className="relative" dir="ltr">
      <svg viewBox={`0 0 ${bars * 4} 44`} preserveAspectRatio="none" className="w-full h-12 text-tide" aria-hidden>
        {at && seconds > 0 && <rect x={(at.start / seconds) * bars * 4} width={Math.max(2, ((at.end - at.start) / seconds) * bars * 4)} y={0} height={44} className="fill-lamp-wash" />}
        {heights.map((height, bar) => <rect key={bar} x={bar * 4 + 0.5} width={3} y={22 - height / 2} height={height} className={bar / bars <= time / Math.max(seconds, 0.001) ? "fill-tide" : "fill-rule"} />)}
      </svg>
      <input type="range" aria-label={label} aria-valuetext={clock(time)} className="absolute inset-0 w-full h-12 opacity-0 cursor-pointer focus-visible:opacity-60" min={0} max={Math.max(seconds, 0.1)} step={0.1} value={time} onChange={(event) => onSeek(Number(event.target.value))} />
      <span className="flex justify-between text-xs text-soft tabular-nums"><span>{clock(time)}</span><span>{clock(seconds)}</span></span>
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
