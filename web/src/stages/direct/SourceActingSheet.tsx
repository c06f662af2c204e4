import { useQuery } from "@tanstack/react-query";
import type { TFunction } from "i18next";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { api, data, type EditionLines, type Production, type Schemas } from "../../shared/api/client";
import { useChange } from "../../shared/api/queries";
import { useNotices } from "../../shared/notices";
import { Button, Empty, Sheet, Tick } from "../../shared/ui/controls";
import { Setting } from "../../shared/ui/Setting";
import { SpeakerMark } from "../../shared/ui/SpeakerMark";

/** Moods that lines would have if they were acted as the source recording has them: looked at before they are taken. */
export function SourceActingSheet({ production, edition, open, onClose }: { production: Production; edition: EditionLines; open: boolean; onClose: () => void }) {
  const { t } = useTranslation();
  return (
    <Sheet wide title={t("acting.title")} open={open} onClose={onClose}>
      {open && <Acting production={production} edition={edition} onTaken={onClose} />}
    </Sheet>
  );
}

function Acting({ production, edition, onTaken }: { production: Production; edition: EditionLines; onTaken: () => void }) {
  const { t } = useTranslation();
  const say = useNotices((state) => state.say);
  const [left, setLeft] = useState<ReadonlySet<number>>(new Set());
  const [strength, setStrength] = useState(1);
  const { language, direction } = edition.edition;
  const path = { params: { path: { production_id: production.id, language } } };
  const tell = { onError: (error: Error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) };
  const acting = useQuery({ refetchInterval: (query) => (query.state.data?.finding ? 1500 : false), queryKey: ["production", production.id, "acting", language], queryFn: () => data(api.GET("/api/productions/{production_id}/editions/{language}/source-acting/", path)) });
  const find = useChange(production.id, () => data(api.POST("/api/productions/{production_id}/editions/{language}/source-acting/", path)));
  const rows = acting.data?.proposals ?? [];
  const wanted = rows.filter((row) => !left.has(row.line));
  const moods = (row: Schemas["Acting"]) => row.moods.map((one) => ({ ...one, strength: Math.min(1.5, Math.round(100 * (one.strength ?? 1) * strength) / 100) }));
  const stresses = (row: Schemas["Acting"]) => row.stresses.map((one) => ({ ...one, amount: Math.min(2, Math.round(100 * one.amount * strength) / 100) }));
  const take = useChange(production.id, async () => {
    await data<unknown>(api.PUT("/api/productions/{production_id}/editions/{language}/source-acting/", { ...path, body: { lines: wanted.map((row) => ({ line: row.line, moods: moods(row), stresses: stresses(row).map(({ word, amount }) => ({ word, amount })) })) } }));
    onTaken();
  });
  if (acting.isPending) return <p className="p-5 text-soft" role="status">{t("acting.listening")}</p>;
  if (!acting.data?.recorded) return <Empty title={t("acting.noRecording")} />;
  const { finding, unheard, measured } = acting.data;
  const stress = finding ? (
    <span role="status" className="text-sm text-soft">{t("acting.finding", { done: finding.done, total: finding.total })}</span>
  ) : (
    unheard > 0 && production.role !== "reader" && <Button disabled={find.isPending} onClick={() => find.mutate(undefined, tell)}>{t("acting.find", { count: unheard })}</Button>
  );
  if (!rows.length) return <Empty title={t("acting.asUsual", { count: measured })}>{stress}</Empty>;
  return (
    <div className="p-5 flex flex-col gap-4">
      <div className="flex flex-wrap items-center gap-4">
        <div className="w-72"><Setting name={t("acting.strength")} value={strength} min={0.2} max={1.5} step={0.1} show={(value) => `${Math.round(100 * value)} %`} disabled={false} onSet={setStrength} /></div>
        <span className="grow text-sm text-soft">{t("acting.measured", { count: measured })}</span>
        {stress}
        {production.role !== "reader" && <Button look="main" disabled={!wanted.length || take.isPending} onClick={() => take.mutate(undefined, tell)}>{t("acting.take", { count: wanted.length })}</Button>}
      </div>
      <ul className="flex flex-col">
        {rows.map((row) => {
          const line = edition.lines.find((one) => one.id === row.line);
          const speaker = production.speakers.find((one) => one.id === line?.speaker);
          return (
            <li key={row.line} className="flex items-center gap-3 border-b border-rule py-2 text-sm">
              <Tick hidden label={t("acting.line", { number: row.number })} checked={!left.has(row.line)} onChange={(on) => setLeft(new Set(on ? [...left].filter((one) => one !== row.line) : [...left, row.line]))} />
              <span className="w-8 text-end text-soft tabular-nums">{row.number}</span>
              {speaker && <SpeakerMark name={speaker.name} position={speaker.position} size={22} />}
              <span className="w-80 truncate" lang={language} dir={direction}>{line?.words}</span>
              <span className="w-40">{moods(row).map((one) => t("direct.moodAt", { mood: t(`direct.mood.${one.mood}`), strength: Math.round(100 * one.strength) })).join(", ")}</span>
              <span className="grow text-soft">
                {row.away && <span className="block">{t("acting.than", { what: reasons(t, row.away), speaker: speaker?.name ?? "" })}</span>}
                {row.stresses.map((one) => <span key={one.word} className="block">{one.text === one.stressed ? t("acting.stressed", { word: one.text ?? "" }) : t("acting.stressedAs", { word: one.text ?? "", source: one.stressed ?? "" })}</span>)}
              </span>
            </li>
          );
        })}
      </ul>
    </div>
  );
}

/** What of a line is most otherwise than its speaker's usual, in words. */
function reasons(t: TFunction, away: NonNullable<Schemas["Acting"]["away"]>): string {
  const found: [number, string][] = [
    [away.level / 2.5, away.level > 0 ? t("acting.louder", { by: Math.abs(away.level).toFixed(0) }) : t("acting.quieter", { by: Math.abs(away.level).toFixed(0) })],
    [away.pitch / 1.5, away.pitch > 0 ? t("acting.higher", { by: Math.abs(away.pitch).toFixed(0) }) : t("acting.lower", { by: Math.abs(away.pitch).toFixed(0) })],
    [Math.log(away.pace) / 0.12, away.pace > 1 ? t("acting.quicker", { by: Math.round(100 * Math.abs(away.pace - 1)) }) : t("acting.slower", { by: Math.round(100 * Math.abs(away.pace - 1)) })],
    [away.range / 2, away.range > 0 ? t("acting.wider", { by: Math.abs(away.range).toFixed(0) }) : t("acting.flatter", { by: Math.abs(away.range).toFixed(0) })],
  ];
  return found.filter(([far]) => Math.abs(far) >= 0.8).sort((one, other) => Math.abs(other[0]) - Math.abs(one[0])).slice(0, 3).map(([, words]) => words).join(", ");
}
