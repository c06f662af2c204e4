import { useCallback, useMemo, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import type { StageProps } from "../../shared/stage";
import { usePlace } from "../../shared/place";
import { useKeys } from "../../shared/useKeys";
import { SourceMediaButton } from "../../shared/SourceMediaButton";
import { Empty } from "../../shared/ui/controls";
import { columns, Ladder } from "./Ladder";
import { byHarm, isTimed } from "./ladder";
import { TimePanel } from "./TimePanel";
import { useLips, useTimingActions } from "./useTiming";

/** Pixels a second at the nearest: a word fills the ladder. Browsers draw nothing taller than some thirty million. */
const CLOSEST = 1600;
const TALLEST = 30e6;

/** Where every line lies in time: the ladder, and beside it what to do about what does not fit. */
export function TimeStage({ production, edition, source }: StageProps) {
  const { t } = useTranslation();
  const place = usePlace();
  const frame = useRef<HTMLDivElement>(null);
  // A short programme is seen whole at first.
  const [first] = useState(() => Math.max(26, Math.min(60, (window.innerHeight - 230) / (edition.seconds + 2))));
  const [pixels, setPixels] = useState(first);
  const actions = useTimingActions(production.id, edition.edition.language);
  const sourceWords = useMemo(() => new Map(source.lines.map((line) => [line.id, line.words])), [source.lines]);
  const lips = useLips(production.id, edition.edition.language, edition.mix_recipe);
  const readOnly = production.role === "reader";
  const closest = Math.min(CLOSEST, TALLEST / (edition.seconds + 2));
  const whole = useCallback(() => Math.max(0.02, ((frame.current?.clientHeight ?? 600) - 40) / (edition.seconds + 2)), [edition.seconds]);
  // Out as far as all of it is seen, and always as far as one began.
  const zoom = useCallback((by: number) => setPixels((now) => Math.min(closest, Math.max(Math.min(whole(), first), now * by))), [whole, closest, first]);
  const selected = edition.lines.find((line) => line.id === place.line);
  const bad = useMemo(() => byHarm(edition.lines), [edition.lines]);
  useKeys({
    "+": () => zoom(1.4),
    "-": () => zoom(1 / 1.4),
    "0": () => setPixels(whole()),
    "=": () => setPixels(26),
    x: () => {
      const at = bad.findIndex((line) => line.id === place.line);
      const next = bad[(at + 1) % Math.max(1, bad.length)];
      if (next) place.select(next.id);
    },
  });
  const standing = edition.lines.some((line) => line.slot || line.seconds > 0);
  if (!standing)
    return (
      <Empty title={t("time.empty")}>
        <p>{t("time.emptyHint")}</p>
      </Empty>
    );
  return (
    <>
      <div ref={frame} className="grow min-w-0 flex flex-col">
        <div className={`grid ${columns(isTimed(edition.lines))} h-9 shrink-0 items-center border-b border-rule text-xs text-soft px-3`}>
          <span>{t("time.clock")}</span>
          <span className="flex items-center gap-2 min-w-0 pe-2">
            <span className="min-w-0 truncate" lang={source.edition.language}>{production.timed ? `${t("time.slots")} · ${source.edition.own_name}` : ""}</span>
            <SourceMediaButton production={production.id} readOnly={readOnly} />
          </span>
          <span />
          <span lang={edition.edition.language}>{edition.edition.own_name}</span>
          <span className="flex items-center justify-end gap-1">
            {t("time.fit")}
            <button type="button" className="size-6 rounded-sm hover:bg-sunk disabled:opacity-40" aria-label={t("time.narrower")} onClick={() => zoom(1 / 1.4)}>−</button>
            <button type="button" className="size-6 rounded-sm hover:bg-sunk disabled:opacity-40" aria-label={t("time.wider")} disabled={pixels >= closest} onClick={() => zoom(1.4)}>+</button>
          </span>
        </div>
        <Ladder production={production} edition={edition} source={source} pixels={pixels} onZoom={zoom} lips={lips} actions={actions} readOnly={readOnly} />
      </div>
      <TimePanel production={production} edition={edition} line={selected} sourceWords={selected ? (sourceWords.get(selected.id) ?? "") : ""} lips={selected && lips.get(selected.id)} actions={actions} readOnly={readOnly} />
    </>
  );
}
