import { create } from "zustand";

import { Fault, send, type Mix, type Schemas } from "./api/client";
import { askForMix, fetchMix, mixSound, queryClient } from "./api/queries";
import { setBeneath, type Beneath } from "./beneath";

export type Listening = "source" | "dub" | "both";

/** What is to play beneath; without an address, the mix of that edition. */
export type Under = Omit<Beneath, "address"> & { address: string | null };

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
  /** Other editions heard with the one that is open, by language. */
  besides: readonly string[];
  /** Of all that plays, the one language that is heard; null: all. */
  alone: string | null;
  fault: string | null;
  /** Whether it plays layer by layer. */
  layers: boolean;
  setSpeed: (speed: number) => void;
  setListening: (listening: Listening) => void;
  setBesides: (besides: readonly string[]) => void;
  setAlone: (alone: string | null) => void;
  seek: (time: number) => void;
  pause: () => void;
  clearFault: () => void;
  /**
   * Play the mix named `recipe` from `from` seconds, having it made first where it is missing. What is `under` it plays
   * beneath, in step with the picture; an edition that is not mixed yet is mixed first.
   */
  play: (production: number, language: string, recipe: string, from: number | null, under?: readonly Under[]) => Promise<void>;
  /** Play a recording that is there already. */
  playFile: (production: number, language: string, address: string, from: number | null) => Promise<void>;
}

/** What plays an edition's mix layer by layer, where its levels can be moved; null everywhere else. */
export interface Layered {
  production: number;
  language: string;
  /** Begins at so many seconds; resolves once it sounds. */
  play: (from: number) => Promise<void>;
  stop: () => void;
}
let layered: Layered | null = null;

/** From now on the mix of this edition is played layer by layer; null: as a finished track again. */
export function setLayered(next: Layered | null): void {
  if (layered && layered !== next && usePlayer.getState().layers) {
    layered.stop();
    usePlayer.setState({ playing: false, layers: false, loaded: null });
  }
  layered = next;
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
  besides: [],
  alone: null,
  fault: null,
  layers: false,
  setSpeed: (speed) => {
    if (audio) audio.playbackRate = speed;
    set({ speed });
  },
  setListening: (listening) => set({ listening }),
  setBesides: (besides) => set({ besides }),
  setAlone: (alone) => {
    set({ alone });
    hush();
  },
  clearFault: () => set({ fault: null }),
  seek: (time) => {
    set({ time });
    if (get().layers) {
      if (get().playing && layered) void layered.play(time);
    } else if (audio && get().loaded) audio.currentTime = time;
  },
  pause: () => {
    audio?.pause();
    if (get().layers) layered?.stop();
    set({ playing: false, preparing: null });
  },
  playFile: async (production, language, address, from) => {
    if (!audio) return;
    leaveLayers();
    try {
      const { loaded } = get();
      if (loaded?.recipe !== address || loaded.language !== language) {
        audio.src = address;
        set({ loaded: { production, language, recipe: address }, duration: 0, fault: null });
      }
      setBeneath([]);
      hush();
      audio.playbackRate = get().speed;
      if (from !== null) audio.currentTime = from;
      await audio.play();
      set({ playing: true, preparing: null });
    } catch (error) {
      if (error instanceof DOMException && error.name === "AbortError") return;
      set({ playing: false, preparing: null, fault: error instanceof Error ? error.message || "unreachable" : "error" });
    }
  },
  play: async (production, language, recipe, from, under = []) => {
    if (!audio) return;
    const { loaded } = get();
    if (layered?.production === production && layered.language === language && !under.length && get().speed === 1 && get().alone === null) {
      audio.pause();
      setBeneath([]);
      const begin = from ?? (get().layers ? get().time : 0);
      set({ preparing: 0, fault: null, layers: true, time: begin, loaded: { production, language, recipe } });
      try {
        await layered.play(begin);
        // Stopped meanwhile: it does not sound.
        if (get().preparing !== null) set({ playing: true, preparing: null });
        else layered.stop();
      } catch (error) {
        set({ playing: false, preparing: null, fault: error instanceof Error ? error.message || "unreachable" : "error" });
      }
      return;
    }
    leaveLayers();
    try {
      const beneath: Beneath[] = [];
      for (const [index, one] of under.entries()) {
        let { address } = one;
        if (address === null) {
          set({ preparing: 0, fault: null });
          const made = await madeMix(production, one.language, () => get().preparing !== null, (share) => set({ preparing: (index + share) / (under.length + 1) }));
          if (!made) return; // stopped meanwhile
          address = mixSound(production, one.language, made.recipe);
        }
        beneath.push({ ...one, address });
      }
      setBeneath(beneath);
      if (!loaded || loaded.recipe !== recipe || loaded.language !== language) {
        set({ preparing: 0, fault: null });
        const mix = await madeMix(production, language, () => get().preparing !== null, (share) => set({ preparing: share }));
        if (!mix) return; // stopped meanwhile
        // Whoever shows whether this mix is made looks again.
        void queryClient.invalidateQueries({ queryKey: ["production", production, "mix"] });
        audio.src = mixSound(production, language, mix.recipe);
        set({ loaded: { production, language, recipe: mix.recipe }, duration: mix.report?.seconds ?? 0 });
      }
      hush();
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

/** What plays layer by layer falls silent, and nothing is loaded: a finished track plays next. */
function leaveLayers(): void {
  if (!usePlayer.getState().layers) return;
  layered?.stop();
  usePlayer.setState({ layers: false, loaded: null });
}

/** The mix of an edition as it stands, waited for; null where `goesOn` says that nobody waits any more. */
async function madeMix(production: number, language: string, goesOn: () => boolean, tell: (share: number) => void): Promise<Mix | null> {
  let mix = await askForMix(production, language);
  while (mix.state === "making") {
    await new Promise((done) => setTimeout(done, 250));
    if (!goesOn()) return null;
    mix = await fetchMix(production, language, mix.recipe);
    tell(mix.share);
  }
  if (mix.state === "failed") throw new Fault("mix", mix.fault, 500);
  return mix;
}

/** The programme itself is not heard while another language is heard alone. */
function hush(): void {
  const { alone, loaded } = usePlayer.getState();
  if (audio) audio.muted = alone !== null && loaded !== null && loaded.language !== alone;
}

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
  /** What comes after what plays now, and the name of the whole row of sounds; "" for a single one. */
  queue: readonly string[];
  row: string;
  /** Whether what is heard is a light voice's, in place of one that is not finished. */
  sketch: boolean;
  /** Why it could not be heard, where that is known. */
  why: string;
  toggle: (address: string) => void;
  /** Play several, one after the other; asked for again under the same name, stop. */
  playRow: (row: string, addresses: readonly string[]) => void;
}

/** Short sounds beside the programme: an audition, a single take. One at a time. */
export const useSample = create<SampleState>((set, get) => ({
  address: null,
  loading: false,
  fault: null,
  queue: [],
  row: "",
  sketch: false,
  why: "",
  toggle: (address) => {
    if (!sample) return;
    usePlayer.getState().pause();
    if (get().address === address && !get().row) {
      sample.pause();
      set({ address: null, loading: false });
      return;
    }
    set({ queue: [], row: "" });
    sound(address);
  },
  playRow: (row, addresses) => {
    if (!sample) return;
    usePlayer.getState().pause();
    const [first, ...rest] = addresses;
    if (get().row === row || first === undefined) {
      sample.pause();
      set({ address: null, loading: false, queue: [], row: "" });
      return;
    }
    set({ queue: rest, row });
    sound(first);
  },
}));

/** Milliseconds between two looks at whether a voice has said its line. */
const LOOK = 350;

/** Where a sound can be heard: of an audition once the voice has said it, as a sketch first. However long that takes. */
async function whenSaid(address: string): Promise<string | null> {
  while (useSample.getState().address === address) {
    try {
      const said = await askFor(address);
      if (said.fault) throw new Fault("engine", said.fault, 400);
      if (said.finished || said.sketched) {
        useSample.setState({ sketch: !said.finished });
        return said.finished ? address : `${address}&sketch=true`;
      }
    } catch (error) {
      // Away for a moment: it is asked again. Anything else will not get better.
      if (!(error instanceof Fault) || (error.status !== 0 && error.status !== 503)) throw error;
    }
    await new Promise((done) => setTimeout(done, LOOK));
  }
  return null;
}

const askFor = (address: string) => send<Schemas["Audition"]>(address, new FormData());

function sound(address: string): void {
  if (!sample) return;
  sample.pause();
  useSample.setState({ address, loading: true, fault: null, sketch: false, why: "" });
  const begin = (from: string) => {
    sample.src = from;
    return sample.play();
  };
  // A take is there; a voice that has not said this line yet is waited for.
  const playing = address.includes("/audition/?")
    ? whenSaid(address).then((from) => (from === null || useSample.getState().address !== address ? undefined : begin(from)))
    : begin(address);
  playing.then(
    () => useSample.setState({ loading: false }),
    (error: unknown) => {
      if (error instanceof DOMException && error.name === "AbortError") return;
      useSample.setState({ address: null, loading: false, fault: address, why: error instanceof Fault ? error.message : "", queue: [], row: "" });
    },
  );
}

sample?.addEventListener("ended", () => {
  const [next, ...rest] = useSample.getState().queue;
  if (next === undefined) useSample.setState({ address: null, row: "" });
  else {
    useSample.setState({ queue: rest });
    sound(next);
  }
});
