import { LoaderCircle, Play, Square } from "lucide-react";
import { useTranslation } from "react-i18next";

import { IconButton } from "../../shared/ui/controls";
import { hear, hush, useHeard, type Wanted } from "./useHearing";

/** Plays something of a line as it is directed now; pressed again, stops it. */
export function HearButton({ name, id, wanted, className = "" }: { name: string; id: string; wanted: Wanted; className?: string }) {
  const { t } = useTranslation();
  const heard = useHeard();
  const mine = heard.name === id;
  return (
    <IconButton name={mine && heard.sketch ? t("cast.heardAsSketch", { name }) : name} aria-pressed={mine} aria-busy={mine && heard.waiting} className={`text-tide ${className}`} onClick={() => (mine ? hush() : void hear(id, wanted))}>
      {mine && heard.waiting ? <LoaderCircle size={15} className="animate-spin" aria-hidden /> : mine ? <Square size={13} fill="currentColor" aria-hidden /> : <Play size={14} fill="currentColor" aria-hidden />}
    </IconButton>
  );
}
