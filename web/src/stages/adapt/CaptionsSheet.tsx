import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import { editionPath, send, type EditionLines, type Production, type Schemas } from "../../shared/api/client";
import { Button, FIELD, Notice, Sheet, Tick } from "../../shared/ui/controls";

type Matched = Schemas["CaptionsMatched"];
const DOUBTFUL = 0.5;

/** Translated captions, aligned with the lines however they were cut: shown first, then written. */
export function CaptionsSheet({
  production,
  edition,
  open,
  onClose,
}: {
  production: Production;
  edition: EditionLines;
  open: boolean;
  onClose: () => void;
}) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const picker = useRef<HTMLInputElement>(null);
  const [file, setFile] = useState<File | null>(null);
  const [matched, setMatched] = useState<Matched | null>(null);
  const [overwrite, setOverwrite] = useState(true);
  const [doubtfulOnly, setDoubtfulOnly] = useState(false);
  const [clock, setClock] = useState<{ offset: string; drift: string } | null>(null);
  const { language, own_name, direction } = edition.edition;
  const match = useMutation({
    mutationFn: ({ from, apply, by }: { from: File; apply: boolean; by: typeof clock }) => {
      const form = new FormData();
      form.set("file", from);
      form.set("apply", String(apply));
      form.set("overwrite", String(overwrite));
      if (by) {
        form.set("offset", by.offset);
        form.set("drift", by.drift);
      }
      return send<Matched>(`${editionPath(production.id, language)}/captions/`, form);
    },
    onSuccess: (found) => {
      setMatched(found);
      if (found.applied) {
        void client.invalidateQueries({ queryKey: ["production", production.id] });
        setMatched(null);
        setFile(null);
        setClock(null);
        onClose();
      }
    },
    onError: () => setMatched(null),
  });
  const shown = matched?.lines.filter((line) => !doubtfulOnly || line.doubt >= DOUBTFUL) ?? [];
  return (
    <Sheet title={t("captions.title", { language: own_name })} wide open={open} onClose={onClose}>
      <div className="p-5 flex flex-col gap-3">
        <p className="text-sm text-soft">{t("captions.what")}</p>
        <span className="flex items-center gap-3">
          <Button onClick={() => picker.current?.click()}>{t("captions.choose")}</Button>
          <span className="text-sm truncate">{file?.name}</span>
          <Tick label={t("captions.overwrite")} checked={overwrite} onChange={setOverwrite} className="ms-auto whitespace-nowrap" />
          <Button
            look="main"
            disabled={!matched || !file || match.isPending}
            onClick={() => file && match.mutate({ from: file, apply: true, by: clock })}
          >
            {t("captions.apply", { count: matched?.matched ?? 0 })}
          </Button>
        </span>
        <input
          ref={picker}
          type="file"
          className="sr-only"
          tabIndex={-1}
          aria-label={t("captions.choose")}
          accept=".srt,.vtt,.ttml,.dfxp,.xml,.csv,.tsv,.txt,.json,.xlsx,.docx"
          onChange={(event) => {
            const chosen = event.target.files?.[0];
            event.target.value = "";
            if (!chosen) return;
            setFile(chosen);
            setClock(null);
            match.mutate({ from: chosen, apply: false, by: null });
          }}
        />
        {match.error && <Notice tone="bad">{match.error.message || t("common.unreachable")}</Notice>}
        {matched?.problems.map((problem, index) => (
          <Notice key={index}>{problem.row ? `${t("import.row", { row: problem.row })}: ${problem.message}` : problem.message}</Notice>
        ))}
        {matched && (
          <form
            className="flex flex-wrap items-center gap-x-4 gap-y-2 text-sm"
            onSubmit={(event) => {
              event.preventDefault();
              if (file && clock) match.mutate({ from: file, apply: false, by: clock });
            }}
          >
            <label className="flex items-center gap-1.5">{t("captions.offset")}<input className={`${FIELD} w-24! py-1 text-end`} inputMode="decimal" value={clock?.offset ?? matched.offset.toFixed(2)} onChange={(event) => setClock({ offset: event.target.value, drift: clock?.drift ?? String(matched.drift) })} />s</label>
            <label className="flex items-center gap-1.5">{t("captions.drift")}<input className={`${FIELD} w-24! py-1 text-end`} inputMode="decimal" value={clock?.drift ?? matched.drift.toFixed(5)} onChange={(event) => setClock({ drift: event.target.value, offset: clock?.offset ?? String(matched.offset) })} /></label>
            {clock && <Button type="submit" disabled={match.isPending}>{t("captions.again")}</Button>}
            <span className="text-soft">{t("captions.agreeing", { percent: Math.round(matched.agreeing * 100) })}</span>
            <Tick label={t("captions.doubtful", { count: matched.doubtful })} checked={doubtfulOnly} onChange={setDoubtfulOnly} className="ms-auto" />
          </form>
        )}
        {matched && matched.left.length > 0 && <Notice>{t("captions.left", { count: matched.left.length, words: matched.left.slice(0, 3).join(" · ") })}</Notice>}
        {matched && (
          <table className="text-sm w-full">
            <tbody>
              {shown.map((line) => (
                <tr key={line.number} className={`border-t border-rule align-top ${line.doubt >= DOUBTFUL ? "bg-lamp-wash" : ""}`}>
                  <td className="py-1 px-2 text-soft text-end w-10">{line.number}</td>
                  <td className="py-1 pe-3 w-2/5">{line.original}</td>
                  <td className="py-1" dir={direction} lang={language}>{line.text || "—"}</td>
                  <td className="py-1 ps-2 text-xs whitespace-nowrap w-20">{line.doubt >= DOUBTFUL && t("captions.look")}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </div>
    </Sheet>
  );
}
