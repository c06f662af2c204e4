import { useTranslation } from "react-i18next";

import { clock } from "../../shared/format";

const WIDTH = 1000;
const HEIGHT = 150;
const TOP = -8;
const BOTTOM = -40;

const y = (lufs: number) => (HEIGHT * (TOP - Math.max(BOTTOM, Math.min(TOP, lufs)))) / (TOP - BOTTOM);

/** Short-term loudness (3 s) along the programme; pauses break the line. The band is the target ± 2 LU. */
export function LoudnessCurve({ values, target, seconds }: { values: readonly number[]; target: number; seconds: number }) {
  const { t } = useTranslation();
  const step = WIDTH / Math.max(1, seconds);
  const paths: string[] = [];
  let open = false;
  values.forEach((value, index) => {
    // A window is written at its middle: 3 s long, one for each second.
    const x = (index + 1.5) * step;
    if (value < BOTTOM) open = false;
    else {
      paths.push(`${open ? "L" : "M"}${x.toFixed(1)},${y(value).toFixed(1)}`);
      open = true;
    }
  });
  const every = seconds > 1200 ? 300 : seconds > 300 ? 60 : 30;
  const minutes = Array.from({ length: Math.floor(seconds / every) + 1 }, (_, index) => index * every);
  return (
    <figure>
      <div className="grid grid-cols-[3rem_1fr]">
        <div className="relative text-2xs text-soft" aria-hidden>
          {[-10, -16, -23, -30].map((level) => (
            <span key={level} className="absolute end-2 -translate-y-1/2" style={{ top: `${(100 * y(level)) / HEIGHT}%` }}>{`−${-level}`}</span>
          ))}
        </div>
        <svg viewBox={`0 0 ${WIDTH} ${HEIGHT}`} preserveAspectRatio="none" className="w-full h-40 bg-sunk/50 rounded-sm" role="img" aria-label={t("mix.curve", { target })}>
          <rect x={0} width={WIDTH} y={y(target + 2)} height={y(target - 2) - y(target + 2)} fill="var(--tide)" fillOpacity={0.16} />
          <line x1={0} x2={WIDTH} y1={y(target)} y2={y(target)} stroke="var(--tide)" strokeDasharray="6 5" vectorEffect="non-scaling-stroke" />
          <path d={paths.join(" ")} fill="none" stroke="var(--ink)" strokeWidth={1.6} vectorEffect="non-scaling-stroke" />
        </svg>
        <span />
        <div className="relative h-5 text-2xs text-soft" aria-hidden>
          {minutes.map((minute) => (
            <span key={minute} className="absolute top-1" style={{ insetInlineStart: `${(100 * minute) / Math.max(1, seconds)}%` }}>{clock(minute)}</span>
          ))}
        </div>
      </div>
    </figure>
  );
}
