import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Plus, Star, Upload } from "lucide-react";
import { Tabs } from "radix-ui";
import { useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import { api, data, send, type Schemas } from "../../shared/api/client";
import { clock, decibels } from "../../shared/format";
import { useNotices } from "../../shared/notices";
import { Button, FIELD, IconButton, Select, Sheet } from "../../shared/ui/controls";
import { SampleButton } from "../../shared/ui/SampleButton";
import { soundAddress, type Cue, type LayerKind } from "./soundWorld";

const PAUSE = 400;
const MOODS = ["calm", "hopeful", "sad", "tense", "mysterious", "playful", "solemn", "lively"] as const;
const INSTRUMENTS = ["pad", "piano", "strings", "plucked", "flute", "bells", "bass", "brush"] as const;
const KEYS = ["C major", "D major", "E dorian", "F major", "G major", "A minor", "D minor", "E minor"] as const;
const USES = ["music", "effects", "ambience"] as const;

export interface NewSound {
  sound: Cue["sound"];
  kind: LayerKind;
  goesOn: boolean;
}

/** Where sounds come from: a description, music that is composed, the library, a file. */
export function AddSound({ open, onClose, onAdd }: { open: boolean; onClose: () => void; onAdd: (sound: NewSound) => void }) {
  const { t } = useTranslation();
  const add = (sound: NewSound) => {
    onAdd(sound);
    onClose();
  };
  return (
    <Sheet open={open} onClose={onClose} title={t("addSound.title")} wide>
      <Tabs.Root defaultValue="describe" className="flex flex-col gap-3 p-5 min-h-96">
        <Tabs.List aria-label={t("addSound.from")} className="flex gap-1 border-b border-rule">
          {(["describe", "music", "library"] as const).map((tab) => (
            <Tabs.Trigger key={tab} value={tab} className="px-3 h-9 text-sm data-[state=active]:border-b-2 data-[state=active]:border-tide data-[state=active]:font-semibold">{t(`addSound.tab.${tab}`)}</Tabs.Trigger>
          ))}
        </Tabs.List>
        <Tabs.Content value="describe"><Describe onAdd={add} /></Tabs.Content>
        <Tabs.Content value="music"><Compose onAdd={add} /></Tabs.Content>
        <Tabs.Content value="library"><Library onAdd={add} /></Tabs.Content>
      </Tabs.Root>
    </Sheet>
  );
}

function Describe({ onAdd }: { onAdd: (sound: NewSound) => void }) {
  const { t } = useTranslation();
  const [told, setTold] = useState("");
  const [asked, setAsked] = useState("");
  const latest = useRef("");
  const known = useQuery({ queryKey: ["sound-told", asked], enabled: asked.trim() !== "", staleTime: Infinity, queryFn: () => data(api.GET("/api/sounds/", { params: { query: { told: asked } } })) }).data;
  const understood = asked.trim() === told.trim() && known ? known : undefined;
  const type = (text: string) => {
    setTold(text);
    latest.current = text;
    setTimeout(() => latest.current === text && setAsked(text), PAUSE);
  };
  return (
    <form className="flex flex-col gap-2" onSubmit={(event) => { event.preventDefault(); if (understood?.parts.length) onAdd({ sound: { made: told.trim() }, kind: understood.goes_on ? "ambience" : "effects", goesOn: understood.goes_on }); }}>
      <p className="text-sm text-soft">{t("sounds.what")}</p>
      <span className="flex items-center gap-2">
        <input className={FIELD} autoFocus aria-label={t("sounds.describe")} placeholder={t("sounds.told")} maxLength={200} value={told} onChange={(event) => type(event.target.value)} />
        <Button type="submit" look="main" disabled={!understood?.parts.length}><Plus size={14} aria-hidden />{t("sounds.add")}</Button>
      </span>
      <div role="status" className="text-sm text-soft">
        {understood && understood.parts.map((part) => `${part.sound}${Object.keys(part.settings).length ? ` (${Object.entries(part.settings).map(([name, value]) => `${name} ${Math.round(value * 100) / 100}`).join(", ")})` : ""}`).join(" · ")}
        {understood && understood.missed.length > 0 && <span className="text-alarm"> {t("sounds.missed", { words: understood.missed.join(", ") })}</span>}
        {understood && understood.near.length > 0 && ` ${t("sounds.near", { names: understood.near.join(", ") })}`}
      </div>
      {understood && understood.parts.length > 0 && (
        <div className="flex items-center gap-2" role="group" aria-label={t("cue.variations")}>
          {[0, 1, 2, 3, 4].map((number) => (
            <span key={number} className="flex items-center rounded-md border border-rule">
              <SampleButton small name={t("cue.hearVariation", { number })} address={soundAddress({ made: told.trim(), number, seconds: 8 })} />
              <button type="button" className="px-2 h-7 text-sm" aria-label={t("cue.addVariation", { number })} onClick={() => onAdd({ sound: { made: told.trim(), number }, kind: understood.goes_on ? "ambience" : "effects", goesOn: understood.goes_on })}>{number} <Plus size={11} className="inline" aria-hidden /></button>
            </span>
          ))}
        </div>
      )}
    </form>
  );
}

function Compose({ onAdd }: { onAdd: (sound: NewSound) => void }) {
  const { t } = useTranslation();
  const [mood, setMood] = useState<(typeof MOODS)[number]>("calm");
  const [key, setKey] = useState("");
  const [tempo, setTempo] = useState("");
  const [seconds, setSeconds] = useState("60");
  const [instruments, setInstruments] = useState<readonly string[]>([]);
  const composed = { mood, ...(key ? { key } : {}), ...(tempo ? { tempo: Number(tempo) } : {}), seconds: Number(seconds) || 60, ...(instruments.length ? { instruments: [...instruments] } : {}) };
  return (
    <div className="flex flex-col gap-3 text-sm">
      <p className="text-soft">{t("addSound.composedWhat")}</p>
      <div className="flex flex-wrap gap-3">
        <label>{t("addSound.mood")}<Select className="block w-36" aria-label={t("addSound.mood")} value={mood} onChange={(event) => setMood(event.target.value as typeof mood)}>{MOODS.map((one) => <option key={one} value={one}>{t(`addSound.moods.${one}`)}</option>)}</Select></label>
        <label>{t("addSound.key")}<Select className="block w-32" aria-label={t("addSound.key")} value={key} onChange={(event) => setKey(event.target.value)}><option value="">{t("addSound.usual")}</option>{KEYS.map((one) => <option key={one} value={one}>{one}</option>)}</Select></label>
        <label>{t("addSound.tempo")}<input type="number" min={40} max={180} placeholder={t("addSound.usual")} className={`${FIELD} block w-28!`} value={tempo} onChange={(event) => setTempo(event.target.value)} /></label>
        <label>{t("addSound.seconds")}<input type="number" min={12} max={600} className={`${FIELD} block w-24!`} value={seconds} onChange={(event) => setSeconds(event.target.value)} /></label>
      </div>
      <fieldset className="flex flex-wrap gap-x-4 gap-y-1">
        <legend className="mb-1">{t("addSound.instruments")}</legend>
        {INSTRUMENTS.map((one) => (
          <label key={one} className="flex items-center gap-1.5">
            <input type="checkbox" checked={instruments.includes(one)} onChange={(event) => setInstruments(event.target.checked ? [...instruments, one] : instruments.filter((other) => other !== one))} />{t(`addSound.instrument.${one}`)}
          </label>
        ))}
      </fieldset>
      <div className="flex items-center gap-2" role="group" aria-label={t("cue.variations")}>
        {[0, 1, 2, 3, 4].map((number) => (
          <span key={number} className="flex items-center rounded-md border border-rule">
            <SampleButton small name={t("cue.hearVariation", { number })} address={soundAddress({ composed, number })} />
            <button type="button" className="px-2 h-7" aria-label={t("cue.addVariation", { number })} onClick={() => onAdd({ sound: { composed, number }, kind: "music", goesOn: false })}>{number} <Plus size={11} className="inline" aria-hidden /></button>
          </span>
        ))}
      </div>
    </div>
  );
}

function Library({ onAdd }: { onAdd: (sound: NewSound) => void }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const [text, setText] = useState("");
  const [kind, setKind] = useState("");
  const [licence, setLicence] = useState("");
  const file = useRef<HTMLInputElement>(null);
  const [bringing, setBringing] = useState(false);
  const rows = useQuery({ queryKey: ["library", text, kind], placeholderData: (previous) => previous, refetchInterval: (query) => (query.state.data?.some((one) => one.state === "reading") ? 700 : false), queryFn: () => data(api.GET("/api/library/sounds/", { params: { query: { text, kind } } })) }).data ?? [];
  const again = () => client.invalidateQueries({ queryKey: ["library"] });
  const tell = (error: unknown) => say({ tone: "bad", text: (error instanceof Error && error.message) || t("common.unreachable") });
  async function bring(files: FileList | null) {
    setBringing(true);
    for (const one of files ?? []) {
      const form = new FormData();
      form.append("file", one);
      form.append("kind", kind || "effects");
      form.append("licence", licence);
      try {
        await send<Schemas["LibrarySound"]>("/api/library/sounds/", form);
      } catch (error) {
        tell(error);
      }
    }
    setBringing(false);
    await again();
  }
  return (
    <div className="flex flex-col gap-2" onDragOver={(event) => event.preventDefault()} onDrop={(event) => { event.preventDefault(); void bring(event.dataTransfer.files); }}>
      <div className="flex items-center gap-2">
        <input type="search" className={FIELD} aria-label={t("addSound.search")} placeholder={t("addSound.search")} value={text} onChange={(event) => setText(event.target.value)} />
        <Select aria-label={t("addSound.kind")} value={kind} onChange={(event) => setKind(event.target.value)}>
          <option value="">{t("addSound.all")}</option>
          {USES.map((one) => <option key={one} value={one}>{t(`sounds.kind.${one}`)}</option>)}
        </Select>
        <input className={`${FIELD} w-40!`} aria-label={t("addSound.licence")} placeholder={t("addSound.licence")} value={licence} onChange={(event) => setLicence(event.target.value)} />
        <Button disabled={bringing} onClick={() => file.current?.click()}><Upload size={14} aria-hidden />{bringing ? t("addSound.bringing") : t("addSound.bring")}</Button>
        <input ref={file} type="file" multiple accept="audio/*,video/*" className="hidden" data-testid="sound-file" onChange={(event) => void bring(event.target.files)} />
      </div>
      <ul aria-label={t("addSound.tab.library")} className="flex flex-col divide-y divide-rule max-h-96 overflow-auto">
        {rows.map((row) => (
          <li key={row.name_id} className="flex items-center gap-2 py-1 text-sm">
            <SampleButton small disabled={row.state !== "ready"} name={t("sounds.hear", { sound: row.name })} address={soundAddress(row.sound as Cue["sound"])} />
            <IconButton name={(row.favourite ? t("addSound.unfavour", { name: row.name }) : t("addSound.favour", { name: row.name }))} aria-pressed={row.favourite} className="size-7!" onClick={() => void data(api.PUT("/api/library/favourites/", { body: { name_id: row.name_id, favourite: !row.favourite } })).then(again, tell)}><Star size={13} fill={row.favourite ? "currentColor" : "none"} aria-hidden /></IconButton>
            <span className="min-w-0 grow">
              <span className="font-semibold block truncate" title={row.name}>{row.name}</span>
              {row.fault && <span className="text-xs text-alarm block">{row.fault}</span>}
              <span className="text-xs text-soft block truncate">{[row.state === "reading" ? t("addSound.reading") : "", t(`sounds.kind.${row.kind}`), row.seconds === null ? "" : clock(row.seconds), row.lufs === null ? "" : `${decibels(row.lufs)} LUFS`, row.tags.join(", "), row.origin === "shipped" ? t("addSound.made") : row.licence, row.used_in.length ? t("addSound.usedIn", { names: row.used_in.join(", ") }) : ""].filter(Boolean).join(" · ")}</span>
            </span>
            <Button className="h-7! px-2!" disabled={row.state !== "ready"} aria-label={t("addSound.take", { name: row.name })} onClick={() => onAdd({ sound: row.sound as Cue["sound"], kind: row.kind, goesOn: row.kind === "ambience" })}><Plus size={13} aria-hidden />{t("sounds.add")}</Button>
          </li>
        ))}
      </ul>
      {!rows.length && <p className="text-sm text-soft">{t("addSound.nothing")}</p>}
    </div>
  );
}
