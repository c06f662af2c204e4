import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Upload } from "lucide-react";
import { useRef } from "react";
import { useTranslation } from "react-i18next";

import { api, data, send, type Production, type Schemas } from "../../shared/api/client";
import { clock } from "../../shared/format";
import { useNotices } from "../../shared/notices";
import { usePlayer } from "../../shared/player";
import { Button, FIELD, Select } from "../../shared/ui/controls";
import { SampleButton } from "../../shared/ui/SampleButton";
import type { Media } from "../../shared/useSourceMedia";
import { newLayer, type SoundWorld } from "./soundWorld";

type Use = NonNullable<SoundWorld["bed"]>["use"];
const USES: readonly Use[] = ["off", "keep", "mute", "duck", "voices out", "clean"];
export const SOURCE_LAYER = "source";

type Laid = Schemas["PlayedLayers"];

/** Whether anything of the source is heard anywhere. */
const isHeard = (bed: NonNullable<SoundWorld["bed"]>) => [bed.use, ...Object.values(bed.parts ?? {})].some((use) => use !== "off");

/** What becomes of the source's own sound, part by part; and its music and effects, where they were supplied. */
export function BedPanel({ production, plan, laid, pieceOf, readOnly, onSet }: { production: Production; plan: SoundWorld; laid: Laid | undefined; pieceOf: (block: number, key: string) => string; readOnly: boolean; onSet: (change: (plan: SoundWorld) => SoundWorld) => void }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const file = useRef<HTMLInputElement>(null);
  const all = useQuery({
    queryKey: ["production", production.id, "media"],
    queryFn: () => data(api.GET("/api/productions/{production_id}/media/", { params: { path: { production_id: production.id } } })),
    refetchInterval: (query) => (query.state.data?.some((one) => one.state === "making" || (one.purpose === "bed" && one.offset === null)) ? 1_500 : false),
  }).data ?? [];
  const source = all.find((one) => one.purpose === "source" && one.played);
  const clean = all.find((one) => one.purpose === "bed" && one.played);
  const done = { onError: (error: Error) => say({ tone: "bad", text: error.message || t("common.unreachable") }), onSuccess: () => client.invalidateQueries({ queryKey: ["production", production.id] }) };
  const bring = useMutation({
    mutationFn: (one: File) => {
      const form = new FormData();
      form.set("file", one);
      form.set("purpose", "bed");
      return send<Media>(`/api/productions/${production.id}/media/`, form);
    },
    ...done,
  });
  const copy = useMutation({ mutationFn: (one: Media) => data(api.POST("/api/productions/{production_id}/media/{media_id}/copies/", { params: { path: { production_id: production.id, media_id: one.id } } })), ...done });
  const move = useMutation({ mutationFn: (offset: number) => data(api.PATCH("/api/productions/{production_id}/media/{media_id}/", { params: { path: { production_id: production.id, media_id: clean?.id ?? 0 } }, body: { offset } })), ...done });
  const bed = plan.bed ?? { use: "off" as Use };
  const heard = isHeard(bed);
  const put = (more: Partial<NonNullable<SoundWorld["bed"]>>) => onSet((now) => {
    const next = { ...(now.bed ?? { use: "off" as Use }), ...more };
    // Its layer is there as soon as it is heard, to be levelled with the others.
    const layers = !isHeard(next) || now.layers.some((layer) => layer.name === SOURCE_LAYER) ? now.layers : [...now.layers, { ...newLayer("bed", SOURCE_LAYER), level_db: 0, duck: { amount_db: 12, lead: 0.35, hold: 1.2, release: 0.7 } }];
    return { ...now, layers, bed: next };
  });
  const address = (one: Media) => `/api/productions/${production.id}/media/${one.id}/sound.flac`;
  const choice = (label: string, value: Use | "", none: boolean, set: (use: Use | "") => void) => (
    <label key={label} className="grid grid-cols-[minmax(0,1fr)_14rem] items-center gap-3 text-sm">
      <span className="truncate">{label}</span>
      <Select aria-label={t("bed.of", { what: label })} disabled={readOnly} value={value} onChange={(event) => set(event.target.value as Use | "")}>
        {none && <option value="">{t("bed.asElsewhere")}</option>}
        {USES.map((use) => <option key={use} value={use}>{t(`bed.use.${use}`)}</option>)}
      </Select>
    </label>
  );
  // Ten seconds of it, from where the programme stands: as it came, and as it lies under the voices.
  const time = usePlayer((state) => state.time);
  const blocks = laid?.layers.find((layer) => layer.name === SOURCE_LAYER)?.blocks ?? [];
  const at = blocks.findIndex((key, block) => key !== "" && (block + 1) * (laid?.block_seconds ?? 10) > time);
  const piece = at < 0 ? null : { block: at, key: blocks[at] ?? "" };
  if (!source && !clean) return <p className="text-sm text-soft">{t("bed.none")}</p>;
  return (
    <div className="grid grid-cols-2 gap-6">
      <section aria-label={t("bed.name")} className="flex flex-col gap-1.5">
        <h3 className="font-semibold">{t("bed.name")}</h3>
        {choice(t("bed.everywhere"), bed.use, false, (use) => use && put({ use }))}
        {production.parts.filter((part) => part.name).map((part) => choice(t("bed.part", { part: part.name }), bed.parts?.[`#${part.id}`] ?? "", true, (use) => {
          const parts = Object.fromEntries(Object.entries(bed.parts ?? {}).filter(([name]) => name !== `#${part.id}`));
          put({ parts: use ? { ...parts, [`#${part.id}`]: use } : parts });
        }))}
        <p className="text-xs text-soft">{t("bed.what")}</p>
        {!piece && heard && <p className="text-xs text-soft">{t("bed.heardLater")}</p>}
        {piece && laid && (
          <p className="flex flex-wrap items-center gap-1 text-sm">
            <span>{t("bed.around", { at: clock(piece.block * laid.block_seconds) })}</span>
            {(clean ?? source)?.state === "ready" && <><SampleButton small name={t("bed.before")} address={`${address((clean ?? source) as Media)}#t=${piece.block * laid.block_seconds},${(piece.block + 1) * laid.block_seconds}`} /><span>{t("bed.before")}</span></>}
            <SampleButton small name={t("bed.after")} address={pieceOf(piece.block, piece.key)} /><span>{t("bed.after")}</span>
          </p>
        )}
      </section>
      <section aria-label={t("bed.cleanName")} className="flex flex-col gap-2 text-sm">
        <h3 className="font-semibold">{t("bed.cleanName")}</h3>
        {source && (
          <span className="flex items-center gap-2">
            {source.state === "ready" ? <SampleButton small name={t("bed.hear", { name: source.name })} address={address(source)} /> : source.state === "making" ? <span role="status" className="text-soft">{t("media.making", { name: source.name })}</span> : !readOnly && <Button className="h-7! px-2!" disabled={copy.isPending} onClick={() => copy.mutate(source)}>{t("media.retry", { name: source.name })}</Button>}
            {source.state === "ready" && <span className="truncate">{source.name}</span>}
          </span>
        )}
        {clean && (
          <>
            <span className="flex items-center gap-2"><SampleButton small name={t("bed.hear", { name: clean.name })} address={address(clean)} /><span className="truncate">{clean.name}</span></span>
            {clean.offset === null ? <span role="status" className="text-soft">{t("bed.liningUp")}</span> : (
              <label className="flex items-center gap-2">
                {t("bed.offset")}
                <input key={clean.offset} type="number" step={0.001} className={`${FIELD} w-28! py-0.5!`} readOnly={readOnly} defaultValue={clean.offset} onBlur={(event) => event.target.value !== "" && Number(event.target.value) !== clean.offset && move.mutate(Number(event.target.value))} />
                <span className="text-soft">{t("bed.sure", { percent: Math.round(clean.sure * 100) })}</span>
              </label>
            )}
          </>
        )}
        {!readOnly && <Button className="self-start" disabled={bring.isPending} onClick={() => file.current?.click()}><Upload size={14} aria-hidden />{clean ? t("bed.bringOther") : t("bed.bring")}</Button>}
        <input ref={file} type="file" accept="audio/*,video/*" className="hidden" data-testid="bed-file" onChange={(event) => { const one = event.target.files?.[0]; if (one) bring.mutate(one); }} />
      </section>
    </div>
  );
}
