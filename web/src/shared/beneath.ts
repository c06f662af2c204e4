import { inStep, timeIn, type Hold, type Picture } from "./picture";

/** What plays beneath the programme: the source's recording, or another edition's track. */
export interface Beneath {
  language: string;
  address: string;
  holds: readonly Hold[];
  /** 0–1, beside the programme's own 1. */
  level: number;
}

interface Track extends Beneath {
  sound: HTMLAudioElement;
}
const tracks = new Map<string, Track>();

/** Have just these beneath; those that play already go on. */
export function setBeneath(wanted: readonly Beneath[]): void {
  for (const [language, track] of tracks)
    if (!wanted.some((one) => one.language === language && one.address === track.address)) {
      track.sound.pause();
      track.sound.removeAttribute("src");
      tracks.delete(language);
    }
  for (const one of wanted) {
    const there = tracks.get(one.language);
    if (there) Object.assign(there, one);
    else {
      const sound = new Audio(one.address);
      sound.preload = "auto";
      sound.preservesPitch = true;
      tracks.set(one.language, { ...one, sound });
    }
  }
}

/** Keep all that is beneath in step: `picture` is where the source is, `alone` the one language that is heard, if any. */
export function stepBeneath(picture: Picture, playing: boolean, speed: number, alone: string | null): void {
  for (const { language, sound, holds, level } of tracks.values()) {
    const { time, still } = timeIn(holds, picture);
    sound.volume = alone === null ? level : alone === language ? 1 : 0;
    if (!playing || still || time >= sound.duration) {
      if (!sound.paused) sound.pause();
      continue;
    }
    const { seek, rate } = inStep(sound.currentTime - time, STEP);
    if (seek && !sound.seeking) sound.currentTime = time;
    sound.playbackRate = speed * rate;
    if (sound.paused && !sound.ended) void sound.play().catch(() => undefined);
  }
}
/** Steps in a second within which a sound counts as in step. */
const STEP = 25;

export function hushBeneath(): void {
  for (const { sound } of tracks.values()) sound.pause();
}
