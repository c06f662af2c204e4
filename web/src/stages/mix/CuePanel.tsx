import { useQuery } from "@tanstack/react-query";
import { Dices, Link2, Trash2 } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { api, data, type EditionLines, type Production, type Schemas } from "../../shared/api/client";
import { clock, decibels } from "../../shared/format";
import { usePlace } from "../../shared/place";
import { Button, FIELD, IconButton, Select, Tick } from "../../shared/ui/controls";
import { SampleButton } from "../../shared/ui/SampleButton";
import { Setting } from "../../shared/ui/Setting";
import { soundAddress, type Cue, type Layer, type LayerKind } from "./soundWorld";

type Place = Cue["at"];

/** Where a cue is tied to, as one word: what, which edge, and what it goes by. */
const tieOf = (at: Place) => (at.line ? `line/${at.edge ?? "start"}/${at.line}` : at.part ? `part/${at.edge ?? "start"}/${at.part}` : "");

function tiedTo(value: string): Place {
  const [what = "", edge = "start", ...rest] = value.split("/");
  const name = rest.join("/");
  if (what === "line") return { seconds: 0, line: name, edge: edge as "start" | "end" };
  return what === "part" ? { seconds: 0, part: name, edge: edge as "start" | "end" } : { seconds: 0 };
}

/** Everything of one cue: what it is, where it lies, how it comes and goes. */
/** What stands before a kind where another layer of it is chosen. */
const OTHER = "+ ";

export function CuePanel({ production, edition, cue, name, layers, laid, leftOut, readOnly, differs, onChange, onOther, onRemove, onEverywhere }: {
  production: Production;
  edition: EditionLines;
  cue: Cue;
  name: string;
  layers: readonly Layer[];
  /** It is to lie on another layer of a kind, that is not there yet. */
  onOther: (kind: LayerKind) => void;
  laid: Schemas["LaidCue"] | undefined;
  /** Whether what it is tied to is not in this edition. */
  leftOut: boolean;
  readOnly: boolean;
  differs: boolean;
  onChange: (more: Partial<Cue>) => void;
  onRemove: () => void;
  onEverywhere: () => void;
}) {
  const { t } = useTranslation();
  const music = layers.find((layer) => layer.name === cue.layer)?.kind === "music";
  const place = usePlace();
  const anew = edition.lines.find((line) => line.id === place.line) ?? edition.lines[0];
  const made = cue.sound.made !== undefined || cue.sound.composed !== undefined;
  const number = cue.sound.number ?? 0;
  const figure = (label: string, value: number, set: (next: number) => void, step = 0.1, low?: number) => (
    <label className="flex items-center justify-between gap-2 text-sm">
      <span>{label}</span>
      <input key={value} type="number" step={step} min={low} className={`${FIELD} w-20! py-0.5!`} aria-label={label} readOnly={readOnly} defaultValue={value} onBlur={(event) => event.target.value !== "" && Number(event.target.value) !== value && set(Number(event.target.value))} onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()} />
    </label>
  );
  return (
    <section aria-label={t("cue.name", { sound: name })} className="grid grid-cols-[minmax(0,1.2fr)_minmax(0,1fr)_minmax(0,1fr)] gap-x-6 gap-y-2">
      <div className="flex flex-col gap-1.5">
        <div className="flex items-center gap-2">
          <SampleButton small name={t("sounds.hear", { sound: name })} address={soundAddress(cue.sound)} />
          <h3 className="font-semibold truncate grow" title={name}>{name}</h3>
          {!readOnly && <IconButton name={t("sounds.remove", { sound: name })} className="size-7!" onClick={onRemove}><Trash2 size={14} aria-hidden /></IconButton>}
        </div>
        <p className="text-xs text-soft">
          {leftOut ? t("cue.leftOut") : !laid ? t("cue.coming") : t("cue.lies", { start: clock(laid.start), end: clock(laid.start + laid.seconds) })}
          {laid?.cut && ` · ${t("cue.cut", { from: clock(laid.sound_seconds), to: clock(laid.seconds), count: laid.joins.length })}`}
        </p>
        {leftOut && !readOnly && anew && (
          <Button className="h-7! self-start max-w-full" onClick={() => onChange({ at: { seconds: 0, line: `#${anew.id}`, edge: "start" }, until: null })}>
            <Link2 size={13} aria-hidden /><span className="truncate">{t("cue.tieAnew", { number: anew.number, words: opening(anew.words) })}</span>
          </Button>
        )}
        <label className="flex items-center justify-between gap-2 text-sm">
          <span>{t("cue.layer")}</span>
          <Select className="w-40" aria-label={t("sounds.layer", { sound: name })} disabled={readOnly} value={cue.layer} onChange={(event) => (event.target.value.startsWith(OTHER) ? onOther(event.target.value.slice(OTHER.length) as LayerKind) : onChange({ layer: event.target.value }))}>
            {layers.map((layer) => <option key={layer.name} value={layer.name}>{layer.name === layer.kind ? t(`sounds.kind.${layer.kind}`) : layer.name}</option>)}
            {(["music", "effects", "ambience"] as const).map((kind) => <option key={kind} value={`${OTHER}${kind}`}>{t("cue.otherLayer", { kind: t(`sounds.kind.${kind}`) })}</option>)}
          </Select>
        </label>
        <Tie label={t("cue.from")} aria={t("sounds.from", { sound: name })} none={t("sounds.begin")} at={cue.at} production={production} edition={edition} readOnly={readOnly} onChange={(at) => onChange({ at: at ?? { seconds: 0 } })} />
        {figure(t("cue.offset"), cue.at.seconds, (seconds) => onChange({ at: { ...cue.at, seconds } }))}
        <Tie label={t("cue.until")} aria={t("cue.untilOf", { sound: name })} none={t("cue.asLong")} at={cue.until ?? null} production={production} edition={edition} readOnly={readOnly} onChange={(until) => onChange({ until, seconds: 0 })} />
        {cue.until && figure(t("cue.untilOffset"), cue.until.seconds, (seconds) => onChange({ until: { ...(cue.until ?? { seconds: 0 }), seconds } }))}
        {!cue.until && figure(t("cue.seconds"), cue.seconds ?? 0, (seconds) => onChange({ seconds }), 0.1, 0)}
      </div>
      <div className="flex flex-col gap-1.5">
        <Setting name={t("heads.level")} label={t("cue.levelOf", { sound: name })} value={cue.gain_db ?? 0} min={-40} max={24} step={1} show={(value) => `${decibels(value)} dB`} disabled={readOnly} onSet={(gain_db) => onChange({ gain_db })} />
        <Setting name={t("heads.pan")} label={t("heads.panOf", { name })} value={cue.pan ?? 0} min={-1} max={1} step={0.05} show={(value) => (value === 0 ? t("heads.middle") : (value < 0 ? t("heads.left", { percent: Math.round(Math.abs(value) * 100) }) : t("heads.right", { percent: Math.round(Math.abs(value) * 100) })))} disabled={readOnly} onSet={(pan) => onChange({ pan })} />
        {figure(t("cue.fadeIn"), cue.fade_in ?? 0.02, (fade_in) => onChange({ fade_in }), 0.1, 0)}
        {figure(t("cue.fadeOut"), cue.fade_out ?? 0.05, (fade_out) => onChange({ fade_out }), 0.1, 0)}
        <label className="flex items-center justify-between gap-2 text-sm">
          <span>{t("cue.curve")}</span>
          <Select aria-label={t("cue.curve")} disabled={readOnly} value={cue.curve ?? "power"} onChange={(event) => onChange({ curve: event.target.value as "power" | "straight" })}>
            <option value="power">{t("cue.curvePower")}</option>
            <option value="straight">{t("cue.curveStraight")}</option>
          </Select>
        </label>
        {figure(t("cue.trim"), cue.trim ?? 0, (trim) => onChange({ trim }), 0.1, 0)}
        <Points points={cue.points ?? []} readOnly={readOnly} onChange={(points) => onChange({ points })} />
      </div>
      <div className="flex flex-col gap-1.5">
        <Tick label={t("sounds.loop")} checked={cue.loop ?? false} disabled={readOnly} onChange={(loop) => onChange({ loop, ...(loop ? { fit: false } : {}) })} />
        {music && <Tick label={t("cue.fit")} checked={cue.fit ?? false} disabled={readOnly} onChange={(fit) => onChange({ fit, ...(fit ? { loop: false } : {}) })} />}
        {cue.fit && laid && (cue.until ?? cue.seconds) && <Cuts cue={cue} seconds={laid.seconds} readOnly={readOnly} onChange={onChange} />}
        {made && !readOnly && (
          <div className="flex flex-col gap-1" role="group" aria-label={t("cue.variations")}>
            <span className="text-sm flex items-center gap-1"><Dices size={14} aria-hidden />{t("cue.variations")}</span>
            <span className="flex flex-wrap gap-1">
              {[0, 1, 2, 3, 4].map((index) => {
                const other = Math.floor(number / 5) * 5 + index;
                return (
                  <span key={other} className={`flex items-center rounded-md border ${other === number ? "border-tide bg-tide-wash" : "border-rule"}`}>
                    <SampleButton small name={t("cue.hearVariation", { number: other })} address={soundAddress({ ...cue.sound, number: other })} />
                    <button type="button" className="px-1.5 h-7 min-w-6 text-sm tabular-nums" aria-pressed={other === number} aria-label={t("cue.takeVariation", { number: other })} onClick={() => onChange({ sound: { ...cue.sound, number: other } })}>{other}</button>
                  </span>
                );
              })}
              <Button className="h-7! px-2!" onClick={() => onChange({ sound: { ...cue.sound, number: (Math.floor(number / 5) + 1) * 5 } })}>{t("cue.fiveMore")}</Button>
            </span>
          </div>
        )}
        {cue.sound.made && <Dials cue={cue} readOnly={readOnly} onChange={onChange} />}
        {differs && <Button className="h-7! self-start" onClick={onEverywhere}>{t("heads.everywhere")}</Button>}
      </div>
    </section>
  );
}

/** How a line begins, as it is told from others in a list. */
const OPENING = 36;
const opening = (words: string) => (words.length > OPENING ? `${words.slice(0, OPENING).trimEnd()}…` : words);

function Tie({ label, aria, none, at, production, edition, readOnly, onChange }: { label: string; aria: string; none: string; at: Place | null; production: Production; edition: EditionLines; readOnly: boolean; onChange: (at: Place | null) => void }) {
  const { t } = useTranslation();
  const parts = production.parts.filter((part) => part.name);
  return (
    <label className="flex items-center justify-between gap-2 text-sm">
      <span>{label}</span>
      <Select className="w-48" aria-label={aria} disabled={readOnly} value={at ? tieOf(at) : ""} onChange={(event) => onChange(event.target.value === "" && none !== t("sounds.begin") ? null : tiedTo(event.target.value))}>
        <option value="">{none}</option>
        {parts.length > 0 && (
          <optgroup label={t("sounds.parts")}>
            {parts.flatMap((part) => [<option key={`s${part.id}`} value={`part/start/#${part.id}`}>{t("sounds.partStart", { part: part.name })}</option>, <option key={`e${part.id}`} value={`part/end/#${part.id}`}>{t("sounds.partEnd", { part: part.name })}</option>])}
          </optgroup>
        )}
        <optgroup label={t("sounds.lines")}>
          {edition.lines.flatMap(({ id, number, words }) => [<option key={`s${id}`} value={`line/start/#${id}`}>{t("sounds.lineStart", { number, words: opening(words) })}</option>, <option key={`e${id}`} value={`line/end/#${id}`}>{t("sounds.lineEnd", { number, words: opening(words) })}</option>])}
        </optgroup>
      </Select>
    </label>
  );
}

/** A level that is drawn: points of seconds and dB. */
function Points({ points, readOnly, onChange }: { points: readonly (readonly number[])[]; readOnly: boolean; onChange: (points: number[][]) => void }) {
  const { t } = useTranslation();
  const rows = points.map(([seconds = 0, db = 0]) => [seconds, db]);
  const set = (index: number, column: 0 | 1, value: number) => onChange(rows.map((row, at) => (at === index ? (column === 0 ? [value, row[1] ?? 0] : [row[0] ?? 0, value]) : row)).sort((a, b) => (a[0] ?? 0) - (b[0] ?? 0)));
  return (
    <div role="group" aria-label={t("cue.points")} className="text-sm flex flex-col gap-1">
      <span className="flex items-center justify-between"><span>{t("cue.points")}</span>{!readOnly && <Button className="h-7! px-1.5! text-xs!" onClick={() => onChange([...rows, [(rows[rows.length - 1]?.[0] ?? -1) + 1, 0]])}>{t("cue.addPoint")}</Button>}</span>
      {rows.map(([seconds = 0, db = 0], index) => (
        <span key={`${index}/${seconds}/${db}`} className="flex items-center gap-1">
          <input type="number" step={0.1} min={0} aria-label={t("cue.pointAt", { number: index + 1 })} className={`${FIELD} w-18! py-0!`} readOnly={readOnly} defaultValue={seconds} onBlur={(event) => Number(event.target.value) !== seconds && set(index, 0, Number(event.target.value))} /> s
          <input type="number" step={1} aria-label={t("cue.pointLevel", { number: index + 1 })} className={`${FIELD} w-16! py-0!`} readOnly={readOnly} defaultValue={db} onBlur={(event) => Number(event.target.value) !== db && set(index, 1, Number(event.target.value))} /> dB
          {!readOnly && <IconButton name={t("cue.removePoint", { number: index + 1 })} className="size-7!" onClick={() => onChange(rows.filter((_, at) => at !== index))}><Trash2 size={12} aria-hidden /></IconButton>}
        </span>
      ))}
    </div>
  );
}

/** Ways to bring music to the cue's length, each heard, each join by itself. */
function Cuts({ cue, seconds, readOnly, onChange }: { cue: Cue; seconds: number; readOnly: boolean; onChange: (more: Partial<Cue>) => void }) {
  const { t } = useTranslation();
  const source = JSON.stringify(cue.sound);
  const found = useQuery({ queryKey: ["sound-cuts", source, seconds], staleTime: Infinity, retry: false, queryFn: () => data(api.GET("/api/sounds/cuts/", { params: { query: { source, seconds } } })) });
  if (found.error) return <p className="text-sm text-alarm">{found.error.message}</p>;
  const which = Number((cue.sound as { cut?: number }).cut ?? 0);
  return (
    <ul aria-label={t("cue.ways")} className="flex flex-col gap-1 text-sm">
      {(found.data ?? []).map((way, index) => (
        <li key={index} className={`flex items-center gap-1.5 rounded-md border px-1 ${index === which ? "border-tide bg-tide-wash" : "border-rule"}`}>
          <SampleButton small name={t("cue.hearWay", { number: index + 1 })} address={soundAddress(cue.sound, { seconds, which: index })} />
          <span className="grow text-xs">{way.joins.length ? t("cue.joinsAt", { count: way.joins.length, times: way.joins.map((join) => clock(join)).join(", ") }) : t("cue.noJoins")}</span>
          {way.joins.map((join, at) => <JoinButton key={join} cue={cue} seconds={seconds} which={index} join={join} number={at + 1} />)}
          {!readOnly && index !== which && <Button className="h-7! px-1.5! text-xs!" onClick={() => onChange({ sound: { ...cue.sound, cut: index } as Cue["sound"] })}>{t("cue.takeWay")}</Button>}
        </li>
      ))}
    </ul>
  );
}

/** Just the seconds around a join. */
function JoinButton({ cue, seconds, which, join, number }: { cue: Cue; seconds: number; which: number; join: number; number: number }) {
  const { t } = useTranslation();
  return <SampleButton small name={t("cue.hearJoin", { number, at: clock(join) })} address={`${soundAddress(cue.sound, { seconds, which })}#t=${Math.max(0, join - 2).toFixed(2)},${(join + 2).toFixed(2)}`} />;
}

/** What a description was understood as, each part with its own dials. */
function Dials({ cue, readOnly, onChange }: { cue: Cue; readOnly: boolean; onChange: (more: Partial<Cue>) => void }) {
  const { t } = useTranslation();
  const [open, setOpen] = useState(false);
  const told = cue.sound.made ?? "";
  const found = useQuery({ queryKey: ["sound-told", told], staleTime: Infinity, queryFn: () => data(api.GET("/api/sounds/", { params: { query: { told } } })) }).data;
  const own = cue.sound.parts as Schemas["SoundPart"][] | undefined;
  const parts = own?.length ? own : (found?.parts ?? []);
  const dials = new Map(found?.parts.map((part) => [part.sound, part.dials]));
  const set = (index: number, name: string, value: number) => onChange({ sound: { ...cue.sound, parts: parts.map((part, at) => (at === index ? { ...part, settings: { ...part.settings, [name]: value } } : part)) } });
  return (
    <details open={open} onToggle={(event) => setOpen(event.currentTarget.open)}>
      <summary className="text-sm cursor-pointer">{t("cue.parts", { parts: parts.map((part) => part.sound).join(" · ") })}</summary>
      {open && parts.map((part, index) => (
        <div key={part.sound} role="group" aria-label={part.sound} className="pt-1">
          {(dials.get(part.sound) ?? []).map((dial) => (
            <Setting key={dial.name} name={dial.name} label={`${part.sound}: ${dial.name}`} value={part.settings[dial.name] ?? dial.usual} min={dial.low} max={dial.high} step={(dial.high - dial.low) / 100} show={(value) => String(Math.round(value * 100) / 100)} disabled={readOnly} onSet={(value) => set(index, dial.name, value)} />
          ))}
        </div>
      ))}
    </details>
  );
}
