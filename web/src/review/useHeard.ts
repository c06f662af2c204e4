import { useCallback, useEffect, useRef, useState } from "react";

import { pictureAt } from "./link";

/**
 * A sound that is played, with the source's picture beside it; `until` ends it at the end of a line. A line may come as a
 * small file of its own, which is there long before the whole is. `onLost`: the whole is not there.
 */
export function useHeard(address: string, holds: readonly (readonly number[])[], onLost?: () => void) {
  const sound = useRef<HTMLAudioElement>(null);
  const piece = useRef<HTMLAudioElement>(null);
  const picture = useRef<HTMLVideoElement>(null);
  const until = useRef<number | null>(null);
  /** Where the piece that is played lies in the whole; null where the whole is played. */
  const begins = useRef<number | null>(null);
  const [time, setTime] = useState(0);
  const [playing, setPlaying] = useState(false);

  const follow = useCallback(() => {
    const whole = sound.current;
    if (!whole) return;
    const here = begins.current === null ? whole : (piece.current ?? whole);
    let now = here.currentTime + (begins.current ?? 0);
    if (until.current !== null && now >= until.current) {
      here.pause();
      if (begins.current !== null) now = until.current;
      until.current = null;
    }
    setTime(now);
    const seen = picture.current;
    if (!seen) return;
    const wanted = pictureAt(holds, now);
    if (Math.abs(seen.currentTime - wanted) > 0.15) seen.currentTime = wanted;
    const still = here.paused || (holds.length > 0 && pictureAt(holds, now + 0.05) === wanted);
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

  const playWhole = useCallback((from: number | undefined, to: number | null) => {
    const here = sound.current;
    if (!here) return;
    if (begins.current !== null) {
      piece.current?.pause();
      here.currentTime = begins.current + (piece.current?.currentTime ?? 0);
      begins.current = null;
    }
    if (from !== undefined) here.currentTime = from;
    until.current = to;
    void here.play().catch(() => setPlaying(false));
  }, []);
  /** From a moment to another; `alone` is the address of just that. */
  const play = useCallback((from?: number, to: number | null = null, alone = "") => {
    const own = piece.current;
    if (!alone || from === undefined || !own) return playWhole(from, to);
    sound.current?.pause();
    begins.current = from;
    until.current = to;
    own.src = alone;
    void own.play().catch(() => {
      // One that is not to be had, or not in a form that this browser plays.
      if (begins.current === from && own.error) playWhole(from, to);
    });
  }, [playWhole]);
  const pause = useCallback(() => {
    sound.current?.pause();
    piece.current?.pause();
  }, []);
  const seek = useCallback((to: number) => {
    if (!sound.current) return;
    piece.current?.pause();
    begins.current = null;
    until.current = null;
    sound.current.currentTime = to;
    setTime(to);
    follow();
  }, [follow]);
  const events = {
    src: address,
    // The rest is brought in when it is played: on a slow line it would be in the way of what is asked for.
    preload: "metadata" as const,
    onPlay: () => setPlaying(true),
    onPause: () => { if (begins.current === null) { setPlaying(false); follow(); } },
    onEnded: () => setPlaying(false),
    onSeeked: follow,
    onError: () => { setPlaying(false); onLost?.(); },
  };
  const pieceEvents = {
    preload: "auto" as const,
    onPlay: () => setPlaying(true),
    onPause: () => { if (begins.current !== null) { setPlaying(false); follow(); } },
    onEnded: () => setPlaying(false),
  };
  return { sound, piece, picture, events, pieceEvents, time, playing, play, pause, seek };
}
