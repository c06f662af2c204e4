import { useEffect, useState } from "react";
import { create } from "zustand";

import { api, data, Fault, type Schemas } from "../../shared/api/client";
import { usePlayer } from "../../shared/player";

/** What is to be said: the line as it is directed, or other words, marks or readings in its place. */
export interface Wanted {
  readonly production: number;
  readonly language: string;
  readonly line: number;
  readonly body?: Schemas["AuditionWantedRequest"];
  /** Seconds from which and to which it is played; without an end, all that is left. */
  readonly from?: number;
  readonly to?: number;
}

interface Heard {
  /** What plays or is waited for; "" is nothing. */
  name: string;
  waiting: boolean;
  /** Whether a light voice is heard in the voice's place. */
  sketch: boolean;
  fault: string;
}

export const useHeard = create<Heard>(() => ({ name: "", waiting: false, sketch: false, fault: "" }));
const sound = typeof Audio === "undefined" ? null : new Audio();
let asked = 0;
const LOOK = 150;

/** Stop whatever of Direct plays. */
export function hush(): void {
  asked += 1;
  sound?.pause();
  useHeard.setState({ name: "", waiting: false, sketch: false });
}

/** Have it said and play it: the sketch as soon as there is one, else the voice itself. `name` says who asked. */
export async function hear(name: string, wanted: Wanted): Promise<void> {
  if (!sound) return;
  usePlayer.getState().pause();
  asked += 1;
  const mine = asked;
  sound.pause();
  useHeard.setState({ name, waiting: true, sketch: false, fault: "" });
  const path = { production_id: wanted.production, language: wanted.language };
  try {
    while (mine === asked) {
      let said: Schemas["LineAudition"] | null = null;
      try {
        said = await data(api.POST("/api/productions/{production_id}/editions/{language}/lines/{line_id}/audition/", { params: { path: { ...path, line_id: wanted.line } }, body: wanted.body ?? {} }));
      } catch (error) {
        // Away for a moment: it is asked again. Anything else will not get better.
        if (!(error instanceof Fault) || (error.status !== 0 && error.status !== 503)) throw error;
      }
      if (mine !== asked) return;
      if (said?.fault) throw new Fault("engine", said.fault, 400);
      const key = said?.finished || said?.sketched;
      if (said && key) {
        sound.src = `/api/productions/${wanted.production}/editions/${encodeURIComponent(wanted.language)}/heard/${key}`;
        useHeard.setState({ waiting: false, sketch: !said.finished });
        if (wanted.from) await placed(sound, wanted.from);
        if (mine !== asked) return;
        await sound.play();
        stopAt(mine, wanted.to);
        return;
      }
      await new Promise((done) => setTimeout(done, LOOK));
    }
  } catch (error) {
    if (mine !== asked || (error instanceof DOMException && error.name === "AbortError")) return;
    useHeard.setState({ name: "", waiting: false, fault: error instanceof Error ? error.message : "" });
  }
}

/** At a place of a sound, which can only be gone to once its length is known. */
async function placed(audio: HTMLAudioElement, at: number): Promise<void> {
  if (audio.readyState < 1) await new Promise((done) => audio.addEventListener("loadedmetadata", done, { once: true }));
  audio.currentTime = Math.min(at, audio.duration || at);
}

function stopAt(mine: number, end: number | undefined): void {
  if (end === undefined || !sound) return;
  const look = () => {
    if (mine !== asked) return;
    if (sound.currentTime >= end) hush();
    else requestAnimationFrame(look);
  };
  requestAnimationFrame(look);
}

sound?.addEventListener("ended", () => useHeard.setState({ name: "", sketch: false }));

/** Where in what plays under this name it is, in seconds; null while it does not. */
export function useHearingTime(name: string): number | null {
  const playing = useHeard((state) => state.name === name && !state.waiting);
  const [time, setTime] = useState<number | null>(null);
  useEffect(() => {
    if (!playing || !sound) return;
    let next = 0;
    const look = () => {
      setTime(sound.currentTime);
      next = requestAnimationFrame(look);
    };
    next = requestAnimationFrame(look);
    return () => {
      cancelAnimationFrame(next);
      setTime(null);
    };
  }, [playing]);
  return playing ? time : null;
}
