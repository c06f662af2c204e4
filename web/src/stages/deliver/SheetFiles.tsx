import { Download } from "lucide-react";
import { useTranslation } from "react-i18next";

import { askForEditionFile, useHandOver, type EditionFile } from "../../shared/handOver";
import { Button } from "../../shared/ui/controls";

const FORMS = ["pdf", "csv", "xlsx", "json"] as const;

/** A sheet as files, to be printed, sorted, or read by a program. */
export function SheetFiles({ production, language, sheet }: { production: number; language: string; sheet: "quality" | "rights" }) {
  const { t } = useTranslation();
  const { waiting, take } = useHandOver(production);
  return (
    <span className="flex gap-1" role="group" aria-label={t("deliver.asFile")}>
      {FORMS.map((form) => (
        <Button key={form} className="h-7! px-2! text-xs!" aria-busy={waiting} onClick={() => void take(() => askForEditionFile(production, language, { file: `${sheet}.${form}` as EditionFile["file"], sketch: true, unread: true }))}>
          <Download size={12} aria-hidden />{form.toUpperCase()}
        </Button>
      ))}
    </span>
  );
}
