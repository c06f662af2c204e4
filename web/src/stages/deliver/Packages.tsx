import { useMutation, useQueryClient } from "@tanstack/react-query";
import type { TFunction } from "i18next";
import { Download, PackagePlus, Pencil, RotateCw, Square } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { api, data, type Production } from "../../shared/api/client";
import { useNotices } from "../../shared/notices";
import { usePlace } from "../../shared/place";
import { Button, FIELD, IconButton, Tick } from "../../shared/ui/controls";
import { PackageEditor } from "./PackageEditor";
import { asked, bytes, fileAddress, parcelAddress, STAGE_OF_POINT, useParcels, usePackages, useStanding, type ItemKind, type Package, type Parcel, type Point, type Standing } from "./packages";

/** Packages: chosen, looked at before they are made, handed over, and listed. */
export function Packages({ production, language }: { production: Production; language: string }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const known = usePackages();
  const [name, setName] = useState("");
  const [languages, setLanguages] = useState<string[]>([language]);
  const [reason, setReason] = useState("");
  const [editing, setEditing] = useState<Package | null>(null);
  const readOnly = production.role === "reader";
  const chosen = known?.packages.find((one) => one.name === name) ?? known?.packages[0];
  const standing = useStanding(production.id, chosen, languages);
  const points = (standing.data ?? []).flatMap((row) => (languages.includes(row.language) ? row.points : []));
  const stopped = points.some((one) => one.hard);
  const give = useMutation({
    mutationFn: () => data(api.POST("/api/productions/{production_id}/parcels/", {
      params: { path: { production_id: production.id } },
      body: { package: asked(chosen as Package), languages, reason },
    })),
    onSuccess: () => { setReason(""); return client.invalidateQueries({ queryKey: ["production", production.id, "parcels"] }); },
    onError: (error) => say({ tone: "bad", text: error.message || t("common.unreachable") }),
  });
  if (!known) return <p className="text-soft" role="status">{t("common.loading")}</p>;
  const pick = (tag: string, on: boolean) => setLanguages((now) => production.editions.map((one) => one.language).filter((one) => (one === tag ? on : now.includes(one))));
  return (
    <div className="flex flex-col gap-6">
      <div className="grid grid-cols-[17rem_minmax(0,1fr)] gap-6 items-start">
        <section aria-labelledby="all-packages">
          <h2 id="all-packages" className="text-sm font-semibold mb-1.5">{t("packages.all")}</h2>
          <ul className="flex flex-col gap-0.5">
            {known.packages.map((one) => (
              <li key={one.id ?? one.name} className={`flex items-center rounded-md ${one === chosen ? "bg-tide-wash" : "hover:bg-sunk"}`}>
                <button type="button" aria-pressed={one === chosen} className="grow min-w-0 text-start px-2.5 py-1.5" onClick={() => setName(one.name)}>
                  <span className={`block text-sm truncate ${one === chosen ? "font-semibold" : ""}`} dir="auto">{one.id === null ? t(`packages.shipped.${one.name}`) : one.name}</span>
                  <span className="block text-2xs text-soft truncate">{one.items.map((item) => [t(`packages.kind.${item.kind}`), formOf(item)].filter(Boolean).join(" ")).join(" · ")}</span>
                </button>
                <IconButton name={one.id === null ? t("packages.likeIt", { name: t(`packages.shipped.${one.name}`) }) : t("packages.edit", { name: one.name })} className="size-7! me-1 shrink-0" onClick={() => setEditing(one.id === null ? { ...one, name: t("packages.copyOf", { name: t(`packages.shipped.${one.name}`) }) } : one)}>
                  {one.id === null ? <PackagePlus size={14} aria-hidden /> : <Pencil size={14} aria-hidden />}
                </IconButton>
              </li>
            ))}
          </ul>
          <Button className="mt-2" onClick={() => setEditing({ id: null, name: "", commercial: false, items: [{ kind: "track", choices: {}, pattern: "" }] })}><PackagePlus size={14} aria-hidden />{t("packages.new")}</Button>
        </section>
        {chosen && (
          <section aria-labelledby="this-package" className="min-w-0">
            <h2 id="this-package" className="text-sm font-semibold mb-1.5">{t("packages.of", { name: chosen.id === null ? t(`packages.shipped.${chosen.name}`) : chosen.name })}{chosen.commercial && <span className="ms-2 font-normal text-soft">{t("packages.commercial")}</span>}</h2>
            <table className="w-full table-fixed text-sm border-collapse" aria-label={t("packages.editions")}>
              <tbody>
                {production.editions.map((edition) => (
                  <tr key={edition.language} className="border-b border-rule align-top">
                    <td className="py-2 pe-3 w-56"><Tick label={edition.own_name} checked={languages.includes(edition.language)} onChange={(on) => pick(edition.language, on)} /></td>
                    <td className="py-2"><EditionCell row={languages.includes(edition.language) ? standing.data?.find((one) => one.language === edition.language) : undefined} chosen={chosen} wanted={languages.includes(edition.language)} /></td>
                  </tr>
                ))}
              </tbody>
            </table>
            {!readOnly && (
              <div className="mt-3 flex flex-wrap items-end gap-3">
                {points.length > 0 && !stopped && (
                  <label className="grow max-w-xl text-sm">
                    <span className="block mb-1">{t("packages.reason")}</span>
                    <input className={FIELD} dir="auto" value={reason} maxLength={500} placeholder={t("packages.reasonHint")} onChange={(event) => setReason(event.target.value)} />
                  </label>
                )}
                <Button look="main" disabled={!languages.length || stopped || standing.isPending || give.isPending || (points.length > 0 && !reason.trim())} onClick={() => give.mutate()}>
                  {t("packages.give", { count: languages.length })}
                </Button>
                {stopped && <p className="text-sm text-alarm">{t("packages.stopped")}</p>}
              </div>
            )}
          </section>
        )}
      </div>
      <Parcels production={production} />
      {editing && <PackageEditor known={known} start={editing} production={production} language={languages[0] ?? production.source_language} onClose={() => setEditing(null)} onKept={(kept) => { setName(kept); setEditing(null); }} />}
    </div>
  );
}

/** What tells an item from another of its kind. */
const formOf = (item: Package["items"][number]): string => {
  const { format, codec, container } = (item.choices ?? {}) as Record<string, string | undefined>;
  return format ?? codec ?? container ?? "";
};

function EditionCell({ row, chosen, wanted }: { row: Standing | undefined; chosen: Package; wanted: boolean }) {
  const { t } = useTranslation();
  if (!wanted) return <span className="text-soft">{t("packages.notChosen")}</span>;
  if (!row) return <span className="text-soft" role="status">…</span>;
  const left = row.items.filter((item) => item.state === "to make").reduce((sum, item) => sum + item.seconds, 0);
  const ready = row.items.filter((item) => item.state === "ready").length;
  return (
    <div className="flex flex-col gap-1">
      {row.points.length > 0 && <Points language={row.language} points={row.points} />}
      <p className="text-xs text-soft">
        {row.points.some((one) => one.hard) ? "" : ready === row.items.length ? t("packages.allReady") : t("packages.toMake", { ready, count: row.items.length, seconds: Math.max(1, Math.round(left)) })}
      </p>
      <ul className="text-xs text-soft grid grid-cols-2 gap-x-6">
        {row.items.map((item) => (
          <li key={item.number} className="min-w-0 truncate" title={item.names[0]}>
            <span className="text-ink">{t(`packages.kind.${chosen.items[item.number]?.kind ?? "track"}`)}</span>{" "}
            <span dir="ltr">{item.names[0]}</span>
            {item.state === "not here" && <span className="text-alarm"> {item.why === "no_picture" ? t("packages.noPicture") : item.why === "no_holds" ? t("packages.noHolds") : item.why}</span>}
          </li>
        ))}
      </ul>
    </div>
  );
}

/** What stands open, each a link to the first line that is to blame. */
export function Points({ language, points }: { language: string; points: readonly Point[] }) {
  const { t } = useTranslation();
  const place = usePlace();
  return (
    <ul className="flex flex-wrap gap-x-4 gap-y-0.5">
      {points.map((one) => (
        <li key={one.code}>
          <button type="button" className={`text-sm underline decoration-dotted text-start ${one.hard ? "text-alarm" : ""}`} onClick={() => place.go({ language, stage: STAGE_OF_POINT[one.code], line: one.lines[0] ?? null })}>
            {t(`packages.point.${one.code}`, { count: one.lines.length })}
          </button>
        </li>
      ))}
    </ul>
  );
}

function Parcels({ production }: { production: Production }) {
  const { t, i18n } = useTranslation();
  const parcels = useParcels(production.id);
  const [shown, setShown] = useState(5);
  if (!parcels?.length) return <p className="text-sm text-soft">{t("packages.noneYet")}</p>;
  const when = new Intl.DateTimeFormat(i18n.language, { dateStyle: "medium", timeStyle: "short" });
  return (
    <section aria-labelledby="parcels">
      <h2 id="parcels" className="text-sm font-semibold mb-1">{t("packages.handed")}</h2>
      <ul className="divide-y divide-rule border-y border-rule">
        {parcels.slice(0, shown).map((one) => <ParcelRow key={one.id} production={production} parcel={one} when={when.format(new Date(one.asked))} />)}
      </ul>
      {parcels.length > shown && <Button className="mt-2" onClick={() => setShown(parcels.length)}>{t("packages.more", { count: parcels.length - shown })}</Button>}
    </section>
  );
}

function ParcelRow({ production, parcel, when }: { production: Production; parcel: Parcel; when: string }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const path = { params: { path: { production_id: production.id, parcel_id: parcel.id } } };
  const done = { onSettled: () => client.invalidateQueries({ queryKey: ["production", production.id, "parcels"] }), onError: (error: Error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) };
  const again = useMutation({ mutationFn: () => data(api.POST("/api/productions/{production_id}/parcels/{parcel_id}/", path)), ...done });
  const stop = useMutation({ mutationFn: () => data(api.DELETE("/api/productions/{production_id}/parcels/{parcel_id}/", path)), ...done });
  const place = usePlace();
  const only = useMutation({
    mutationFn: () => data(api.POST("/api/productions/{production_id}/parcels/", { params: { path: { production_id: production.id } }, body: { package: parcel.package, languages: parcel.languages, reason: parcel.reason || t("packages.onlyReason"), than: parcel.id } })),
    ...done,
  });
  const busy = ["mixing", "making", "packing"].includes(parcel.state);
  const size = parcel.files.reduce((sum, file) => sum + file.bytes, 0);
  const known = production.editions.filter((one) => parcel.languages.includes(one.language)).map((one) => one.own_name);
  const shipped = ["listening copy", "broadcast file", "web picture", "editor's turnover", "talking book", "phone prompts", "archive"].includes(parcel.name);
  return (
    <li className="py-2 text-sm">
      <div className="flex items-center gap-4">
        <span className="grow min-w-0">
          <span className="font-semibold" dir="auto">{shipped ? t(`packages.shipped.${parcel.name}`) : parcel.name}</span>{" "}
          <span className="text-soft">{known.join(", ")}</span>
        </span>
        <span className="text-xs text-soft whitespace-nowrap">{t("deliver.pastBy", { user: parcel.by ?? "", at: when })}</span>
        {busy ? (
          <>
            <progress className="w-40 accent-tide" max={1} value={parcel.share} aria-label={t("packages.progress", { name: parcel.name })} />
            <span className="text-xs w-36" role="status">{t(`packages.state.${parcel.state}`)}</span>
            {production.role !== "reader" && <IconButton name={t("packages.stop")} className="size-7!" onClick={() => stop.mutate()}><Square size={12} aria-hidden /></IconButton>}
          </>
        ) : parcel.state === "ready" ? (
          <a className="inline-flex items-center gap-1.5 rounded-md border border-rule bg-paper px-2.5 h-8 hover:bg-sunk" href={parcelAddress(production.id, parcel)} download>
            <Download size={14} aria-hidden />{t("packages.download", { size: bytes(size) })}
          </a>
        ) : (
          <>
            <span className="text-alarm">{parcel.fault || t(`packages.state.${parcel.state}`)}</span>
            {production.role !== "reader" && <Button onClick={() => again.mutate()} disabled={again.isPending}><RotateCw size={14} aria-hidden />{t("packages.again")}</Button>}
          </>
        )}
      </div>
      {busy && parcel.editions.some((one) => one.all > 0) && (
        <p className="text-xs text-soft">{parcel.editions.map((one) => t("packages.editionProgress", { language: one.language, made: one.made, all: one.all })).join(" · ")}</p>
      )}
      {parcel.changed.length > 0 && (
        <div className="flex flex-wrap items-center gap-x-4 gap-y-1 text-xs">
          <span className="font-semibold">{t("packages.changed")}</span>
          {parcel.changed.map((one) => (
            <button key={one.language} type="button" className="underline decoration-dotted" onClick={() => place.go({ language: one.language, stage: "direct", line: one.lines[0] ?? null })}>
              <bdi>{production.editions.find((edition) => edition.language === one.language)?.own_name ?? one.language}</bdi>{one.lines.length > 0 && ` · ${t("packages.changedLines", { count: one.lines.length })}`}
            </button>
          ))}
          {production.role !== "reader" && <Button className="h-7! px-2!" disabled={only.isPending} onClick={() => only.mutate()}>{t("packages.only")}</Button>}
        </div>
      )}
      {parcel.reason && <p className="text-xs text-soft" dir="auto">{t("packages.because", { reason: parcel.reason })}</p>}
      {parcel.left.length > 0 && (
        <ul className="text-xs text-alarm">
          {parcel.left.map((one) => <li key={`${one.number} ${one.languages.join()}`} dir="auto">{one.languages.length ? t("packages.leftOut", { item: t(`packages.kind.${one.item as ItemKind["kind"]}`), languages: one.languages.join(", "), why: one.why }) : t("packages.leftOutWhole", { item: t(`packages.kind.${one.item as ItemKind["kind"]}`), why: one.why })}</li>)}
        </ul>
      )}
      {parcel.state === "ready" && (
        <details className="mt-1">
          <summary className="text-xs text-soft cursor-pointer">{t("packages.files", { count: parcel.files.length })} · {t("packages.newOnes", { count: parcel.made_new })}</summary>
          <ul className="mt-1 grid grid-cols-2 gap-x-6">
            {[...parcel.files.slice(0, 400).map((file) => ({ path: file.path, told: told(file, t) })), { path: "manifest.json", told: "" }].map((file) => (
              <li key={file.path} className="flex gap-3 text-xs py-0.5 min-w-0">
                <a className="underline decoration-dotted truncate" dir="ltr" href={fileAddress(production.id, parcel, file.path)} download>{file.path}</a>
                <span className="text-soft whitespace-nowrap ms-auto">{file.told}</span>
              </li>
            ))}
          </ul>
        </details>
      )}
    </li>
  );
}

function told(file: Parcel["files"][number], t: TFunction): string {
  const { lufs, true_peak_db: peak, seconds } = file.report;
  return [
    ...(seconds === undefined ? [] : [`${seconds.toFixed(1)} s`]),
    ...(lufs === undefined ? [] : [t("packages.lufs", { lufs: lufs.toFixed(1) })]),
    ...(peak === undefined ? [] : [t("packages.peak", { peak: peak.toFixed(1) })]),
    bytes(file.bytes),
  ].join(" · ");
}
