import { useTranslation } from "react-i18next";

import type { Production, Schemas } from "../../shared/api/client";
import { decibels } from "../../shared/format";
import { Button, Select } from "../../shared/ui/controls";
import { Setting } from "../../shared/ui/Setting";
import { ROOMS, type Layer, type Room, type SoundWorld } from "./soundWorld";

type VoicePlace = Schemas["VoicePlace"];

/** How a layer gives way to voices. */
export function DuckPanel({ layer, readOnly, differs, onSet, onEverywhere }: { layer: Layer; readOnly: boolean; differs: boolean; onSet: (duck: Partial<Layer["duck"]>) => void; onEverywhere: () => void }) {
  const { t } = useTranslation();
  const seconds = (value: number) => t("duck.seconds", { seconds: value.toFixed(2) });
  const name = layer.name === layer.kind ? t(`sounds.kind.${layer.kind}`) : layer.name;
  return (
    <section aria-label={t("duck.name", { layer: name })} className="max-w-lg flex flex-col gap-1">
      <h3 className="font-semibold">{t("duck.name", { layer: name })}</h3>
      <Setting name={t("duck.by")} label={t("sounds.duckOf", { layer: name })} value={layer.duck.amount_db} min={0} max={30} step={1} show={(value) => `${decibels(-value)} dB`} disabled={readOnly} onSet={(amount_db) => onSet({ amount_db })} />
      <Setting name={t("duck.lead")} value={layer.duck.lead} min={0} max={3} step={0.05} show={seconds} disabled={readOnly} onSet={(lead) => onSet({ lead })} />
      <Setting name={t("duck.hold")} value={layer.duck.hold} min={0} max={8} step={0.1} show={seconds} disabled={readOnly} onSet={(hold) => onSet({ hold })} />
      <Setting name={t("duck.release")} value={layer.duck.release} min={0.05} max={5} step={0.05} show={seconds} disabled={readOnly} onSet={(release) => onSet({ release })} />
      <p className="text-xs text-soft">{t("duck.what")}</p>
      {differs && <Button className="h-7! self-start" onClick={onEverywhere}>{t("heads.everywhere")}</Button>}
    </section>
  );
}

/** Where a speaker, a part or the chosen line is heard from; and whether the line fades out. */
export function RoomPanel({ production, plan, speaker, line, part, readOnly, onSet }: {
  production: Production;
  plan: SoundWorld;
  speaker: number | null;
  line: { id: number; number: number } | null;
  part: number | null;
  readOnly: boolean;
  onSet: (change: (plan: SoundWorld) => SoundWorld) => void;
}) {
  const { t } = useTranslation();
  const speakerName = production.speakers.find((one) => one.id === speaker)?.name ?? "";
  const partName = production.parts.find((one) => one.id === part)?.name ?? "";
  const scopes: { label: string; key: Pick<VoicePlace, "speaker" | "part" | "line"> }[] = [
    ...(line ? [{ label: t("rooms.ofLine", { number: line.number }), key: { speaker: "", part: "", line: `#${line.id}` } }] : []),
    ...(speaker !== null && partName ? [{ label: t("rooms.ofSpeakerIn", { name: speakerName, part: partName }), key: { speaker: `#${speaker}`, part: `#${part ?? 0}`, line: "" } }] : []),
    ...(speaker !== null ? [{ label: t("rooms.ofSpeaker", { name: speakerName }), key: { speaker: `#${speaker}`, part: "", line: "" } }] : []),
    ...(partName ? [{ label: t("rooms.ofPart", { part: partName }), key: { speaker: "", part: `#${part ?? 0}`, line: "" } }] : []),
  ];
  const same = (one: VoicePlace, key: Pick<VoicePlace, "speaker" | "part" | "line">) => (one.speaker ?? "") === key.speaker && (one.part ?? "") === key.part && (one.line ?? "") === key.line;
  const fade = line ? (plan.fades ?? []).find((one) => one.line === `#${line.id}`)?.seconds ?? 0 : 0;
  return (
    <section aria-label={t("rooms.name")} className="max-w-2xl flex flex-col gap-2">
      <h3 className="font-semibold">{t("rooms.name")}</h3>
      {scopes.map(({ label, key }) => {
        const here = (plan.places ?? []).find((one) => same(one, key));
        const put = (more: Partial<VoicePlace> | null) => onSet((now) => {
          const others = (now.places ?? []).filter((one) => !same(one, key));
          return { ...now, places: more === null ? others : [...others, { amount: 1, room: "near", ...here, ...key, ...more }] };
        });
        return (
          <div key={label} className="grid grid-cols-[minmax(0,1fr)_11rem_16rem] items-center gap-3 text-sm">
            <span className="wrap-anywhere" title={label}>{label}</span>
            <Select aria-label={t("rooms.of", { what: label })} disabled={readOnly} value={here?.room ?? ""} onChange={(event) => put(event.target.value === "" ? null : { room: event.target.value as Room })}>
              <option value="">{t("rooms.none")}</option>
              {ROOMS.map((room) => <option key={room} value={room}>{t(`rooms.room.${room}`)}</option>)}
            </Select>
            {here && <Setting name={t("rooms.amount")} label={t("rooms.amountOf", { what: label })} value={here.amount ?? 1} min={0} max={1} step={0.05} show={(value) => `${Math.round(value * 100)} %`} disabled={readOnly} onSet={(amount) => put({ amount })} />}
          </div>
        );
      })}
      {line && <div className="max-w-sm"><Setting name={t("rooms.fade")} value={fade} min={0} max={5} step={0.1} show={(value) => t("duck.seconds", { seconds: value.toFixed(1) })} disabled={readOnly} onSet={(seconds) => onSet((now) => ({ ...now, fades: [...(now.fades ?? []).filter((one) => one.line !== `#${line.id}`), ...(seconds ? [{ line: `#${line.id}`, seconds }] : [])] }))} /></div>}
    </section>
  );
}
