import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import { editionPath, send, type EditionLines, type Production, type Schemas } from "../../shared/api/client";
import { Button, Notice, Sheet } from "../../shared/ui/controls";

type Matched = Schemas["CaptionsMatched"];

/** Translated SRT or WebVTT, matched to the lines by time: shown first, then written. */
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
  const { language, own_name, direction } = edition.edition;
  const match = useMutation({
    mutationFn: ({ from, apply }: { from: File; apply: boolean }) => {
      const form = new FormData();
      form.set("file", from);
      form.set("apply", String(apply));
      return send<Matched>(`${editionPath(production.id, language)}/captions/`, form);
    },
    onSuccess: (found) => {
      setMatched(found);
      if (found.applied) {
        void client.invalidateQueries({ queryKey: ["production", production.id] });
        setMatched(null);
        setFile(null);
        onClose();
      }
    },
    onError: () => setMatched(null),
  });
  return (
    <Sheet title={t("captions.title", { language: own_name })} wide open={open} onClose={onClose}>
      <div className="p-5 flex flex-col gap-3">
        <p className="text-sm text-soft">{t("captions.what")}</p>
        <span className="flex items-center gap-3">
          <Button onClick={() => picker.current?.click()}>{t("captions.choose")}</Button>
          <span className="text-sm truncate">{file?.name}</span>
          <Button
            look="main"
            className="ms-auto"
            disabled={!matched || !file || match.isPending}
            onClick={() => file && match.mutate({ from: file, apply: true })}
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
          accept=".srt,.vtt"
          onChange={(event) => {
            const chosen = event.target.files?.[0];
            event.target.value = "";
            if (!chosen) return;
            setFile(chosen);
            match.mutate({ from: chosen, apply: false });
          }}
        />
        {match.error && <Notice tone="bad">{match.error.message || t("common.unreachable")}</Notice>}
        {matched?.problems.map((problem, index) => (
          <Notice key={index}>{problem.row ? `${t("import.row", { row: problem.row })}: ${problem.message}` : problem.message}</Notice>
        ))}
        {matched && (
          <table className="text-sm w-full">
            <tbody>
              {matched.lines.map((line) => (
                <tr key={line.number} className="border-t border-rule align-top">
                  <td className="py-1 pe-3 text-soft text-end w-10">{line.number}</td>
                  <td className="py-1 pe-3 w-2/5">{line.original}</td>
                  <td className="py-1" dir={direction} lang={language}>{line.text || "—"}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </div>
    </Sheet>
  );
}
