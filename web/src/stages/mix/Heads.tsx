import { AudioLines, CloudRain, Ear, Footprints, MessagesSquare, Music, Volume2, VolumeX } from "lucide-react";
import { useTranslation } from "react-i18next";

import type { Production } from "../../shared/api/client";
import { decibels } from "../../shared/format";
import { IconButton, Tip } from "../../shared/ui/controls";
import { Setting } from "../../shared/ui/Setting";
import { SpeakerMark } from "../../shared/ui/SpeakerMark";
import type { Layer, Strip } from "./soundWorld";

export const KIND_MARKS = { music: Music, effects: Footprints, ambience: CloudRain, bed: AudioLines } as const;

/** What can be set at the head of a layer, a speaker or all voices. */
export type Head = { type: "layer"; name: string } | { type: "speaker"; id: number } | { type: "voices" };
export const sameHead = (a: Head | null, b: Head) => a !== null && a.type === b.type && (a.type !== "layer" || a.name === (b as { name: string }).name) && (a.type !== "speaker" || a.id === (b as { id: number }).id);

/** A head for each speaker and each layer: how loud it is in the track, its level and side, whether it is heard, and alone. */
export function Heads({ production, speaking, layers, strips, voices, loudness, chosen, differs, readOnly, onChoose, onMove, onSet }: {
  production: Production;
  speaking: ReadonlySet<number>;
  layers: readonly Layer[];
  strips: (speaker: number) => Strip;
  voices: Strip;
  /** LUFS by name, as the mix was measured. */
  loudness: Record<string, number>;
  chosen: Head | null;
  differs: (head: Head) => boolean;
  readOnly: boolean;
  onChoose: (head: Head) => void;
  /** While it is moved. */
  onMove: (head: Head, more: Partial<Strip>) => void;
  onSet: (head: Head, more: Partial<Strip>) => void;
}) {
  const { t } = useTranslation();
  const row = (head: Head, name: string, mark: React.ReactNode, strip: Strip, lufs: number | undefined) => (
    <li key={head.type + name} className={`px-3 py-1.5 border-b border-rule ${sameHead(chosen, head) ? "bg-tide-wash" : ""}`}>
      <div className="flex items-center gap-2 h-8">
        {mark}
        <button type="button" className="flex items-center gap-2 min-w-0 grow h-8 text-start" aria-pressed={sameHead(chosen, head)} aria-label={t("heads.choose", { name })} onClick={() => onChoose(head)}>
          <span className="truncate font-semibold text-sm" title={name}>{name}</span>
        </button>
        {differs(head) && <Tip text={t("heads.differs")}><span tabIndex={0} aria-label={t("heads.differs")} role="img" className="text-lamp-ink bg-lamp-wash rounded-sm px-1 text-2xs">≠</span></Tip>}
        <span className="text-xs text-soft tabular-nums whitespace-nowrap">{lufs === undefined ? "" : `${decibels(lufs)} LUFS`}</span>
        <IconButton name={strip.mute ? t("heads.unmute", { name }) : t("heads.mute", { name })} aria-pressed={strip.mute} disabled={readOnly} className={`size-7! ${strip.mute ? "bg-alarm-wash text-alarm" : ""}`} onClick={() => onSet(head, { mute: !strip.mute })}>{strip.mute ? <VolumeX size={14} aria-hidden /> : <Volume2 size={14} aria-hidden />}</IconButton>
        {head.type !== "voices" && <IconButton name={strip.solo ? t("heads.unsolo", { name }) : t("heads.solo", { name })} aria-pressed={strip.solo} disabled={readOnly} className={`size-7! ${strip.solo ? "bg-lamp text-lamp-ink" : ""}`} onClick={() => onSet(head, { solo: !strip.solo })}><Ear size={14} aria-hidden /></IconButton>}
      </div>
      <Setting name={t("heads.level")} label={t("heads.levelOf", { name })} value={strip.level_db} min={-40} max={12} step={0.5} show={(value) => `${decibels(value)} dB`} disabled={readOnly} onMove={(level_db) => onMove(head, { level_db })} onSet={(level_db) => onSet(head, { level_db })} />
      {sameHead(chosen, head) && head.type !== "voices" && <Setting name={t("heads.pan")} label={t("heads.panOf", { name })} value={strip.pan} min={-1} max={1} step={0.05} show={(value) => (value === 0 ? t("heads.middle") : (value < 0 ? t("heads.left", { percent: Math.round(Math.abs(value) * 100) }) : t("heads.right", { percent: Math.round(Math.abs(value) * 100) })))} disabled={readOnly} onMove={(pan) => onMove(head, { pan })} onSet={(pan) => onSet(head, { pan })} />}
    </li>
  );
  return (
    <ul aria-label={t("heads.name")} className="flex flex-col">
      {row({ type: "voices" }, t("heads.voices"), <MessagesSquare size={18} aria-hidden />, voices, undefined)}
      {production.speakers.filter((speaker) => speaking.has(speaker.id)).map((speaker) => row({ type: "speaker", id: speaker.id }, speaker.name, <SpeakerMark name={speaker.name} position={speaker.position} size={22} />, strips(speaker.id), loudness[speaker.name]))}
      {layers.map((layer) => {
        const Mark = KIND_MARKS[layer.kind];
        return row({ type: "layer", name: layer.name }, layer.name === layer.kind ? t(`sounds.kind.${layer.kind}`) : layer.name, <Mark size={18} aria-hidden />, { level_db: layer.level_db, pan: layer.pan, mute: layer.mute, solo: layer.solo ?? false }, loudness[layer.name]);
      })}
    </ul>
  );
}
