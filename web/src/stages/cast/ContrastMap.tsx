import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { useTranslation } from "react-i18next";

import { useNotices } from "../../shared/notices";
import { api, data, type EditionLines, type Production } from "../../shared/api/client";
import { haveMeasured, setCasting, useChange } from "../../shared/api/queries";
import { Button } from "../../shared/ui/controls";
import { SpeakerMark } from "../../shared/ui/SpeakerMark";
import { laidOut } from "./laidOut";

const WIDTH = 640;
const HEIGHT = 300;
const MARGIN = { left: 44, right: 16, top: 14, bottom: 34 };
const HERTZ = [60, 80, 110, 150, 200, 270, 360];
const MARK = 26;

/** A name as there is room for on the map. */
const LONGEST = 18;
const short = (name: string) => (name.length > LONGEST ? `${name.slice(0, LONGEST - 1).trimEnd()}…` : name);

/** Every voice of the edition where it sounds: pitch across, brightness up; who is hard to tell apart is tied together. */
export function ContrastMap({
  production,
  edition,
  chosen,
  onChoose,
}: {
  production: Production;
  edition: EditionLines;
  chosen: number;
  onChoose: (speaker: number) => void;
}) {
  const { t } = useTranslation();
  const say = useNotices((state) => state.say);
  const { language } = edition.edition;
  const query = useQuery({
    queryKey: ["production", production.id, "contrast", language],
    queryFn: () =>
      data(api.GET("/api/productions/{production_id}/editions/{language}/contrast/", { params: { path: { production_id: production.id, language } } })),
  });
  const take = useChange(production.id, ({ speaker, voice }: { speaker: number; voice: string }) => setCasting(production.id, language, speaker, { voice }));
  useEffect(() => void haveMeasured(production.id, language).catch(() => undefined), [production.id, language]);
  const found = query.data;
  if (!found) return <p className="ps-4 text-sm text-soft" role="status">{t("common.loading")}</p>;
  if (!found.points.length) return <p className="ps-4 text-sm text-soft">{t("cast.mapEmpty")}</p>;
  const speakers = new Map(production.speakers.map((one) => [one.id, one]));
  const name = (id: number) => speakers.get(id)?.name ?? "";
  const bright = found.points.map((point) => point.measure.brightness_hz);
  const [darkest, brightest] = [Math.min(600, ...bright) * 0.95, Math.max(1400, ...bright) * 1.05];
  const across = (hertz: number) => MARGIN.left + ((Math.log2(hertz) - Math.log2(55)) / (Math.log2(400) - Math.log2(55))) * (WIDTH - MARGIN.left - MARGIN.right);
  const up = (hertz: number) => HEIGHT - MARGIN.bottom - ((Math.log2(hertz) - Math.log2(darkest)) / (Math.log2(brightest) - Math.log2(darkest))) * (HEIGHT - MARGIN.top - MARGIN.bottom);
  const points = found.points.map((point) => ({
    ...point,
    x: across(Math.min(400, Math.max(55, point.measure.pitch_hz))),
    y: up(point.measure.brightness_hz),
  }));
  const labels = laidOut(
    points.map((point) => ({ x: point.x + MARK / 2 + 3, y: point.y, width: 6.6 * Math.max(short(name(point.speaker)).length, 3), speaker: point.speaker, voice: point.voice })),
    { width: WIDTH, height: HEIGHT - MARGIN.bottom },
  );
  // Whole in the mark's title and in the table below.
  const at = new Map(points.map((point) => [point.speaker, point]));
  const alike = found.pairs.filter((pair) => pair.alike);
  return (
    <div className="ps-4 flex flex-col gap-4 max-w-3xl">
      <div className="rounded-md border border-rule bg-paper p-2 relative">
        <svg viewBox={`0 0 ${WIDTH} ${HEIGHT}`} className="w-full block" role="img" aria-label={t("cast.mapOf", { language: edition.edition.name, count: points.length })}>
          {HERTZ.map((hertz) => (
            <g key={hertz}>
              <line x1={across(hertz)} x2={across(hertz)} y1={MARGIN.top} y2={HEIGHT - MARGIN.bottom} stroke="var(--rule)" strokeDasharray="2 4" />
              <text x={across(hertz)} y={HEIGHT - MARGIN.bottom + 13} textAnchor="middle" fontSize="10" fill="var(--soft)">{hertz}</text>
            </g>
          ))}
          <text x={WIDTH - MARGIN.right} y={HEIGHT - 5} textAnchor="end" fontSize="11" fill="var(--soft)">{t("cast.mapAcross")}</text>
          <text x={14} y={MARGIN.top + 4} fontSize="11" fill="var(--soft)" transform={`rotate(-90 14 ${MARGIN.top + 4})`} textAnchor="end">{t("cast.mapUp")}</text>
          {alike.map((pair) => {
            const [one, other] = [at.get(pair.one), at.get(pair.other)];
            return one && other ? (
              <line key={`${pair.one}/${pair.other}`} x1={one.x} y1={one.y} x2={other.x} y2={other.y} stroke="var(--alarm)" strokeWidth={MARK + 12} strokeLinecap="round" opacity={0.22} />
            ) : null;
          })}
          {labels.map((label) => (
            <text key={label.speaker} x={label.x} y={label.y + 4} fontSize="12" fontWeight={label.speaker === chosen ? 700 : 500} fill="var(--ink)">{short(name(label.speaker))}</text>
          ))}
        </svg>
        {points.map((point) => (
          <button
            key={point.speaker}
            type="button"
            title={`${name(point.speaker)}: ${point.voice}`}
            aria-pressed={point.speaker === chosen}
            className={`absolute -translate-x-1/2 -translate-y-1/2 rounded-full ${point.speaker === chosen ? "outline-2 outline-tide outline-offset-2" : ""}`}
            style={{ left: `calc(0.5rem + (100% - 1rem) * ${point.x / WIDTH})`, top: `calc(0.5rem + (100% - 1rem) * ${point.y / HEIGHT})` }}
            onClick={() => onChoose(point.speaker)}
          >
            <SpeakerMark name={name(point.speaker)} position={speakers.get(point.speaker)?.position ?? 0} size={MARK} />
            <span className="sr-only">{`${name(point.speaker)}: ${point.voice}, ${Math.round(point.measure.pitch_hz)} Hz`}</span>
          </button>
        ))}
      </div>
      <table className="text-sm w-full border-collapse">
        <caption className="text-start font-semibold pb-1">{alike.length ? t("cast.pairsAlike", { count: alike.length }) : t("cast.pairsClear")}</caption>
        <thead className="text-xs text-soft">
          <tr>
            <th scope="col" className="text-start font-normal py-1">{t("cast.pair")}</th>
            <th scope="col" className="text-end font-normal w-24">{t("cast.apart")}</th>
            <th scope="col" className="text-start font-normal ps-4">{t("cast.verdict")}</th>
          </tr>
        </thead>
        <tbody>
          {found.pairs.slice(0, 40).map((pair) => (
            <tr key={`${pair.one}/${pair.other}`} className="border-t border-rule">
              <th scope="row" className="text-start font-normal py-1">{`${name(pair.one)} · ${name(pair.other)}`}</th>
              <td className="text-end tabular-nums">{t("cast.semitones", { value: pair.distance.toFixed(1) })}</td>
              <td className="ps-4">
                {!pair.together ? <span className="text-soft">{t("cast.neverTogether")}</span> : pair.alike ? <span className="text-alarm">{t("cast.hard")}</span> : t("cast.clear")}
                {pair.better && production.role !== "reader" && (
                  <Button
                    className="ms-2 h-7"
                    onClick={() =>
                      take.mutate(
                        { speaker: pair.better?.speaker ?? 0, voice: pair.better?.voice ?? "" },
                        { onError: (error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) },
                      )
                    }
                  >
                    {t("cast.better", { voice: pair.better.name, speaker: name(pair.better.speaker) })}
                  </Button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="text-xs text-soft">{t("cast.mapHint")}</p>
    </div>
  );
}
