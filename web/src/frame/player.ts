import { create } from "zustand";

import { Fault } from "../shared/api/client";
import { askForMix, fetchMix, mixSound, queryClient } from "../shared/api/queries";

export type Listening = "source" | "dub";

interface PlayerState {
  /** What is loaded: production, language and the mix's recipe. */
  loaded: { production: number; language: string; recipe: string } | null;
  playing: boolean;
  /** 0–1 while a mix is being made before it can play, else null. */
  preparing: number | null;
  time: number;
  duration: number;
  speed: number;
  listening: Listening;
  fault: string | null;
  setSpeed: (speed: number) => void;
  setListening: (listening: Listening) => void;
  seek: (time: number) => void;
  pause: () => void;
  clearFault: () => void;
  /** Play the mix named `recipe` from `from` seconds, having it made first where it is missing. */
  play: (production: number, language: string, recipe: string, from: number | null) => Promise<void>;
}

const audio = typeof Audio === "undefined" ? null : new Audio();
if (audio) {
  audio.preload = "auto";
  audio.preservesPitch = true;
}

export const usePlayer = create<PlayerState>((set, get) => ({
  loaded: null,
  playing: false,
  preparing: null,
  time: 0,
  duration: 0,
  speed: 1,
  listening: "dub",
  fault: null,
  setSpeed: (speed) => {
    if (audio) audio.playbackRate = speed;
    set({ speed });
  },
  setListening: (listening) => set({ listening }),
  clearFault: () => set({ fault: null }),
  seek: (time) => {
    if (audio && get().loaded) audio.currentTime = time;
    set({ time });
  },
  pause: () => {
    audio?.pause();
    set({ playing: false, preparing: null });
  },
  play: async (production, language, recipe, from) => {
    if (!audio) return;
    const { loaded } = get();
    try {
      if (!loaded || loaded.recipe !== recipe || loaded.language !== language) {
        set({ preparing: 0, fault: null });
        let mix = await askForMix(production, language);
        while (mix.state === "making") {
          await new Promise((done) => setTimeout(done, 250));
          if (get().preparing === null) return; // stopped meanwhile
          mix = await fetchMix(production, language, mix.recipe);
          set({ preparing: mix.share });
        }
        if (mix.state === "failed") throw new Fault("mix", mix.fault, 500);
        // Whoever shows whether this mix is made looks again.
        void queryClient.invalidateQueries({ queryKey: ["production", production, "mix"] });
        audio.src = mixSound(production, language, mix.recipe);
        set({ loaded: { production, language, recipe: mix.recipe }, duration: mix.report?.seconds ?? 0 });
      }
      audio.playbackRate = get().speed;
      if (from !== null) audio.currentTime = from;
      await audio.play();
      set({ playing: true, preparing: null });
    } catch (error) {
      if (error instanceof DOMException && error.name === "AbortError") return;
      set({ playing: false, preparing: null, fault: error instanceof Error ? error.message || "unreachable" : "error" });
    }
  },
}));

if (audio) {
  let frame = 0;
  const follow = () => {
    usePlayer.setState({ time: audio.currentTime });
    if (!audio.paused) frame = requestAnimationFrame(follow);
  };
  audio.addEventListener("play", () => {
    cancelAnimationFrame(frame);
    follow();
  });
  audio.addEventListener("seeked", () => usePlayer.setState({ time: audio.currentTime }));
  audio.addEventListener("pause", () => usePlayer.setState({ playing: false }));
  audio.addEventListener("ended", () => usePlayer.setState({ playing: false }));
  audio.addEventListener("durationchange", () => {
    if (Number.isFinite(audio.duration)) usePlayer.setState({ duration: audio.duration });
  });
}

const sample = typeof Audio === "undefined" ? null : new Audio();
interface SampleState {
  address: string | null;
  loading: boolean;
  fault: string | null;
  toggle: (address: string) => void;
}

/** Short sounds beside the programme: an audition, a single take. One at a time. */
export const useSample = create<SampleState>((set, get) => ({
  address: null,
  loading: false,
  fault: null,
  toggle: (address) => {
    if (!sample) return;
    usePlayer.getState().pause();
    if (get().address === address) {
      sample.pause();
      set({ address: null, loading: false });
      return;
    }
    set({ address, loading: true, fault: null });
    sample.src = address;
    sample.play().then(
      () => set({ loading: false }),
      (error: unknown) => {
        if (error instanceof DOMException && error.name === "AbortError") return;
        set({ address: null, loading: false, fault: address });
      },
    );
  },
}));
sample?.addEventListener("ended", () => useSample.setState({ address: null }));
