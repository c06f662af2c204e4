import { useState } from "react";
import { useTranslation } from "react-i18next";

import { useNotices } from "../../shared/notices";
import { api, data, Fault } from "../../shared/api/client";
import { clock, seconds } from "../../shared/format";
import type { EditedLine } from "../../shared/script/scriptState";
import type { ScriptActions } from "../../shared/script/useScript";

/** A line's in- and out-time, typed as m:ss.t; empty takes the time away. */
export function TimesField({ line, number, fps, actions }: { line: EditedLine; number: number; fps: number; actions: ScriptActions }) {
  const { t } = useTranslation();
  const say = useNotices((state) => state.say);
  const [typed, setTyped] = useState<{ start?: string; end?: string }>({});
  const shown = (side: "start" | "end") => typed[side] ?? (line.slot ? clock(line.slot[side === "start" ? 0 : 1] ?? 0) : "");
  async function keep() {
    if (typed.start === undefined && typed.end === undefined) return;
    const start = seconds(shown("start"), fps);
    const end = seconds(shown("end"), fps);
    if (start === undefined || end === undefined || (start === null) !== (end === null)) return;
    // What is not typed over keeps its milliseconds.
    const exact = (side: "start" | "end", value: number | null) => (typed[side] === undefined && line.slot ? (line.slot[side === "start" ? 0 : 1] ?? value) : value);
    try {
      await data(api.PATCH("/api/lines/{line_id}/", { params: { path: { line_id: line.id } }, body: { start: exact("start", start), end: exact("end", end) } }));
      setTyped({});
      await actions.lookAgain();
    } catch (error) {
      if (!(error instanceof Fault)) throw error;
      say({ tone: "bad", text: error.message || t("common.unreachable") });
    }
  }
  return (
    <span className="flex gap-0.5">
      {(["start", "end"] as const).map((side) => (
        <input
          key={side}
          aria-label={t(`script.${side}Of`, { number })}
          aria-invalid={seconds(shown(side), fps) === undefined}
          placeholder={t(`script.${side}`)}
          className="w-13 px-0.5 text-end rounded-sm bg-paper border border-rule aria-invalid:border-alarm"
          value={shown(side)}
          onChange={(event) => setTyped({ ...typed, [side]: event.target.value })}
          onBlur={(event) => {
            if (!(event.relatedTarget instanceof HTMLInputElement && event.relatedTarget.parentElement === event.currentTarget.parentElement)) void keep();
          }}
          onKeyDown={(event) => {
            if (event.key === "Enter") void keep();
            if (event.key === "Escape") setTyped({});
          }}
        />
      ))}
    </span>
  );
}

/** What is noted about a line: how it is said, what happens. Shown while the line is chosen. */
export function NoteField({ line, number, actions }: { line: EditedLine; number: number; actions: ScriptActions }) {
  const { t } = useTranslation();
  const say = useNotices((state) => state.say);
  const [typed, setTyped] = useState<string | null>(null);
  async function keep() {
    if (typed === null || typed.trim() === line.notes) {
      setTyped(null);
      return;
    }
    try {
      await data(api.PATCH("/api/lines/{line_id}/", { params: { path: { line_id: line.id } }, body: { notes: typed.trim() } }));
      await actions.lookAgain();
      setTyped(null);
    } catch (error) {
      if (!(error instanceof Fault)) throw error;
      say({ tone: "bad", text: error.message || t("common.unreachable") });
    }
  }
  return (
    <input
      aria-label={t("script.noteOf", { number })}
      placeholder={t("script.note")}
      maxLength={2000}
      className="block w-full text-xs italic text-soft bg-transparent rounded-sm px-1.5 -mx-1.5 hover:bg-sunk/60 focus:bg-paper placeholder:text-soft/80"
      value={typed ?? line.notes}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={() => void keep()}
      onKeyDown={(event) => {
        if (event.key === "Enter") event.currentTarget.blur();
        if (event.key === "Escape") setTyped(null);
      }}
    />
  );
}
