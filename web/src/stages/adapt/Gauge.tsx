import { useTranslation } from "react-i18next";

import { rate } from "../../shared/format";
import { bar, type Gauge } from "./gauge";

/** Slot and predicted length on one scale; it runs the way that the words run. */
export function GaugeBar({ gauge, direction, tall = false }: { gauge: Pick<Gauge, "natural" | "slot" | "room" | "standing">; direction: "ltr" | "rtl"; tall?: boolean }) {
  const { slot, within, beyond } = bar(gauge);
  const colour = gauge.standing === "over" ? "bg-alarm" : gauge.standing === "fast" ? "bg-lamp" : "bg-tide/55";
  return (
    <span dir={direction} aria-hidden className={`relative block w-full rounded-sm bg-sunk ${tall ? "h-3" : "h-1.5"}`}>
      <span className="absolute inset-y-0 start-0 rounded-s-sm bg-tide" style={{ width: `${100 * within}%` }} />
      <span className={`absolute inset-y-0 ${colour}`} style={{ insetInlineStart: `${100 * slot}%`, width: `${100 * beyond}%` }} />
      <span className="absolute -inset-y-0.5 w-0.5 bg-ink" style={{ insetInlineStart: `${100 * slot}%` }} />
    </span>
  );
}

/** The gauge in words: what is over or to spare, and what would do. */
export function GaugeWords({ gauge }: { gauge: Gauge }) {
  const { t } = useTranslation();
  if (gauge.slot === null) return <span>{gauge.natural > 0 ? `${gauge.natural.toFixed(1)} s` : ""}</span>;
  if (gauge.natural === 0) return <span className="text-soft">{t("gauge.slot", { seconds: gauge.slot.toFixed(1) })}</span>;
  if (gauge.standing === "over" || gauge.standing === "fast")
    return (
      <span className={gauge.standing === "over" ? "text-alarm font-semibold" : "font-semibold"}>
        {gauge.standing === "over" ? t("gauge.over", { seconds: Math.max(0.1, gauge.over).toFixed(1) }) : t("gauge.fast", { rate: rate(gauge.rate) })}
        {gauge.trim > 0 && <span className="font-normal"> · {t("gauge.trim", { count: gauge.trim })}</span>}
      </span>
    );
  const spare = gauge.slot - gauge.natural;
  return <span className="text-soft">{spare > 0.05 ? t("gauge.spare", { seconds: spare.toFixed(1) }) : t("gauge.fits")}</span>;
}
