import { Clapperboard, EyeOff, PanelRight, PictureInPicture2 } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { useTranslation } from "react-i18next";
import { create } from "zustand";

import type { EditionLines, Line, Production } from "../shared/api/client";
import { IconButton } from "../shared/ui/controls";
import { hushBeneath, stepBeneath } from "../shared/beneath";
import { inStep, middleOfFrame, middleOfLastFrame, pictureAt } from "../shared/picture";
import { usePlayer } from "../shared/player";
import { mediaFile, useSourceMedia } from "../shared/useSourceMedia";

export type PictureMode = "docked" | "floating" | "away";
const MODE = "janoglot.picture";
const WIDTH = { least: 180, usual: 256, most: 560 };

interface PicturePlace {
  mode: PictureMode;
  width: number;
  set: (over: { mode?: PictureMode; width?: number }) => void;
}

/** Where the picture is: beside the work, over it where somebody put it there, or away. Kept in this browser. */
export const usePicturePlace = create<PicturePlace>((set, get) => ({
  ...keptPlace(),
  set: (over) => {
    set(over);
    const { mode, width } = get();
    localStorage.setItem(MODE, JSON.stringify({ mode, width }));
  },
}));

function keptPlace(): { mode: PictureMode; width: number } {
  try {
    const found = JSON.parse(localStorage.getItem(MODE) ?? "null") as { mode?: string; width?: number } | null;
    const mode = found?.mode === "floating" || found?.mode === "away" ? found.mode : "docked";
    return { mode, width: clampWidth(Number(found?.width) || WIDTH.usual) };
  } catch {
    return { mode: "docked", width: WIDTH.usual };
  }
}

const clampWidth = (width: number) => Math.min(WIDTH.most, Math.max(WIDTH.least, Math.round(width)));

/** The source's picture, in step with what is heard; and what else is heard, in step with it. Docked it covers nothing. */
export function PictureWindow({ production, dub, line }: {
  production: Production;
  dub: EditionLines | undefined;
  /** The line that is selected: before anything plays, and wherever it is not the one that was paused in, its beginning is seen. */
  line: Line | undefined;
}) {
  const { t } = useTranslation();
  const media = useSourceMedia(production.id);
  const { mode, width, set } = usePicturePlace();
  const [moved, setMoved] = useState<{ x: number; y: number } | null>(kept);
  const place = moved ?? { x: 32, y: 84 };
  const video = useRef<HTMLVideoElement>(null);
  const holds = dub?.holds;
  const fps = media?.fps ?? 25;
  useEffect(() => {
    let frame = 0;
    const step = () => {
      const { loaded, playing, time, speed, alone } = usePlayer.getState();
      // The source itself has no holds, whatever edition is open.
      const own = loaded && dub && loaded.production === production.id && loaded.language === dub.edition.language && !dub.edition.is_source;
      const here = loaded?.production === production.id && (playing || !line || within(line, time));
      const seen = here ? pictureAt(own ? (holds ?? []) : [], time) : pictureAt(holds ?? [], line?.start || line?.slot?.[0] || 0);
      const { time: wanted, held } = seen;
      const moving = playing && !held;
      const picture = video.current;
      if (picture && picture.readyState > 0) {
        if (!moving) {
          if (!picture.paused) picture.pause();
          const still = Math.min((held ? middleOfLastFrame : middleOfFrame)(wanted, fps), Math.max(0, (picture.duration || 0) - 0.5 / fps));
          if (Math.abs(picture.currentTime - still) > 0.4 / fps && !picture.seeking) picture.currentTime = still;
        } else {
          const { seek, rate } = inStep(picture.currentTime - wanted, fps);
          if (seek && !picture.seeking) picture.currentTime = wanted;
          picture.playbackRate = speed * rate;
          if (picture.paused && !picture.ended) void picture.play().catch(() => undefined);
        }
      }
      stepBeneath(seen, playing, speed, alone);
      frame = requestAnimationFrame(step);
    };
    frame = requestAnimationFrame(step);
    return () => {
      cancelAnimationFrame(frame);
      hushBeneath();
    };
  }, [production.id, dub, holds, fps, line]);
  if (media?.state !== "ready" || !media.has_picture || mode === "away") return null;
  const floating = mode === "floating";
  const turned = document.documentElement.dir === "rtl" ? -1 : 1;
  function drag(event: React.PointerEvent, follow: (dx: number, dy: number) => void, end?: () => void) {
    const from = { x: event.clientX, y: event.clientY };
    const move = (next: PointerEvent) => follow(turned * (next.clientX - from.x), next.clientY - from.y);
    const over = () => {
      window.removeEventListener("pointermove", move);
      window.removeEventListener("pointerup", over);
      end?.();
    };
    window.addEventListener("pointermove", move);
    window.addEventListener("pointerup", over);
  }
  return (
    <section
      aria-label={t("picture.name")}
      className={floating ? "fixed z-20 rounded-md overflow-hidden shadow-xl border border-quay bg-quay cursor-move" : "relative shrink-0 self-stretch border-s border-rule bg-quay overflow-hidden"}
      style={floating ? { insetInlineEnd: place.x, bottom: place.y, width } : { width }}
      onPointerDown={(event) => {
        if (!floating || (event.target as HTMLElement).closest("button, [role=separator]")) return;
        const from = place;
        drag(event, (dx, dy) => setMoved({ x: Math.max(4, from.x - dx), y: Math.max(70, from.y - dy) }), () =>
          setMoved((now) => {
            if (now) localStorage.setItem(KEPT, JSON.stringify(now));
            return now;
          }));
      }}
    >
      <video ref={video} muted playsInline preload="auto" className="block w-full" src={mediaFile(production.id, media, "picture.mp4")} data-testid="picture" />
      <div
        role="separator"
        aria-orientation="vertical"
        aria-label={t("picture.size")}
        aria-valuenow={width}
        aria-valuemin={WIDTH.least}
        aria-valuemax={WIDTH.most}
        tabIndex={0}
        className="absolute inset-y-0 start-0 w-1.5 cursor-ew-resize hover:bg-lamp/60 focus-visible:bg-lamp"
        style={{ touchAction: "none" }}
        onPointerDown={(event) => {
          const from = width;
          event.stopPropagation();
          drag(event, (dx) => set({ width: clampWidth(from - dx) }));
        }}
        onKeyDown={(event) => {
          const by = { ArrowLeft: 16 * turned, ArrowRight: -16 * turned }[event.key];
          if (!by) return;
          event.preventDefault();
          set({ width: clampWidth(width + by) });
        }}
      />
      <span className="absolute top-1 end-1 on-quay flex gap-0.5">
        <IconButton name={floating ? t("picture.dock") : t("picture.float")} className="size-6! bg-quay/70! text-quay-ink" onClick={() => set({ mode: floating ? "docked" : "floating" })}>
          {floating ? <PanelRight size={13} aria-hidden /> : <PictureInPicture2 size={13} aria-hidden />}
        </IconButton>
        <IconButton name={t("picture.hide")} className="size-6! bg-quay/70! text-quay-ink" onClick={() => set({ mode: "away" })}><EyeOff size={13} aria-hidden /></IconButton>
      </span>
    </section>
  );
}

/** Brings the picture back where it was put away, or puts it away; there while there is a picture. */
export function PictureButton({ production }: { production: number }) {
  const { t } = useTranslation();
  const media = useSourceMedia(production);
  const { mode, set } = usePicturePlace();
  if (media?.state !== "ready" || !media.has_picture) return null;
  return (
    <IconButton name={mode === "away" ? t("picture.show") : t("picture.hide")} aria-pressed={mode !== "away"} className={mode === "away" ? "" : "text-tide"} onClick={() => set({ mode: mode === "away" ? "docked" : "away" })}>
      <Clapperboard size={16} aria-hidden />
    </IconButton>
  );
}

const KEPT = "picture-window";

/** Where the window was left; without that it lies where it covers least. */
function kept(): { x: number; y: number } | null {
  try {
    const found = JSON.parse(localStorage.getItem(KEPT) ?? "null") as { x: unknown; y: unknown } | null;
    if (typeof found?.x !== "number" || typeof found.y !== "number") return null;
    return { x: Math.max(4, Math.min(found.x, window.innerWidth - 280)), y: Math.max(70, Math.min(found.y, window.innerHeight - 200)) };
  } catch {
    return null;
  }
}

/** Whether a time lies in a line, as it is played or as the source has it. */
function within(line: Line, time: number): boolean {
  const [from, to] = line.slot ?? [];
  return (time >= line.start && time <= line.start + line.seconds) || (from !== undefined && to !== undefined && time >= from && time <= to);
}
