import { useQuery } from "@tanstack/react-query";
import { Check, EyeOff, Pencil, RotateCcw, Trash2 } from "lucide-react";
import { useEffect, useMemo, useState } from "react";
import { useTranslation } from "react-i18next";

import { api, data, type Line } from "../../shared/api/client";
import { Button, FIELD, IconButton, Tick } from "../../shared/ui/controls";
import { HearButton } from "./HearButton";
import { melodyPath } from "./stave";
import type { Direction, Directing } from "./useDirection";
import { hear, hush, useHeard } from "./useHearing";

const AT_ONCE = 3;

/** The readings that a line could have: made, heard side by side or blind, one of them chosen. */
export function Takes({ production, language, line, direction, readOnly, onChange }: {
  production: number; language: string; line: Line; direction: Direction; readOnly: boolean; onChange: (change: Directing) => void;
}) {
  const { t } = useTranslation();
  const [blind, setBlind] = useState(false);
  const [naming, setNaming] = useState<number | null>(null);
  const there = direction.takes.filter((take) => !take.thrown && (take.number === 0 || take.chosen || take.name || kept(direction, take.number)));
  const thrown = direction.takes.filter((take) => take.thrown);
  const shown = useMemo(() => (blind ? shuffled(there, line.id) : there), [blind, there, line.id]);
  const wanted = (number: number) => ({ production, language, line: line.id, body: { variant: number } });
  const rows = () => direction.takes.filter((take) => take.thrown || kept(direction, take.number)).map((take) => ({ number: take.number, thrown: take.thrown })).filter((take) => take.number > 0);
  const vary = () => {
    const used = new Set(direction.takes.map((take) => take.number));
    const fresh: number[] = [];
    for (let number = 1; fresh.length < AT_ONCE && number < 999; number++) if (!used.has(number) || !kept(direction, number)) { if (!rows().some((row) => row.number === number)) fresh.push(number); }
    onChange({ takes: [...rows(), ...fresh.map((number) => ({ number, thrown: false }))] });
  };
  const throwAway = (number: number, away: boolean) => onChange({ takes: [...rows().filter((row) => row.number !== number), { number, thrown: away }] });
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      const typing = event.target instanceof HTMLElement && event.target.closest("input, textarea, select, [role=slider], [role=dialog]");
      if (typing || event.ctrlKey || event.metaKey || event.altKey || !/^[1-9]$/.test(event.key)) return;
      const take = shown[Number(event.key) - 1];
      if (!take) return;
      event.preventDefault();
      const id = `take/${line.id}/${take.number}`;
      if (useHeard.getState().name === id) hush();
      else void hear(id, { production, language, line: line.id, body: { variant: take.number } });
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, [shown, production, language, line.id]);
  return (
    <section aria-label={t("direct.takes")} className="flex flex-col gap-2">
      <div className="flex items-center gap-3">
        <h3 className="text-sm font-semibold">{t("direct.takes")}</h3>
        {!readOnly && <Button onClick={vary}>{t("direct.vary")}</Button>}
        {there.length > 2 && <Tick label={t("direct.blind")} checked={blind} onChange={setBlind} />}
        <span className="grow" />
        {there.length > 1 && <span className="text-xs text-soft">{t("direct.takeKeys", { count: Math.min(9, there.length) })}</span>}
      </div>
      <ul className="flex flex-wrap gap-2">
        {shown.map((take, index) => (
          <li key={take.number} className={`w-52 rounded-md border p-2 flex flex-col gap-1 bg-paper ${take.chosen && !blind ? "border-tide border-2" : "border-rule"}`}>
            <div className="flex items-center gap-1">
              <HearButton name={t("direct.hearTake", { name: title(t, blind, index, take.name, take.number) })} id={`take/${line.id}/${take.number}`} wanted={wanted(take.number)} className="size-7!" />
              <span className="grow truncate text-sm font-medium">{title(t, blind, index, take.name, take.number)}</span>
              {!blind && !readOnly && take.number > 0 && (
                <>
                  <IconButton name={t("direct.nameTake")} className="size-7!" onClick={() => setNaming(naming === take.number ? null : take.number)}><Pencil size={12} aria-hidden /></IconButton>
                  {!take.chosen && <IconButton name={t("direct.throwTake")} className="size-7!" onClick={() => throwAway(take.number, true)}><Trash2 size={12} aria-hidden /></IconButton>}
                </>
              )}
            </div>
            {naming === take.number ? (
              <input
                autoFocus
                aria-label={t("direct.nameTake")}
                className={FIELD}
                maxLength={60}
                defaultValue={take.name}
                onBlur={(event) => {
                  setNaming(null);
                  if (event.target.value !== take.name) onChange({ names: { [String(take.number)]: event.target.value } });
                }}
                onKeyDown={(event) => (event.key === "Enter" || event.key === "Escape") && event.currentTarget.blur()}
              />
            ) : (
              <Miniature production={production} language={language} line={line} number={take.number} direction={direction} />
            )}
            {!readOnly && (take.chosen && !blind ? (
              <span className="text-xs flex items-center gap-1 h-7"><Check size={13} aria-hidden />{t("direct.chosenTake")}</span>
            ) : (
              <Button
                className="h-7! text-xs!"
                onClick={() => {
                  setBlind(false);
                  onChange({ variant: take.number });
                }}
              >
                {blind && <EyeOff size={12} aria-hidden />}
                {t("direct.chooseTake")}
              </Button>
            ))}
          </li>
        ))}
      </ul>
      {thrown.length > 0 && !readOnly && (
        <p className="text-xs text-soft flex flex-wrap items-center gap-2">
          {t("direct.thrown")}
          {thrown.map((take) => <Button key={take.number} look="quiet" className="h-6! px-1.5! text-xs!" onClick={() => throwAway(take.number, false)}><RotateCcw size={11} aria-hidden />{take.name || t("direct.reading_n", { number: take.number })}</Button>)}
        </p>
      )}
    </section>
  );
}

const kept = (direction: Direction, number: number) => number > 0 && direction.takes.some((take) => take.number === number && take.kept);

function title(t: (key: "direct.takeBlind" | "direct.plain" | "direct.reading_n", values: { letter?: string; number?: number }) => string, blind: boolean, index: number, name: string, number: number): string {
  if (blind) return t("direct.takeBlind", { letter: String.fromCharCode(65 + index) });
  return name || (number === 0 ? t("direct.plain", {}) : t("direct.reading_n", { number }));
}

/** In an order that nobody can know, and that stays while they are looked at. */
function shuffled<T extends { number: number }>(rows: readonly T[], seed: number): T[] {
  const weight = (row: T) => ((row.number + 1) * 2654435761 + seed * 40503) % 1009;
  return [...rows].sort((one, other) => weight(one) - weight(other));
}

function Miniature({ production, language, line, number, direction }: { production: number; language: string; line: Line; number: number; direction: Direction }) {
  const { t } = useTranslation();
  const stave = useQuery({
    queryKey: ["production", production, "trial", language, line.id, number, line.words, JSON.stringify(direction.marks), JSON.stringify(direction.moods)],
    queryFn: () => data(api.POST("/api/productions/{production_id}/editions/{language}/lines/{line_id}/stave/trial/", { params: { path: { production_id: production, language, line_id: line.id } }, body: { variant: number } })),
    staleTime: 60_000,
  });
  if (!stave.data?.known) return <span className="h-9" />;
  return (
    <span className="flex items-end gap-2">
      <svg viewBox="0 0 160 36" className="grow h-9 bg-sunk rounded-sm" preserveAspectRatio="none" role="img" aria-label={t("direct.melody")}>
        <path d={melodyPath(stave.data, 160, 36)} fill="none" className="stroke-tide" strokeWidth={1.5} vectorEffect="non-scaling-stroke" />
      </svg>
      <span className="text-2xs text-soft tabular-nums w-9 text-end">{t("direct.seconds", { seconds: stave.data.seconds.toFixed(1) })}</span>
    </span>
  );
}
