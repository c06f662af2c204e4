import { ArrowDown, ArrowUp, Trash2, X } from "lucide-react";
import type { RefObject } from "react";
import { useTranslation } from "react-i18next";

import type { Speaker } from "../../shared/api/client";
import { Button, IconButton, Select } from "../../shared/ui/controls";
import type { EditedLine } from "../../shared/script/scriptState";
import { SpeakerField } from "../../shared/ui/SpeakerField";
import type { ScriptActions } from "../../shared/script/useScript";

/** What can be done with the lines that are chosen together. */
export function ChosenBar({
  lines,
  speakers,
  actions,
  field,
  onRemove,
  onMove,
  onDone,
}: {
  lines: readonly EditedLine[];
  speakers: readonly Speaker[];
  actions: ScriptActions;
  field: RefObject<HTMLInputElement | null>;
  onRemove: () => void;
  onMove: (by: 1 | -1) => void;
  onDone: () => void;
}) {
  const { t } = useTranslation();
  const ids = lines.map((line) => line.id);
  const kinds = new Set(lines.map((line) => line.kind));
  const sights = new Set(lines.map((line) => String(line.in_sight)));
  return (
    <div ref={field as RefObject<HTMLDivElement | null>} role="toolbar" aria-label={t("script.chosen", { count: lines.length })} className="flex flex-wrap items-center gap-2 px-4 py-2 border-t border-rule bg-tide-wash">
      <span className="text-sm font-semibold tabular-nums">{t("script.chosen", { count: lines.length })}</span>
      <span className="w-44 rounded-md border border-rule bg-paper">
        <SpeakerField
          speakers={speakers}
          label={t("script.giveTo")}
          placeholder={t("script.giveTo")}
          className="h-7 font-normal"
          onChoose={(name) => void actions.give(ids, name)}
        />
      </span>
      <Select aria-label={t("script.kind")} value={kinds.size === 1 ? [...kinds][0] : ""} onChange={(event) => void actions.mark(ids, { kind: event.target.value as EditedLine["kind"] })}>
        {kinds.size > 1 && <option value="">{t("script.mixed")}</option>}
        <option value="spoken">{t("script.spoken")}</option>
        <option value="on_screen">{t("script.onScreen")}</option>
      </Select>
      <Select
        aria-label={t("script.sight")}
        value={sights.size === 1 ? [...sights][0] : ""}
        onChange={(event) => void actions.mark(ids, { in_sight: event.target.value === "null" ? null : event.target.value === "true" })}
      >
        {sights.size > 1 && <option value="">{t("script.mixed")}</option>}
        <option value="null">{t("script.sightUnknown")}</option>
        <option value="true">{t("script.inSight")}</option>
        <option value="false">{t("script.outOfSight")}</option>
      </Select>
      <span className="flex">
        <IconButton name={t("script.up")} onClick={() => onMove(-1)}><ArrowUp size={15} aria-hidden /></IconButton>
        <IconButton name={t("script.down")} onClick={() => onMove(1)}><ArrowDown size={15} aria-hidden /></IconButton>
      </span>
      <Button onClick={() => lines[0] && void actions.beginPart(lines[0].id, t("script.newPart"))}>{t("script.beginPart")}</Button>
      <span className="ms-auto flex">
        <IconButton name={t("script.remove", { count: lines.length })} onClick={onRemove}><Trash2 size={15} aria-hidden /></IconButton>
        <IconButton name={t("script.letGo")} onClick={onDone}><X size={15} aria-hidden /></IconButton>
      </span>
    </div>
  );
}
