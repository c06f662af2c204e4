import { useQuery } from "@tanstack/react-query";
import { AlertTriangle, Check } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { api, data, editionPath, type Production, type Schemas } from "../../shared/api/client";
import { clock } from "../../shared/format";
import { usePlace } from "../../shared/place";
import { Button, Tick } from "../../shared/ui/controls";
import { SampleButton } from "../../shared/ui/SampleButton";
import { SheetFiles } from "./SheetFiles";

type LineQuality = Schemas["LineQuality"];
type CaptionFault = Schemas["CaptionFault"];
const SHOWN = 60;
const CAPTIONS_SHOWN = 10;

/** Whether an edition is right, for somebody who does not speak its language: figures, and the lines to send to one who does. */
export function QualityReport({ production, language }: { production: Production; language: string }) {
  const { t } = useTranslation();
  const [all, setAll] = useState(false);
  const [many, setMany] = useState(false);
  const edition = production.editions.find((one) => one.language === language);
  const report = useQuery({
    queryKey: ["production", production.id, "quality", language],
    queryFn: () => data(api.GET("/api/productions/{production_id}/editions/{language}/quality/", { params: { path: { production_id: production.id, language } } })),
  });
  if (report.error) return <p className="text-alarm">{report.error.message || t("common.unreachable")}</p>;
  if (!report.data) return <p className="text-soft" role="status">{t("quality.working")}</p>;
  const { figures, lines, worst, captions, approved_by: approved } = report.data;
  const first = worst.map((id) => lines.find((one) => one.id === id)).filter((one): one is LineQuality => one !== undefined);
  const rest = lines.filter((one) => !worst.includes(one.id) && (all || one.faults.length > 0));
  return (
    <div className="flex flex-col gap-5">
      <section aria-labelledby="figures">
        <div className="flex items-center gap-3 mb-1.5">
          <h2 id="figures" className="text-sm font-semibold">{t("quality.figures", { edition: edition?.own_name ?? language })}</h2>
          <SheetFiles production={production.id} language={language} sheet="quality" />
        </div>
        <dl className="grid grid-cols-[repeat(auto-fill,minmax(11rem,1fr))] gap-2">
          {figures.map((one) => (
            <div key={one.name} className={`rounded-md border px-2.5 py-1.5 ${one.kept === false ? "border-lamp bg-lamp-wash" : "border-rule bg-paper"}`}>
              <dt className="text-xs text-soft">{t(`quality.figure.${one.name}`)}</dt>
              <dd className="text-lg tabular-nums flex items-center gap-1.5">
                {one.found === null ? "–" : one.found.toLocaleString()}
                {one.kept === true && <Check size={14} className="text-tide" aria-label={t("quality.kept")} />}
                {one.kept === false && <AlertTriangle size={14} className="text-lamp-ink" aria-label={t("quality.notKept")} />}
                {one.limit && <span className="text-xs text-soft ms-auto">{one.name === "voiced" || one.name === "listened" ? t("quality.ofAll", { all: one.limit }) : t("quality.limit", { limit: one.limit })}</span>}
              </dd>
            </div>
          ))}
        </dl>
        {approved.length > 0 && <p className="text-sm mt-2">{t("quality.approved", { names: approved.join(", ") })}</p>}
      </section>
      <section aria-labelledby="worst">
        <h2 id="worst" className="text-sm font-semibold mb-1">{first.length ? t("quality.worst", { count: first.length }) : t("quality.nothing")}</h2>
        <Lines production={production} language={language} lines={first} />
      </section>
      {captions.length > 0 && <Captions production={production} language={language} captions={captions} />}
      <section aria-labelledby="others">
        <div className="flex items-center gap-4 mb-1">
          <h2 id="others" className="text-sm font-semibold">{t("quality.others")}</h2>
          <Tick label={t("quality.all")} checked={all} onChange={setAll} />
        </div>
        {!rest.length && <p className="text-sm text-soft">{t("quality.noOthers")}</p>}
        <Lines production={production} language={language} lines={many ? rest : rest.slice(0, SHOWN)} />
        {rest.length > SHOWN && !many && <Button className="mt-2" onClick={() => setMany(true)}>{t("packages.more", { count: rest.length - SHOWN })}</Button>}
      </section>
    </div>
  );
}

/** The captions that do not keep a rule, by when they are read. */
function Captions({ production, language, captions }: { production: Production; language: string; captions: readonly CaptionFault[] }) {
  const { t } = useTranslation();
  const place = usePlace();
  const [all, setAll] = useState(false);
  const direction = production.editions.find((one) => one.language === language)?.direction ?? "ltr";
  const shown = all ? captions : captions.slice(0, CAPTIONS_SHOWN);
  return (
    <section aria-labelledby="captions">
      <h2 id="captions" className="text-sm font-semibold mb-1">{t("quality.captions", { count: captions.length })}</h2>
      <ul className="divide-y divide-rule border-y border-rule">
        {shown.map((one) => (
          <li key={`${one.number} ${one.rule}`} className="grid grid-cols-[5rem_minmax(0,1fr)_20rem] gap-3 py-1.5 text-sm items-start">
            {one.line === null ? <span className="tabular-nums">{clock(one.start)}</span> : (
              <button type="button" className="text-start tabular-nums underline decoration-dotted" aria-label={t("quality.captionAt", { number: one.number, time: clock(one.start) })} onClick={() => place.go({ stage: "adapt", line: one.line })}>{clock(one.start)}</button>
            )}
            <span lang={language} dir={direction} className="wrap-anywhere">{one.text}</span>
            <span className="text-xs">{t(`quality.rule.${one.rule}`, { found: one.found.toLocaleString(undefined, { maximumFractionDigits: 2 }), limit: one.limit })}</span>
          </li>
        ))}
      </ul>
      {captions.length > shown.length && <Button className="mt-2" onClick={() => setAll(true)}>{t("packages.more", { count: captions.length - shown.length })}</Button>}
    </section>
  );
}

function Lines({ production, language, lines }: { production: Production; language: string; lines: readonly LineQuality[] }) {
  const { t } = useTranslation();
  const place = usePlace();
  const direction = production.editions.find((one) => one.language === language)?.direction ?? "ltr";
  if (!lines.length) return null;
  return (
    <ul className="divide-y divide-rule border-y border-rule">
      {lines.map((one) => (
        <li key={one.id} className="grid grid-cols-[2rem_9rem_minmax(0,1fr)_minmax(0,1fr)_12rem] gap-3 py-2 text-sm items-start *:min-w-0 wrap-anywhere">
          <SampleButton small name={t("quality.hear", { number: one.number })} address={`${editionPath(production.id, language)}/lines/${one.id}/take.wav`} />
          <button type="button" className="text-start underline decoration-dotted truncate" onClick={() => place.go({ stage: "adapt", line: one.id })}>{t("quality.line", { number: one.number, speaker: one.speaker })}</button>
          <span>
            <span className="block" lang={language} dir={direction}>{one.words}</span>
            {one.original && <span className="block text-xs text-soft">{one.original}</span>}
          </span>
          <span>
            {one.heard ? <span className="block" lang={language} dir={direction}>{one.heard}</span> : <span className="text-soft">{t("quality.notListened")}</span>}
            {one.back && <span className="block text-xs text-soft">{t("quality.back", { text: one.back })}</span>}
          </span>
          <span className="text-xs">
            {one.faults.map((fault) => <span key={fault} className="block">{t(`quality.fault.${fault}`, { percent: Math.round(100 * (one.agrees ?? 0)), speed: one.speed.toFixed(2), over: one.over.toFixed(2) })}</span>)}
            {one.doubts.map((doubt) => <span key={doubt} className="block text-soft">{doubt}</span>)}
            {one.right_by && <span className="block text-tide">{t("quality.rightBy", { name: one.right_by })}</span>}
            {one.said.map((said) => <span key={said} className="block text-soft" dir="auto">{said}</span>)}
          </span>
        </li>
      ))}
    </ul>
  );
}
