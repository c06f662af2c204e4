import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";

import type { StageProps } from "../../frame/Workplace";
import { useNotices } from "../../frame/notices";
import { editionPath, send, type Schemas } from "../../shared/api/client";
import { Button, Notice, Sheet } from "../../shared/ui/controls";

type Report = Schemas["ReturnReport"];

/** Wordings that came back from a translator: what they would change, before anything is written. */
export function ReturnSheet({ production, edition, file, onClose }: { production: StageProps["production"]; edition: StageProps["edition"]; file: File; onClose: () => void }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const { language, direction, own_name } = edition.edition;
  const [also, setAlso] = useState<ReadonlySet<number>>(new Set());
  const bring = useMutation({
    mutationFn: (apply: boolean) => {
      const form = new FormData();
      form.set("file", file);
      form.set("apply", String(apply));
      form.set("also", [...also].join(","));
      return send<Report>(`${editionPath(production.id, language)}/returned/`, form);
    },
    onSuccess: (report, apply) => {
      if (!apply) return;
      void client.invalidateQueries({ queryKey: ["production", production.id] });
      say({ tone: "calm", text: t("returned.written", { count: report.written }) });
      onClose();
    },
  });
  const { mutate } = bring;
  useEffect(() => mutate(false), [mutate]);
  const report = bring.data;
  const plain = report?.lines.filter((line) => line.what === "new" || line.what === "changed") ?? [];
  const asking = report?.lines.filter((line) => line.needs_asking) ?? [];
  const lost = report?.lines.filter((line) => line.what === "unknown") ?? [];
  const row = (line: Report["lines"][number], choice: boolean) => (
    <tr key={`${line.line ?? line.original}`} className="border-t border-rule align-top">
      <td className="py-1 pe-2 w-8">{choice && line.line !== null && (
        <input
          type="checkbox"
          aria-label={t("returned.take", { number: line.number })}
          checked={also.has(line.line)}
          onChange={(event) => {
            const next = new Set(also);
            if (line.line !== null) {
              if (event.target.checked) next.add(line.line);
              else next.delete(line.line);
            }
            setAlso(next);
          }}
        />
      )}</td>
      <td className="py-1 pe-3 text-soft text-end w-10">{line.number}</td>
      <td className="py-1 pe-3 w-1/3">
        {line.original}
        {line.what === "source_changed" && <span className="block text-xs text-soft">{t("returned.sourceNow", { words: line.original_now })}</span>}
      </td>
      <td className="py-1 pe-3 w-1/4 text-soft" lang={language} dir={direction}>{line.now}</td>
      <td className="py-1 pe-3" lang={language} dir={direction}>{line.text || "—"}</td>
      <td className="py-1 text-xs whitespace-nowrap">{t(`returned.what.${line.what}`)}</td>
    </tr>
  );
  return (
    <Sheet title={t("returned.title", { language: own_name })} wide open onClose={onClose}>
      <div className="p-5 flex flex-col gap-4 text-sm">
        <span className="flex items-center gap-3">
          <span className="truncate">{file.name}</span>
          <Button look="main" className="ms-auto" disabled={!report || bring.isPending || plain.length + also.size === 0} onClick={() => mutate(true)}>
            {t("returned.apply", { count: plain.length + also.size })}
          </Button>
        </span>
        {bring.error && <Notice tone="bad">{bring.error.message || t("common.unreachable")}</Notice>}
        {report && plain.length + asking.length + lost.length === 0 && <Notice tone="calm">{t("returned.nothing")}</Notice>}
        {asking.length > 0 && (
          <section>
            <h3 className="font-semibold pb-1">{t("returned.asking", { count: asking.length })}</h3>
            <table className="w-full"><tbody>{asking.map((line) => row(line, true))}</tbody></table>
          </section>
        )}
        {plain.length > 0 && (
          <section>
            <h3 className="font-semibold pb-1">{t("returned.plain", { count: plain.length })}</h3>
            <table className="w-full"><tbody>{plain.map((line) => row(line, false))}</tbody></table>
          </section>
        )}
        {lost.length > 0 && (
          <section>
            <h3 className="font-semibold pb-1">{t("returned.lost", { count: lost.length })}</h3>
            <table className="w-full"><tbody>{lost.map((line) => row(line, false))}</tbody></table>
          </section>
        )}
        {(report?.missing.length ?? 0) > 0 && <Notice>{t("returned.missing", { count: report?.missing.length ?? 0 })}</Notice>}
      </div>
    </Sheet>
  );
}
