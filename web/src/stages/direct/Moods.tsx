import { useQuery, useQueryClient } from "@tanstack/react-query";
import { X } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { api, data, type Line, type Production, type Schemas, type VoiceSettings } from "../../shared/api/client";
import { setCasting, useCastings, useChange } from "../../shared/api/queries";
import { decibels } from "../../shared/format";
import { useNotices } from "../../shared/notices";
import { VOICE_SETTINGS } from "../../shared/settings.generated";
import { Button, FIELD, Select } from "../../shared/ui/controls";
import { Setting } from "../../shared/ui/Setting";
import type { Mark } from "./stave";

type Mood = Schemas["Mood"];
type Scope = "line" | "lines" | "part" | "speaker";
const DIALS = ["livelier", "softer", "breathier", "rougher", "younger"] as const satisfies readonly (keyof VoiceSettings)[];

/** How a line, some lines, a speaker in a part or everywhere should sound: told in plain words, corrected as chips. */
export function Moods({ production, language, line, chosen, own, beneath, readOnly, onMarks }: {
  production: Production; language: string; line: Line; chosen: readonly number[]; own: readonly Mood[]; beneath: readonly Mood[]; readOnly: boolean; onMarks: (dials: readonly Schemas["Dial"][], moods: Mood[] | undefined) => void;
}) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const [scope, setScope] = useState<Scope>(chosen.length > 1 ? "lines" : "line");
  const [told, setTold] = useState("");
  const [missed, setMissed] = useState<readonly string[]>([]);
  const speaker = production.speakers.find((one) => one.id === line.speaker);
  const part = production.parts.find((one) => one.id === line.part);
  const castings = useCastings(production.id, language).data;
  const casting = castings?.find((one) => one.speaker === line.speaker);
  const path = { production_id: production.id, language };
  const ofPart = useQuery({
    queryKey: ["production", production.id, "part-direction", language, line.part, line.speaker],
    enabled: scope === "part" && Boolean(part && speaker),
    queryFn: () => data(api.GET("/api/productions/{production_id}/editions/{language}/parts/{part_id}/speakers/{speaker_id}/direction/", { params: { path: { ...path, part_id: line.part ?? 0, speaker_id: line.speaker ?? 0 } } })),
  });
  const names = useQuery({ queryKey: ["moods"], queryFn: () => data(api.GET("/api/moods/", { params: { query: {} } })), staleTime: Infinity });
  const set = useChange(production.id, (change: { moods?: readonly Mood[]; settings?: Partial<Record<keyof VoiceSettings, number | null>> }) => {
    const moods = change.moods && { moods: [...change.moods] };
    if (scope === "speaker") return setCasting(production.id, language, line.speaker ?? 0, { ...moods, ...change.settings } as Parameters<typeof setCasting>[3]);
    if (scope === "part") return data(api.PUT("/api/productions/{production_id}/editions/{language}/parts/{part_id}/speakers/{speaker_id}/direction/", { params: { path: { ...path, part_id: line.part ?? 0, speaker_id: line.speaker ?? 0 } }, body: { ...moods, ...(change.settings ? { settings: change.settings } : {}) } }));
    if (change.settings) return data<unknown>(api.PUT("/api/productions/{production_id}/editions/{language}/lines/{line_id}/casting/", { params: { path: { ...path, line_id: line.id } }, body: change.settings }));
    return data<unknown>(api.PUT("/api/productions/{production_id}/editions/{language}/moods/", { params: { path }, body: { lines: scope === "lines" ? [...chosen] : [line.id], moods: [...(change.moods ?? [])] } }));
  });
  const tell = { onError: (error: Error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) };
  const here: readonly Mood[] = scope === "speaker" ? (casting?.moods ?? []) : scope === "part" ? (ofPart.data?.moods ?? []) : own;
  const under: readonly Mood[] = scope === "line" || scope === "lines" ? beneath : scope === "part" ? (casting?.moods ?? []).filter((one) => !here.some((mood) => mood.mood === one.mood)) : [];
  const put = (moods: readonly Mood[]) => set.mutate({ moods }, tell);
  const understand = async () => {
    if (!told.trim()) return;
    try {
      const found = await client.fetchQuery({ queryKey: ["understood", told], queryFn: () => data(api.GET("/api/moods/", { params: { query: { told } } })), staleTime: Infinity });
      // Pace, height and the like are of a line's words: for others than this line nothing is made of them, and that is said.
      setMissed(scope === "line" ? found.missed : [...found.missed, ...found.dials.map((one) => t(`direct.kind.${one.kind}`))]);
      const moods = found.moods.length ? [...here.filter((one) => !found.moods.some((mood) => mood.mood === one.mood)), ...found.moods] : undefined;
      // What is asked of this line at once is set at once, and taken back at once.
      if (scope === "line" && found.dials.length) onMarks(found.dials, moods);
      else if (moods) put(moods);
      if (found.moods.length || found.dials.length) setTold("");
    } catch (error) {
      tell.onError(error as Error);
    }
  };
  const setting = (name: keyof VoiceSettings): number => {
    const usual = VOICE_SETTINGS[name].usual;
    const cast = casting?.settings[name] ?? usual;
    if (scope === "speaker") return cast;
    const inPart = ofPart.data?.settings?.[name] ?? cast;
    return scope === "part" ? inPart : (line.own?.[name] ?? cast);
  };
  return (
    <section className="flex flex-col gap-3 rounded-md border border-rule bg-paper p-4" aria-label={t("direct.sounding")}>
      <div className="flex items-center gap-2">
        <h3 className="text-sm font-semibold grow">{t("direct.sounding")}</h3>
        <Select aria-label={t("direct.scope")} value={scope} onChange={(event) => setScope(event.target.value as Scope)} className="max-w-56">
          <option value="line">{t("direct.scopes.line")}</option>
          {chosen.length > 1 && <option value="lines">{t("direct.scopes.lines", { count: chosen.length })}</option>}
          {part && speaker && <option value="part">{t("direct.scopes.part", { speaker: speaker.name, part: part.name })}</option>}
          {casting && speaker && <option value="speaker">{t("direct.scopes.speaker", { speaker: speaker.name })}</option>}
        </Select>
      </div>
      {!readOnly && (
        <form
          className="flex gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            void understand();
          }}
        >
          <input className={`${FIELD} grow`} aria-label={t("direct.tell")} placeholder={t("direct.tellHint")} maxLength={300} value={told} onChange={(event) => setTold(event.target.value)} />
          <Button type="submit" disabled={!told.trim()}>{t("direct.take")}</Button>
        </form>
      )}
      {missed.length > 0 && <p className="text-sm text-alarm" role="status">{t("direct.missed", { words: missed.map((word) => `“${word}”`).join(", ") })}</p>}
      {here.map((one) => (
        <div key={one.mood} className="flex items-center gap-1">
          <span className="grow"><Setting name={t(`direct.mood.${one.mood}`)} value={one.strength ?? 1} min={0} max={1.5} step={0.1} show={(value) => `${Math.round(100 * value)} %`} disabled={readOnly} onSet={(strength) => put(here.map((mood) => (mood.mood === one.mood ? { ...mood, strength } : mood)))} /></span>
          {!readOnly && <button type="button" aria-label={t("direct.moodAway", { mood: t(`direct.mood.${one.mood}`) })} className="size-7 grid place-items-center rounded-md hover:bg-sunk" onClick={() => put(here.filter((mood) => mood.mood !== one.mood))}><X size={13} aria-hidden /></button>}
        </div>
      ))}
      {under.length > 0 && (
        <p className="text-sm text-soft flex flex-wrap gap-1.5 items-center">
          {t("direct.beneath")}
          {under.map((one) => <span key={one.mood} className="rounded-full border border-dashed border-rule px-2">{t("direct.moodAt", { mood: t(`direct.mood.${one.mood}`), strength: Math.round(100 * (one.strength ?? 1)) })}</span>)}
        </p>
      )}
      {!readOnly && (
        <Select aria-label={t("direct.addMood")} value="" className="self-start" onChange={(event) => event.target.value && put([...here, { mood: event.target.value as Mood["mood"], strength: 1 }])}>
          <option value="">{t("direct.addMood")}</option>
          {(names.data?.names ?? []).filter((name) => !here.some((one) => one.mood === name)).map((name) => <option key={name} value={name}>{t(`direct.mood.${name as Mood["mood"]}`)}</option>)}
        </Select>
      )}
      {scope !== "lines" && casting && (
        <div className="flex flex-col gap-1 border-t border-rule pt-3">
          {DIALS.map((name) => {
            const { min, max } = VOICE_SETTINGS[name];
            return <Setting key={name} name={t(`direct.voiceDial.${name}`)} value={setting(name)} min={min} max={max} step={0.1} show={(value) => (min < 0 ? decibels(value) : `${Math.round(100 * value)} %`)} disabled={readOnly} onSet={(value) => set.mutate({ settings: { [name]: value } }, tell)} />;
          })}
        </div>
      )}
    </section>
  );
}

/** What plain words asked of the voice's dials, as marks on a line of so many words. */
export function dialMarks(dials: readonly Schemas["Dial"][], words: number): Mark[] {
  return dials.map(({ kind, amount, place }) => {
    const count = place === "" ? words : Math.max(1, Math.round(words / 3));
    return { kind, amount, count, word: place === "end" ? words - count : 0 };
  });
}
