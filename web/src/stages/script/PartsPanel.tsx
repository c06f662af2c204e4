import { Merge } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { Part } from "../../shared/api/client";
import { clock, seconds } from "../../shared/format";
import { Button, IconButton } from "../../shared/ui/controls";
import type { ScriptState } from "../../shared/script/scriptState";
import type { ScriptActions } from "../../shared/script/useScript";

/** A part's title over its first line, typed over where it stands. */
export function PartHeading({ part, readOnly, actions }: { part: Part | undefined; readOnly: boolean; actions: ScriptActions }) {
  if (!part) return null;
  return (
    <div className="px-5 pt-4 pb-1 border-b border-rule flex items-baseline gap-3">
      <h2 className="grow font-semibold text-lg"><PartName part={part} readOnly={readOnly} actions={actions} /></h2>
      {part.start !== null && <span className="text-xs text-soft">{clock(part.start)}{part.end !== null && ` – ${clock(part.end)}`}</span>}
    </div>
  );
}

function PartName({ part, readOnly, actions }: { part: Part; readOnly: boolean; actions: ScriptActions }) {
  const { t } = useTranslation();
  const [typed, setTyped] = useState<string | null>(null);
  function keep() {
    if (typed !== null && typed.trim() && typed.trim() !== part.name) void actions.changePart(part.id, { name: typed });
    setTyped(null);
  }
  return (
    <input
      aria-label={t("script.partName", { name: part.name })}
      className="w-full min-w-0 bg-transparent rounded-sm px-1 -mx-1 hover:bg-sunk/60 focus:bg-paper truncate"
      readOnly={readOnly}
      maxLength={120}
      value={typed ?? part.name}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={keep}
      onKeyDown={(event) => {
        if (event.key === "Enter") event.currentTarget.blur();
        if (event.key === "Escape") setTyped(null);
      }}
    />
  );
}

/** The parts in the script's order: how much is in each, where each is fixed in the picture. */
export function PartsPanel({
  script,
  current,
  readOnly,
  actions,
  onGo,
  fps,
}: {
  script: ScriptState;
  fps: number;
  current: number | null;
  readOnly: boolean;
  actions: ScriptActions;
  onGo: (line: number) => void;
}) {
  const { t } = useTranslation();
  const first = new Map<number, number>();
  const count = new Map<number, number>();
  for (const line of script.lines) {
    if (line.part === null) continue;
    if (!first.has(line.part)) first.set(line.part, line.id);
    count.set(line.part, (count.get(line.part) ?? 0) + 1);
  }
  const order = [...first.keys()].flatMap((id) => script.parts.find((part) => part.id === id) ?? []);
  const empty = script.parts.filter((part) => !first.has(part.id));
  return (
    <div className="flex flex-col gap-3">
      {!readOnly && current !== null && (
        <Button onClick={() => void actions.beginPart(current, t("script.newPart"))}>{t("script.beginPartHere", { number: script.lines.findIndex((line) => line.id === current) + 1 })}</Button>
      )}
      {order.length + empty.length === 0 && <p className="text-sm text-soft">{t("script.noParts")}</p>}
      <ol className="flex flex-col gap-1.5">
        {[...order, ...empty].map((part) => (
          <li key={part.id} className="rounded-md border border-rule bg-paper p-2">
            <div className="flex items-center gap-1">
              <span className="grow min-w-0 font-semibold text-sm"><PartName part={part} readOnly={readOnly} actions={actions} /></span>
              {!readOnly && (
                <IconButton name={t("script.endPart", { name: part.name })} onClick={() => void actions.endPart(part.id)}><Merge size={14} aria-hidden /></IconButton>
              )}
            </div>
            <div className="flex items-center gap-1.5 text-xs text-soft">
              <button type="button" className="grow text-start underline decoration-rule hover:decoration-tide" onClick={() => onGo(first.get(part.id) ?? 0)}>
                {t("script.lineCount", { count: count.get(part.id) ?? 0 })}
              </button>
              {(["start", "end"] as const).map((side) => (
                <PartTime fps={fps} key={side} part={part} side={side} readOnly={readOnly} actions={actions} />
              ))}
            </div>
          </li>
        ))}
      </ol>
      <p className="text-xs text-soft">{t("script.partsHint")}</p>
    </div>
  );
}

function PartTime({ part, fps, side, readOnly, actions }: { part: Part; fps: number; side: "start" | "end"; readOnly: boolean; actions: ScriptActions }) {
  const { t } = useTranslation();
  const [typed, setTyped] = useState<string | null>(null);
  const value = part[side];
  const text = typed ?? (value === null ? "" : clock(value));
  function keep() {
    const time = typed === null ? undefined : seconds(typed, fps);
    if (time !== undefined && time !== value) void actions.changePart(part.id, { [side]: time });
    setTyped(null);
  }
  return (
    <input
      aria-label={t(`script.part_${side}`, { name: part.name })}
      aria-invalid={typed !== null && seconds(typed, fps) === undefined}
      placeholder={t(`script.${side}`)}
      readOnly={readOnly}
      className="w-14 rounded-sm border border-rule bg-ground px-1 text-end text-ink aria-invalid:border-alarm"
      value={text}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={keep}
      onKeyDown={(event) => {
        if (event.key === "Enter") event.currentTarget.blur();
        if (event.key === "Escape") setTyped(null);
      }}
    />
  );
}
