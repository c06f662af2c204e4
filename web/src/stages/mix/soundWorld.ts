import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useMemo } from "react";
import { useTranslation } from "react-i18next";

import { api, data, Fault, type Schemas } from "../../shared/api/client";
import { useNotices } from "../../shared/notices";

export type SoundWorld = Schemas["SoundWorld"];
export type Cue = Schemas["Cue"];
export type Layer = Schemas["Layer"];
export type CueSource = Schemas["CueSource"];
export type Strip = Required<Schemas["Strip"]>;
export type Room = Schemas["VoicePlace"]["room"];
export type LayerKind = Layer["kind"];

/** What a layer of each kind begins with: its level against the voices, and how far it gives way, dB; as the core has it. */
export const KINDS: Record<LayerKind, { level_db: number; duck_db: number }> = {
  music: { level_db: -14, duck_db: 9 },
  effects: { level_db: -8, duck_db: 0 },
  ambience: { level_db: -18, duck_db: 4 },
  bed: { level_db: -14, duck_db: 8 },
};
export const ROOMS: readonly Room[] = ["near", "across the room", "next door", "outside", "hall", "stairwell", "telephone", "two-way radio", "loudspeaker", "in the head"];
const EMPTY: SoundWorld = { layers: [], cues: [] };

export const newLayer = (kind: LayerKind, name: string = kind): Layer => ({
  name, kind, level_db: KINDS[kind].level_db, pan: 0, mute: false, solo: false, duck: { amount_db: KINDS[kind].duck_db, lead: 0.35, hold: 1.2, release: 0.7 },
});

type Over = Record<string, unknown>;
const isObject = (value: unknown): value is Over => typeof value === "object" && value !== null && !Array.isArray(value);

/** What is said anew is said whole: a place that names no line any more is tied to none. */
const WHOLE = new Set(["at", "until", "sound"]);

function laidOver<T extends object>(row: T, over: unknown): T {
  if (!isObject(over)) return row;
  const made: Over = { ...(row as Over) };
  for (const [name, value] of Object.entries(over)) made[name] = !WHOLE.has(name) && isObject(value) && isObject(made[name]) ? { ...made[name], ...value } : value;
  return made as T;
}

/** What is otherwise in one edition: rows of one kind by what they go by. */
export const otherwise = (plan: SoundWorld, language: string, rows: "layers" | "cues" | "speakers"): Over => {
  const told = (plan.editions?.[language] as Over | undefined)?.[rows];
  return isObject(told) ? told : {};
};

/** A plan as it is in one edition. */
export function inEdition(plan: SoundWorld, language: string): SoundWorld {
  const told = plan.editions?.[language] as Over | undefined;
  if (!told) return plan;
  const speakers = otherwise(plan, language, "speakers");
  const known = new Set((plan.speakers ?? []).map((one) => one.speaker));
  return {
    ...plan,
    ...(told.deeper ? { deeper: told.deeper as NonNullable<SoundWorld["deeper"]> } : {}),
    layers: plan.layers.map((layer) => laidOver(layer, otherwise(plan, language, "layers")[layer.name])),
    cues: plan.cues.map((cue) => laidOver(cue, otherwise(plan, language, "cues")[cue.id ?? ""])),
    speakers: [
      ...(plan.speakers ?? []).map((one) => laidOver(one, speakers[one.speaker])),
      ...Object.entries(speakers).filter(([name]) => !known.has(name)).map(([speaker, one]) => ({ speaker, ...(one as object) })),
    ],
  };
}

/** The plan with one row changed: for all editions, or laid over them in one. */
export function changed(plan: SoundWorld, rows: "layers" | "cues" | "speakers", name: string, more: object, only: string | null): SoundWorld {
  if (only !== null) {
    const told = { ...((plan.editions?.[only] as Over | undefined) ?? {}) };
    const here = otherwise(plan, only, rows);
    told[rows] = { ...here, [name]: laidOver((here[name] as object | undefined) ?? {}, more) };
    return { ...plan, editions: { ...plan.editions, [only]: told } };
  }
  // Said for all: what one edition says otherwise of the same goes.
  const editions = Object.fromEntries(Object.entries(plan.editions ?? {}).map(([tag, told]) => {
    const here = otherwise(plan, tag, rows)[name];
    if (!isObject(here)) return [tag, told];
    const left = Object.fromEntries(Object.entries(here).filter(([key]) => !(key in more)));
    return [tag, { ...(told as Over), [rows]: { ...otherwise(plan, tag, rows), [name]: left } }];
  }));
  const base = { ...plan, editions };
  if (rows === "layers") return { ...base, layers: plan.layers.map((layer) => (layer.name === name ? laidOver(layer, more) : layer)) };
  if (rows === "cues") return { ...base, cues: plan.cues.map((cue) => (cue.id === name ? laidOver(cue, more) : cue)) };
  const there = (plan.speakers ?? []).some((one) => one.speaker === name);
  return { ...base, speakers: there ? (plan.speakers ?? []).map((one) => (one.speaker === name ? laidOver(one, more) : one)) : [...(plan.speakers ?? []), { speaker: name, ...more }] };
}

/** The plan without what is otherwise of a row in one edition. */
export function asEverywhere(plan: SoundWorld, rows: "layers" | "cues" | "speakers", name: string, language: string): SoundWorld {
  const left = Object.fromEntries(Object.entries(otherwise(plan, language, rows)).filter(([key]) => key !== name));
  return { ...plan, editions: { ...plan.editions, [language]: { ...((plan.editions?.[language] as Over | undefined) ?? {}), [rows]: left } } };
}

export const stripOf = (plan: SoundWorld, speaker: number): Strip => ({ level_db: 0, pan: 0, mute: false, solo: false, ...(plan.speakers ?? []).find((one) => one.speaker === `#${speaker}`) });

type Change = (plan: SoundWorld) => SoundWorld;

/** What was changed and is not on its way yet, in order; and what the server had when it last said so. */
interface Line {
  running: boolean;
  waiting: Change[];
  sure: SoundWorld;
}
const lines = new Map<number, Line>();

/**
 * The sound world of a production, changed at once on the page and behind it on the server: one change after another.
 * `set` takes what the plan becomes from what it is by then. Where somebody else was first, the same is done to what
 * they have made of it.
 */
export function useSoundWorld(production: number) {
  const client = useQueryClient();
  const { t } = useTranslation();
  const say = useNotices((state) => state.say);
  const key = useMemo(() => ["production", production, "sounds"], [production]);
  const path = useMemo(() => ({ params: { path: { production_id: production } } }), [production]);
  const query = useQuery({ queryKey: key, queryFn: () => data(api.GET("/api/productions/{production_id}/sounds/", path)) });
  const set = useCallback(
    (change: Change): SoundWorld => {
      const now = client.getQueryData<SoundWorld>(key) ?? EMPTY;
      const line = lines.get(production) ?? { running: false, waiting: [], sure: now };
      if (!line.running && !line.waiting.length) line.sure = now;
      lines.set(production, line);
      line.waiting.push(change);
      const plan = change(now);
      void client.cancelQueries({ queryKey: key });
      client.setQueryData(key, plan);
      const put = async (changes: readonly Change[]): Promise<void> => {
        const body = { ...changes.reduce((made, one) => one(made), line.sure), ...(line.sure.revision ? { revision: line.sure.revision } : {}) };
        try {
          line.sure = await data(api.PUT("/api/productions/{production_id}/sounds/", { ...path, body }));
        } catch (error) {
          if (!(error instanceof Fault) || error.status !== 409 || !error.current) throw error;
          line.sure = error.current as SoundWorld;
          await put(changes);
        }
      };
      const send = async () => {
        line.running = true;
        try {
          while (line.waiting.length) {
            await put(line.waiting.splice(0));
            // What others have done is seen with what is still to be written here.
            client.setQueryData(key, line.waiting.reduce((made, one) => one(made), line.sure));
          }
        } catch (error) {
          line.waiting = [];
          say({ tone: "bad", text: (error instanceof Error && error.message) || t("common.unreachable") });
          void client.invalidateQueries({ queryKey: key });
        } finally {
          line.running = false;
        }
        // What hangs on it: editions' mixes, and whether they are there.
        await client.invalidateQueries({ queryKey: ["production", production], predicate: (one) => one.queryKey[2] !== "sounds" });
      };
      if (!line.running) void send();
      return plan;
    },
    [client, key, path, production, say, t],
  );
  return { plan: query.data ?? EMPTY, known: query.data !== undefined, set };
}

/** Where everything lies in an edition as it stands now, and the keys of its pieces. */
export const useLayers = (production: number, language: string, recipe: string, mixed: boolean) =>
  useQuery({
    // Once it is mixed there is more of it to hear: what had to be made of the source first.
    queryKey: ["production", production, "layers", language, recipe, mixed],
    enabled: recipe !== "",
    placeholderData: (previous) => previous,
    queryFn: () => data(api.GET("/api/productions/{production_id}/editions/{language}/layers/", { params: { path: { production_id: production, language } } })),
  }).data;

export const soundAddress = (source: CueSource, cut?: { seconds: number; which: number }) =>
  `/api/sounds/whole.flac?${new URLSearchParams({ source: JSON.stringify(source), ...(cut ? { seconds: String(cut.seconds), which: String(cut.which) } : {}) }).toString()}`;

/** What a sound is called where nobody has named it. */
export function soundName(source: CueSource, kept: ReadonlyMap<number, string>): string {
  if (source.made) return source.made;
  if (source.composed) return source.composed.mood;
  return (source.kept !== undefined && kept.get(source.kept)) || "";
}
