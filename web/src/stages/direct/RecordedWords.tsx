import { useQuery } from "@tanstack/react-query";
import { useTranslation } from "react-i18next";

import { api, data, type Line } from "../../shared/api/client";
import { clock } from "../../shared/format";

/** Heights in pixels: a wave of a person's take, and its words beneath it. */
const WAVE = 96;

/** A person's take as it lies in time: its wave, and each of its words where it was found. */
export function RecordedWords({ production, language, direction, line }: { production: number; language: string; direction: "ltr" | "rtl"; line: Line }) {
  const { t } = useTranslation();
  const peaks = useQuery({
    queryKey: ["production", production, "take-peaks", language, line.id, line.natural],
    queryFn: async () => {
      const [found] = await data(api.GET("/api/productions/{production_id}/editions/{language}/peaks/", { params: { path: { production_id: production, language }, query: { lines: String(line.id) } } }));
      return found ? Uint8Array.from(atob(found.peaks), (ch) => ch.charCodeAt(0)) : new Uint8Array();
    },
  }).data;
  const words = line.marks.map(([start = 0, end = 0, at = 0, length = 0]) => ({ start, end, text: line.words.slice(at, at + length) }));
  // Time runs the way that the words do.
  const edge = direction === "rtl" ? "right" : "left";
  return (
    <figure dir={direction} className="rounded-md border border-rule bg-paper p-4 flex flex-col gap-1">
      <figcaption className="text-lg" lang={language}>{line.words}</figcaption>
      {line.natural !== null && <div className="relative overflow-hidden" style={{ height: WAVE }} role="img" aria-label={t("recording.wave", { length: clock(line.seconds) })}>
        {peaks && peaks.length > 0 && (
          <svg aria-hidden className="absolute inset-0 size-full" viewBox={`0 0 ${peaks.length} 2`} preserveAspectRatio="none" style={direction === "rtl" ? { transform: "scaleX(-1)" } : undefined}>
            <path className="stroke-tide" strokeWidth={0.6} d={Array.from(peaks, (peak, at) => { const half = Math.max(0.02, Math.sqrt(peak / 255)); return `M${at + 0.5} ${(1 - half).toFixed(3)}v${(2 * half).toFixed(3)}`; }).join("")} />
          </svg>
        )}
      </div>}
      {words.length > 0 ? (
        <div className="relative h-6 overflow-hidden" aria-hidden>
          {words.map((word, index) => (
            <span key={index} lang={language} className="absolute inset-y-0 border-s border-rule ps-1 text-xs truncate" style={{ [edge]: `${(100 * word.start) / line.seconds}%`, width: `${(100 * (word.end - word.start)) / line.seconds}%` }} title={word.text}>{word.text}</span>
          ))}
        </div>
      ) : (
        line.state === "current" && <p className="text-xs text-soft">{t("recording.unmarked")}</p>
      )}
    </figure>
  );
}
