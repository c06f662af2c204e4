import { LoaderCircle, Play, Square } from "lucide-react";
import { useTranslation } from "react-i18next";

import { useSample } from "../player";

/** Plays one short sound; pressed again, stops it. */
export function SampleButton({ name, address, small = false, disabled = false, tabIndex }: { name: string; address: string; small?: boolean; disabled?: boolean; tabIndex?: number }) {
  const { t } = useTranslation();
  const sample = useSample();
  const mine = sample.address === address;
  return (
    <button
      type="button"
      disabled={disabled}
      aria-label={mine && sample.sketch ? t("cast.heardAsSketch", { name }) : name}
      title={mine && sample.sketch ? t("cast.heardAsSketch", { name }) : sample.fault === address && sample.why ? sample.why : name}
      aria-pressed={mine}
      aria-busy={mine && sample.loading}
      tabIndex={tabIndex}
      className={`relative grid place-items-center ${small ? "size-7" : "size-9"} shrink-0 rounded-md hover:bg-sunk ${sample.fault === address ? "text-alarm" : "text-tide"}`}
      onClick={() => sample.toggle(address)}
    >
      {mine && sample.loading ? (
        <LoaderCircle size={15} className="animate-spin" aria-hidden />
      ) : mine ? (
        <Square size={13} fill="currentColor" aria-hidden />
      ) : (
        <Play size={14} fill="currentColor" aria-hidden />
      )}
      {mine && sample.sketch && <span className="absolute -bottom-0.5 text-[9px] leading-none text-soft" aria-hidden>{t("transport.sketch")}</span>}
    </button>
  );
}
