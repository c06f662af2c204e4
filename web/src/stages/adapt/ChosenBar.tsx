import { Check, Mic, X } from "lucide-react";
import { useTranslation } from "react-i18next";

import type { StageProps } from "../../shared/stage";
import type { Line } from "../../shared/api/client";
import { Button, IconButton } from "../../shared/ui/controls";
import { DraftButton } from "./DraftButton";
import type { AdaptActions, Standing } from "./useAdapt";

/** What can be done with the wordings of lines that are chosen together. */
export function ChosenBar({ production, edition, lines, standings, actions, onVoice, onDone }: {
  production: StageProps["production"]; edition: StageProps["edition"]; lines: readonly Line[]; standings: ReadonlyMap<number, Standing>; actions: AdaptActions;
  onVoice: (lines: number[]) => void; onDone: () => void;
}) {
  const { t } = useTranslation();
  const ids = lines.map((line) => line.id);
  const worded = lines.filter((line) => line.words.trim());
  const toApprove = worded.filter((line) => standings.get(line.id)?.state !== "approved").map((line) => line.id);
  const toVoice = worded.filter((line) => !line.by_person && (line.state === "unvoiced" || line.state === "out_of_date")).map((line) => line.id);
  return (
    <div role="toolbar" aria-label={t("script.chosen", { count: lines.length })} className="flex flex-wrap items-center gap-2 px-4 py-2 border-t border-rule bg-tide-wash">
      <span className="text-sm font-semibold">{t("script.chosen", { count: lines.length })}</span>
      <DraftButton production={production} edition={edition} only={ids} again={worded.filter((line) => standings.get(line.id)?.state === "draft").length} />
      {toVoice.length > 0 && <Button className="h-7! px-2!" onClick={() => onVoice(toVoice)}><Mic size={14} aria-hidden />{t("adapt.voiceChosen", { count: toVoice.length })}</Button>}
      {toApprove.length > 0 && <Button className="h-7! px-2!" onClick={() => void actions.state(toApprove, "approved")}><Check size={14} aria-hidden />{t("adapt.approveChosen", { count: toApprove.length })}</Button>}
      <span className="ms-auto"><IconButton name={t("script.letGo")} onClick={onDone}><X size={15} aria-hidden /></IconButton></span>
    </div>
  );
}
