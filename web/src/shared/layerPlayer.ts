import type { Schemas } from "./api/client";

export type PlayedLayers = Schemas["PlayedLayers"];
type PlayedLayer = Schemas["PlayedLayer"];

/** Seconds of sound that are asked for before they are heard. */
const AHEAD = 25;
const LOOK = 200;
/** Seconds: a level that is moved arrives within five of these. */
const SMOOTH = 0.006;
const SWAP = 0.02;
/** Pieces that stay decoded. */
const KEPT = 120;

export interface LayerStrip {
  level_db: number;
  pan: number;
  mute: boolean;
  solo: boolean;
}

/** Names of the layers that are heard: all that are not muted, or of them those alone that are to be heard alone. */
export function audible(layers: readonly (LayerStrip & { name: string })[]): ReadonlySet<string> {
  const open = layers.filter((layer) => !layer.mute);
  const alone = open.filter((layer) => layer.solo);
  return new Set((alone.length ? alone : open).map((layer) => layer.name));
}

interface Sounding {
  key: string;
  source: AudioBufferSourceNode;
  fade: GainNode;
}

interface Channel {
  gain: GainNode;
  /** What has one side is panned at constant power, what has two is balanced: as the mix does it. */
  pan: StereoPannerNode;
  split: ChannelSplitterNode;
  left: GainNode;
  right: GainNode;
  /** By the number of the block. */
  sounding: Map<number, Sounding>;
}

/** The gains of both sides of what has two already, at a pan from −1 to 1: in the middle it is left alone. */
export function balance(pan: number): readonly [number, number] {
  const angle = ((Math.min(1, Math.max(-1, pan)) + 1) * Math.PI) / 4;
  return [Math.min(1, Math.cos(angle) * Math.SQRT2), Math.min(1, Math.sin(angle) * Math.SQRT2)];
}

/** Seconds into a piece and from when on the clock it is to sound, for a programme whose second 0 is at `zero`. */
export function pieceTimes(zero: number, block: number, blockSeconds: number, now: number): { at: number; into: number } {
  const at = zero + block * blockSeconds;
  return at >= now ? { at, into: 0 } : { at: now, into: now - at };
}

/**
 * Plays a mix layer by layer, so that levels are heard while they are moved: pieces of ten seconds of each layer, begun on
 * one clock. What has changed is fetched again by its key and takes the place of what sounds.
 */
export class LayerPlayer {
  private context: AudioContext | null = null;
  private master: GainNode | null = null;
  private channels = new Map<string, Channel>();
  private pieces = new Map<string, Promise<AudioBuffer>>();
  private ready = new Map<string, AudioBuffer>();
  private told: PlayedLayers | null = null;
  private zero = 0;
  private timer: ReturnType<typeof setInterval> | null = null;
  private run = 0;

  constructor(
    private readonly address: (layer: string, block: number, key: string) => string,
    private readonly onTime: (seconds: number) => void,
    private readonly onEnd: () => void,
  ) {}

  get playing(): boolean {
    return this.timer !== null;
  }

  get time(): number {
    return this.context ? Math.max(0, this.context.currentTime - this.zero) : 0;
  }

  /** Begin at so many seconds; resolves once it sounds. Rejects where nothing of it can be had. */
  async play(told: PlayedLayers, from: number): Promise<void> {
    this.stop();
    const run = ++this.run;
    this.context ??= new AudioContext({ latencyHint: "interactive", sampleRate: 48_000 });
    await this.context.resume();
    this.take(told);
    const first = Math.floor(from / told.block_seconds);
    // What sounds first is waited for, so that all layers begin together.
    await Promise.all(this.wanted(told, first, first).map(([layer, block]) => this.piece(layer.name, block, layer.blocks[block] ?? "")));
    if (run !== this.run) return;
    this.zero = this.context.currentTime + 0.06 - from;
    this.timer = setInterval(() => this.look(), LOOK);
    this.look();
  }

  /** The same programme, changed: what sounds of it goes on, what is otherwise takes its place. */
  update(told: PlayedLayers): void {
    this.take(told);
    if (this.playing) this.look();
  }

  /** A layer's level or pan while it is moved, or whether it is heard. */
  setStrips(strips: readonly (LayerStrip & { name: string })[]): void {
    if (!this.context) return;
    const heard = audible(strips);
    for (const strip of strips) {
      const channel = this.channels.get(strip.name);
      if (!channel) continue;
      channel.gain.gain.setTargetAtTime(heard.has(strip.name) ? 10 ** (strip.level_db / 20) : 0, this.context.currentTime, SMOOTH);
      channel.pan.pan.setTargetAtTime(strip.pan, this.context.currentTime, SMOOTH);
      const [left, right] = balance(strip.pan);
      channel.left.gain.setTargetAtTime(left, this.context.currentTime, SMOOTH);
      channel.right.gain.setTargetAtTime(right, this.context.currentTime, SMOOTH);
    }
  }

  stop(): void {
    this.run += 1;
    if (this.timer !== null) clearInterval(this.timer);
    this.timer = null;
    for (const channel of this.channels.values()) {
      for (const one of channel.sounding.values()) this.end(one);
      channel.sounding.clear();
    }
  }

  private take(told: PlayedLayers): void {
    if (!this.context) return;
    this.told = told;
    if (!this.master) {
      this.master = this.context.createGain();
      this.master.connect(this.context.destination);
    }
    this.master.gain.setTargetAtTime(10 ** ((told.gain_db + told.headroom_db) / 20), this.context.currentTime, SMOOTH);
    for (const layer of told.layers)
      if (!this.channels.has(layer.name)) {
        const gain = this.context.createGain();
        const pan = this.context.createStereoPanner();
        gain.gain.value = 0;
        pan.connect(gain).connect(this.master);
        const split = this.context.createChannelSplitter(2);
        const join = this.context.createChannelMerger(2);
        const left = this.context.createGain();
        const right = this.context.createGain();
        split.connect(left, 0).connect(join, 0, 0);
        split.connect(right, 1).connect(join, 0, 1);
        join.connect(gain);
        this.channels.set(layer.name, { gain, pan, split, left, right, sounding: new Map() });
      }
    for (const [name, channel] of this.channels)
      if (!told.layers.some((layer) => layer.name === name)) {
        for (const one of channel.sounding.values()) this.end(one);
        channel.gain.disconnect();
        this.channels.delete(name);
      }
    this.setStrips(told.layers);
  }

  private wanted(told: PlayedLayers, first: number, last: number): [PlayedLayer, number][] {
    return told.layers.flatMap((layer) => layer.blocks.flatMap((key, block): [PlayedLayer, number][] => (key && block >= first && block <= last ? [[layer, block]] : [])));
  }

  private look(): void {
    const { told, context } = this;
    if (!told || !context) return;
    const now = this.time;
    this.onTime(now);
    if (now >= told.seconds) {
      this.stop();
      this.onEnd();
      return;
    }
    const first = Math.floor(now / told.block_seconds);
    const last = Math.floor((now + AHEAD) / told.block_seconds);
    for (const layer of told.layers) {
      const channel = this.channels.get(layer.name);
      for (const [block, one] of channel?.sounding ?? [])
        if (block < first || (layer.blocks[block] ?? "") === "") {
          this.end(one);
          channel?.sounding.delete(block);
        }
    }
    for (const [layer, block] of this.wanted(told, first, last)) {
      const key = layer.blocks[block] ?? "";
      const channel = this.channels.get(layer.name);
      if (!channel || channel.sounding.get(block)?.key === key) continue;
      const piece = this.ready.get(key);
      if (piece) this.begin(channel, block, key, piece);
      else {
        const { run } = this;
        void this.piece(layer.name, block, key).then(
          () => run === this.run && this.look(),
          () => undefined, // it has changed meanwhile: what takes its place is asked for
        );
      }
    }
  }

  private begin(channel: Channel, block: number, key: string, piece: AudioBuffer): void {
    const { context, told } = this;
    if (!context || !told) return;
    const { at, into } = pieceTimes(this.zero, block, told.block_seconds, context.currentTime + 0.005);
    if (into >= piece.duration) return;
    const before = channel.sounding.get(block);
    const source = context.createBufferSource();
    const fade = context.createGain();
    source.buffer = piece;
    if (before) {
      fade.gain.setValueAtTime(0, at);
      fade.gain.linearRampToValueAtTime(1, at + SWAP);
      this.end(before, at);
    }
    source.connect(fade).connect(piece.numberOfChannels > 1 ? channel.split : channel.pan);
    source.start(at, into);
    channel.sounding.set(block, { key, source, fade });
  }

  private end(one: Sounding, at = this.context?.currentTime ?? 0): void {
    try {
      one.fade.gain.setValueAtTime(1, at);
      one.fade.gain.linearRampToValueAtTime(0, at + SWAP);
      one.source.stop(at + SWAP + 0.01);
    } catch {
      // It has ended by itself.
    }
  }

  private piece(layer: string, block: number, key: string): Promise<AudioBuffer> {
    const known = this.pieces.get(key);
    if (known) return known;
    const coming = fetch(this.address(layer, block, key))
      .then(async (answer) => {
        if (!answer.ok || !this.context) throw new Error(`${answer.status}`);
        const buffer = await this.context.decodeAudioData(await answer.arrayBuffer());
        this.ready.set(key, buffer);
        while (this.ready.size > KEPT) {
          const oldest = this.ready.keys().next().value;
          if (oldest === undefined) break;
          this.ready.delete(oldest);
          this.pieces.delete(oldest);
        }
        return buffer;
      })
      .catch((error: unknown) => {
        this.pieces.delete(key);
        throw error;
      });
    this.pieces.set(key, coming);
    return coming;
  }
}
