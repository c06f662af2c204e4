/** Where the picture is held in an edition; `at` in the source's seconds. */
export interface Hold {
  at: number;
  seconds: number;
}

/** The source's time that is seen, whether the picture stands still there, and how long it has stood. */
export interface Picture {
  time: number;
  held: boolean;
  since: number;
}

/** What is seen at a time of the edition. */
export function pictureAt(holds: readonly Hold[], seconds: number): Picture {
  let left = seconds;
  for (const hold of holds) {
    if (left <= hold.at) return { time: left, held: false, since: 0 };
    if (left <= hold.at + hold.seconds) return { time: hold.at, held: true, since: left - hold.at };
    left -= hold.seconds;
  }
  return { time: left, held: false, since: 0 };
}

/** Where a track with holds of its own is when this is seen; `still` where it has to wait for a longer hold of another. */
export function timeIn(holds: readonly Hold[], { time, held, since }: Picture): { time: number; still: boolean } {
  let sum = time;
  let still = held;
  for (const hold of holds) {
    if (hold.at < time - 1e-3) sum += hold.seconds;
    else if (held && hold.at < time + 1e-3) {
      sum += Math.min(hold.seconds, since);
      still = since > hold.seconds;
    }
  }
  return { time: sum, still };
}

/** The middle of the frame that is shown at a time: a player that is sent there shows that frame and no other. */
export function middleOfFrame(time: number, fps: number): number {
  return (Math.floor(time * fps + 1e-2) + 0.5) / fps;
}

/** The middle of the last frame before a time: what is held at the end of a part is the part's own last frame. */
export function middleOfLastFrame(time: number, fps: number): number {
  return Math.max(0.5, Math.ceil(time * fps - 1e-2) - 0.5) / fps;
}

/**
 * What a follower does to keep step: go there, hurry or dally, or nothing. `away` is how many seconds it is ahead; within
 * half a frame it is in step. Within a quarter of a second it catches up unseen: the further it is away, the faster, so
 * that nine tenths of what lay between are made good in about a second; in steps, so that the rate is not another one at
 * every frame of the screen.
 */
export function inStep(away: number, fps: number): { seek: boolean; rate: number } {
  const far = Math.abs(away);
  if (far * fps <= 0.5) return { seek: false, rate: 1 };
  if (far > 0.25) return { seek: true, rate: 1 };
  const change = Math.min(0.3, Math.ceil(far * 2.5 / 0.05) * 0.05);
  return { seek: false, rate: away > 0 ? 1 - change : 1 + change };
}
