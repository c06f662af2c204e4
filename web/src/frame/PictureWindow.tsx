import { EyeOff } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import type { EditionLines, Line, Production } from "../shared/api/client";
import { IconButton } from "../shared/ui/controls";
import { hushBeneath, stepBeneath } from "./beneath";
import { inStep, middleOfFrame, middleOfLastFrame, pictureAt } from "./picture";
import { usePlace } from "./place";
import { usePlayer } from "./player";
import { mediaFile, useSourceMedia } from "./useSourceMedia";

/** The source's picture in a small window, in step with what is heard; and what else is heard, in step with it. */
export function PictureWindow({ production, dub, line }: {
  production: Production;
  dub: EditionLines | undefined;
  /** The line that is selected: before anything plays, and wherever it is not the one that was paused in, its beginning is seen. */
  line: Line | undefined;
}) {
  const { t } = useTranslation();
  const media = useSourceMedia(production.id);
  const [shown, setShown] = useState(true);
  const { stage } = usePlace();
  const [moved, setMoved] = useState<{ x: number; y: number } | null>(kept);
  const place = moved ?? { x: stage === "time" ? 372 : 32, y: 84 };
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
  if (media?.state !== "ready" || !media.has_picture) return null;
  if (!shown)
    return (
      <button type="button" className="fixed z-20 end-96 bottom-20 bg-quay text-quay-ink text-xs rounded-md px-2 h-7" onClick={() => setShown(true)}>
        {t("picture.show")}
      </button>
    );
  return (
    <section
      aria-label={t("picture.name")}
      className="fixed z-20 w-64 rounded-md overflow-hidden shadow-xl border border-quay bg-quay cursor-move"
      style={{ insetInlineEnd: place.x, bottom: place.y }}
      onPointerDown={(event) => {
        if ((event.target as HTMLElement).closest("button")) return;
        const from = { x: event.clientX, y: event.clientY, ...{ ex: place.x, ey: place.y } };
        const turned = document.documentElement.dir === "rtl" ? -1 : 1;
        const move = (next: PointerEvent) => setMoved({ x: Math.max(4, from.ex - turned * (next.clientX - from.x)), y: Math.max(70, from.ey - (next.clientY - from.y)) });
        const end = () => {
          window.removeEventListener("pointermove", move);
          window.removeEventListener("pointerup", end);
          setMoved((now) => {
            if (now) localStorage.setItem(KEPT, JSON.stringify(now));
            return now;
          });
        };
        window.addEventListener("pointermove", move);
        window.addEventListener("pointerup", end);
      }}
    >
      <video ref={video} muted playsInline preload="auto" className="block w-full" src={mediaFile(production.id, media, "mp4")} data-testid="picture" />
      <span className="absolute top-1 end-1 on-quay">
        <IconButton name={t("picture.hide")} className="size-6! bg-quay/70! text-quay-ink" onClick={() => setShown(false)}><EyeOff size={13} aria-hidden /></IconButton>
      </span>
    </section>
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
