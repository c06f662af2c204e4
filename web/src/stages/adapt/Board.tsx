import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { ListChecks, Mic, WandSparkles } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { StageProps } from "../../shared/stage";
import { useNotices } from "../../shared/notices";
import { api, data, type Schemas } from "../../shared/api/client";
import { startVoicing } from "../../shared/api/queries";
import { Button, Tick } from "../../shared/ui/controls";
import { startDrafting } from "./DraftButton";

type Cell = Schemas["Cell"];
const COUNTED = ["empty", "draft", "edited", "approved", "voiced", "fits"] as const;
type Counted = (typeof COUNTED)[number] | "unvoiced" | "misfit";
const LOOK: Record<(typeof COUNTED)[number], string> = {
  empty: "text-alarm", draft: "text-ink border-dashed", edited: "text-ink", approved: "text-tide font-semibold", voiced: "text-soft", fits: "text-soft",
};

/** All languages at once: parts down, editions across; every figure opens what it counts. */
export function Board({ production, onOpen }: { production: StageProps["production"]; onOpen: (language: string, line: number, counted?: { lines: ReadonlySet<number>; name: string }) => void }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const board = useQuery({
    queryKey: ["production", production.id, "board"],
    queryFn: () => data(api.GET("/api/productions/{production_id}/board/", { params: { path: { production_id: production.id } } })),
    refetchInterval: 4_000,
  }).data;
  const several = useMutation({
    mutationFn: async (act: (language: string) => Promise<unknown>) => {
      const faults: string[] = [];
      for (const language of chosen) await act(language).catch((error: Error) => faults.push(`${language}: ${error.message}`));
      return faults;
    },
    onSuccess: (faults) => {
      for (const text of faults) say({ tone: "bad", text });
      void client.invalidateQueries({ queryKey: ["production", production.id] });
    },
  });
  const check = useMutation({
    mutationFn: () =>
      Promise.all(
        [...chosen].map(async (language) => ({
          language,
          doubts: (await data(api.GET("/api/productions/{production_id}/editions/{language}/doubts/", { params: { path: { production_id: production.id, language } } }))).doubts,
        })),
      ),
    onError: (error) => say({ tone: "bad", text: error.message || t("common.unreachable") }),
  });
  const open = useMutation({
    mutationFn: async ({ language, part, what }: { language: string; part: number | null; what: Counted }) => ({
      language, part, what,
      lines: await data(api.GET("/api/productions/{production_id}/editions/{language}/board-lines/", { params: { path: { production_id: production.id, language }, query: { what, ...(part === null ? {} : { part }) } } })),
    }),
    onSuccess: ({ language, part, what, lines }) => {
      const [first] = lines;
      if (first !== undefined) onOpen(language, first, { lines: new Set(lines), name: t("board.only", { what: t(`board.${what}`), part: part === null ? t("board.noPart") : titles.get(part), count: lines.length }) });
    },
    onError: (error) => say({ tone: "bad", text: error.message || t("common.unreachable") }),
  });
  const titles = new Map(production.parts.map((part) => [part.id, part.name]));
  if (!board) return <p className="p-8 text-soft" role="status">{t("common.loading")}</p>;
  const names = new Map(production.editions.map((edition) => [edition.language, edition]));
  const parts = [...new Map(board.editions.flatMap((edition) => edition.cells.map((cell) => [cell.part, cell.part] as const))).values()];
  const toggle = (language: string) => {
    const next = new Set(chosen);
    if (!next.delete(language)) next.add(language);
    setChosen(next);
  };
  return (
    <div className="grow min-h-0 overflow-auto p-4 flex flex-col gap-3">
      <div className="flex items-center gap-2 text-sm min-h-8">
        {chosen.size === 0 ? <span className="text-soft">{t("board.choose")}</span> : (
          <>
            <span>{t("board.chosen", { count: chosen.size })}</span>
            <Button disabled={several.isPending || production.role === "reader"} onClick={() => several.mutate((language) => startDrafting(production.id, language))}><WandSparkles size={14} aria-hidden />{t("board.draftAct")}</Button>
            <Button disabled={check.isPending} onClick={() => check.mutate()}><ListChecks size={14} aria-hidden />{t("board.check")}</Button>
            <Button disabled={several.isPending || production.role === "reader"} onClick={() => several.mutate((language) => startVoicing(production.id, language))}><Mic size={14} aria-hidden />{t("board.voice")}</Button>
          </>
        )}
      </div>
      {check.data?.map(({ language, doubts }) => {
        const lines = doubts.filter((one) => one.findings.length + one.misspelt.length + one.rude.length + one.unknown.length > 0);
        const [first] = lines;
        return (
          <p key={language} className="text-sm flex items-center gap-2">
            <b lang={language}>{names.get(language)?.own_name ?? language}</b>
            {first ? <button type="button" className="underline" onClick={() => onOpen(language, first.line, { lines: new Set(lines.map((one) => one.line)), name: t("board.toLook", { count: lines.length }) })}>{t("board.toLook", { count: lines.length })}</button> : <span className="text-soft">{t("board.allGood")}</span>}
          </p>
        );
      })}
      <table className="border-collapse text-sm self-start">
        <thead>
          <tr>
            <th className="text-start font-normal text-xs text-soft pe-4 pb-2">{t("board.part")}</th>
            {board.editions.map(({ language }) => (
              <th key={language} className="text-start font-semibold px-2 pb-2 min-w-40">
                <Tick label={names.get(language)?.own_name ?? language} checked={chosen.has(language)} onChange={() => toggle(language)} />
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {parts.map((part) => (
            <tr key={part ?? "none"} className="border-t border-rule align-top">
              <th scope="row" className="text-start font-semibold pe-4 py-2 max-w-48">{part === null ? t("board.noPart") : titles.get(part)}</th>
              {board.editions.map(({ language, cells }) => {
                const cell = cells.find((one) => one.part === part);
                return <td key={language} className="px-2 py-2">{cell && <CellView cell={cell} name={`${titles.get(part ?? -1) ?? ""} ${names.get(language)?.own_name ?? language}`} onOpen={(what) => open.mutate({ language, part, what })} />}</td>;
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function CellView({ cell, name, onOpen }: { cell: Cell; name: string; onOpen: (what: Counted) => void }) {
  const { t } = useTranslation();
  const worded = cell.lines - cell.empty;
  const share = (count: number, of: number) => `${(100 * count) / Math.max(1, of)}%`;
  return (
    <div className="flex flex-col gap-1">
      <span aria-hidden className="flex h-2 rounded-sm overflow-hidden bg-sunk">
        <span className="bg-tide" style={{ width: share(cell.approved, cell.lines) }} />
        <span className="bg-tide/55" style={{ width: share(cell.edited, cell.lines) }} />
        <span className="bg-lamp" style={{ width: share(cell.draft, cell.lines) }} />
      </span>
      <span aria-hidden className="h-1 rounded-sm bg-sunk block"><span className="block h-1 bg-soft" style={{ width: share(cell.fits, cell.spoken) }} /></span>
      <span className="flex flex-wrap gap-x-1">
        {COUNTED.map((what) => {
          const count = cell[what];
          const of = what === "voiced" || what === "fits" ? cell.spoken : cell.lines;
          // Of what is voiced and fits, what is missing is led to.
          const opened: Counted = what === "voiced" && cell.first.unvoiced !== undefined ? "unvoiced" : what === "fits" && cell.first.misfit !== undefined ? "misfit" : what;
          if (!count && what !== "voiced" && what !== "fits") return null;
          if (what === "fits" && cell.voiced === 0) return null;
          return (
            <button key={what} type="button" disabled={cell.first[opened] === undefined} aria-label={`${name}: ${t(`board.${what}`)} ${count} / ${of}`} className={`text-xs min-h-6 min-w-6 px-1 rounded-sm hover:bg-sunk ${LOOK[what]}`} onClick={() => onOpen(opened)}>
              {t(`board.${what}`)} {count}{count !== of && `/${of}`}
            </button>
          );
        })}
      </span>
      {worded === 0 && <span className="text-xs text-soft">{t("board.nothing")}</span>}
    </div>
  );
}
