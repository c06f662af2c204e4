import { useCallback, useEffect, useRef, useState } from "react";

import { pictureAt } from "./link";

/** A sound that is played, with the source's picture beside it; `until` ends it at the end of a line. `onLost`: it is not there. */
export function useHeard(address: string, holds: readonly (readonly number[])[], onLost?: () => void) {
  const sound = useRef<HTMLAudioElement>(null);
  const picture = useRef<HTMLVideoElement>(null);
  const until = useRef<number | null>(null);
  const [time, setTime] = useState(0);
  const [playing, setPlaying] = useState(false);

  const follow = useCallback(() => {
    const here = sound.current;
    if (!here) return;
    if (until.current !== null && here.currentTime >= until.current) {
      here.pause();
      until.current = null;
    }
    setTime(here.currentTime);
    const seen = picture.current;
    if (!seen) return;
    const wanted = pictureAt(holds, here.currentTime);
    if (Math.abs(seen.currentTime - wanted) > 0.15) seen.currentTime = wanted;
    const still = here.paused || (holds.length > 0 && pictureAt(holds, here.currentTime + 0.05) === wanted);
    if (still && !seen.paused) seen.pause();
    if (!still && seen.paused) void seen.play().catch(() => undefined);
  }, [holds]);

  useEffect(() => {
    let frame = 0;
    const tick = () => {
      follow();
      frame = requestAnimationFrame(tick);
    };
    if (playing) frame = requestAnimationFrame(tick);
    return () => cancelAnimationFrame(frame);
  }, [playing, follow]);

  const play = useCallback((from?: number, to: number | null = null) => {
    const here = sound.current;
    if (!here) return;
    if (from !== undefined) here.currentTime = from;
    until.current = to;
    void here.play().catch(() => setPlaying(false));
  }, []);
  const pause = useCallback(() => sound.current?.pause(), []);
  const seek = useCallback((to: number) => {
    if (!sound.current) return;
    until.current = null;
    sound.current.currentTime = to;
    setTime(to);
    follow();
  }, [follow]);
  const events = {
    src: address,
    preload: "auto" as const,
    onPlay: () => setPlaying(true),
    onPause: () => { setPlaying(false); follow(); },
    onEnded: () => setPlaying(false),
    onSeeked: follow,
    onError: () => { setPlaying(false); onLost?.(); },
  };
  return { sound, picture, events, time, playing, play, pause, seek };
}
