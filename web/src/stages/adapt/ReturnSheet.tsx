import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";

import type { StageProps } from "../../shared/stage";
import { useNotices } from "../../shared/notices";
import { editionPath, send, type Schemas } from "../../shared/api/client";
import { Button, FIELD, Notice, Sheet, Tick } from "../../shared/ui/controls";

type Report = Schemas["ReturnReport"];

/** Wordings that came back from a translator: what they would change, before anything is written. */
export function ReturnSheet({ production, edition, file, onClose }: { production: StageProps["production"]; edition: StageProps["edition"]; file: File; onClose: () => void }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const { language, direction, own_name } = edition.edition;
  /** By line, the words that are to be written; what is not among them is left. */
  const [chosen, setChosen] = useState<ReadonlyMap<number, string>>(new Map());
  const look = useMutation({
    mutationFn: () => {
      const form = new FormData();
      form.set("file", file);
      return send<Report>(`${editionPath(production.id, language)}/returned/`, form);
    },
    // What changed there alone is taken; where both changed, nobody but who looks at it chooses.
    onSuccess: (found) => setChosen(new Map(found.lines.flatMap((line) => (line.line !== null && (line.what === "new" || line.what === "changed") ? [[line.line, line.text] as const] : [])))),
  });
  const bring = useMutation({
    mutationFn: () => {
      const form = new FormData();
      const over = new Map(look.data?.lines.map((line) => [line.line, line.now]));
      form.set("file", file);
      form.set("apply", "true");
      form.set("choices", JSON.stringify(Object.fromEntries([...chosen].map(([line, text]) => [line, { text, over: over.get(line) ?? "" }]))));
      return send<Report>(`${editionPath(production.id, language)}/returned/`, form);
    },
    onSuccess: (done) => {
      void client.invalidateQueries({ queryKey: ["production", production.id] });
      say({ tone: "calm", text: t("returned.written", { count: done.written }) });
      if (done.moved.length) say({ tone: "bad", text: t("returned.moved", { count: done.moved.length }) });
      onClose();
    },
  });
  const { mutate } = look;
  useEffect(() => mutate(), [mutate]);
  const report = look.data;
  const plain = report?.lines.filter((line) => line.what === "new" || line.what === "changed") ?? [];
  const asking = report?.lines.filter((line) => line.needs_asking) ?? [];
  const lost = report?.lines.filter((line) => line.what === "unknown") ?? [];
  const choose = (line: number, text: string | null) =>
    setChosen((old) => {
      const next = new Map(old);
      if (text === null) next.delete(line);
      else next.set(line, text);
      return next;
    });
  const row = (line: Report["lines"][number], choice: boolean) => {
    const id = line.line;
    const taken = id === null ? undefined : chosen.get(id);
    return (
      <tr key={`${id ?? line.original}`} className="border-t border-rule align-top" data-returned={id}>
        <td className="py-1 pe-2 w-8">{choice && id !== null && (
          <Tick hidden label={t("returned.take", { number: line.number })} checked={taken !== undefined} onChange={(on) => choose(id, on ? line.text : null)} />
        )}</td>
        <td className="py-1 pe-3 text-soft text-end w-10">{line.number}</td>
        <td className="py-1 pe-3 w-1/4">
          {line.original}
          {line.what === "source_changed" && <span className="block text-xs text-soft">{t("returned.sourceNow", { words: line.original_now })}</span>}
        </td>
        <td className="py-1 pe-3 w-1/4 text-soft" lang={language} dir={direction}>{line.now || "—"}</td>
        <td className="py-1 pe-3 w-1/3" lang={language} dir={direction}>
          {choice && id !== null ? (
            <textarea
              rows={1}
              aria-label={t("returned.edit", { number: line.number })}
              className={`${FIELD} field-sizing-content resize-none py-0.5! ${taken === undefined ? "text-soft" : ""}`}
              value={taken ?? line.text}
              // Typing in it is taking it.
              onChange={(event) => choose(id, event.target.value)}
            />
          ) : (
            line.text || "—"
          )}
        </td>
        <td className="py-1 text-xs whitespace-nowrap">{t(`returned.what.${line.what}`)}</td>
      </tr>
    );
  };
  const heads = (
    <thead className="text-xs text-soft">
      <tr>
        <th /><th />
        <th className="text-start font-normal pe-3">{t("returned.head.source")}</th>
        <th className="text-start font-normal pe-3">{t("returned.head.now")}</th>
        <th className="text-start font-normal pe-3">{t("returned.head.came")}</th>
        <th />
      </tr>
    </thead>
  );
  return (
    <Sheet title={t("returned.title", { language: own_name })} wide open onClose={onClose}>
      <div className="p-5 flex flex-col gap-4 text-sm">
        <span className="flex items-center gap-3">
          <span className="truncate">{file.name}</span>
          <Button look="main" className="ms-auto" disabled={!report || bring.isPending || chosen.size === 0} onClick={() => bring.mutate()}>
            {t("returned.apply", { count: chosen.size })}
          </Button>
        </span>
        {(bring.error ?? look.error) && <Notice tone="bad">{(bring.error ?? look.error)?.message || t("common.unreachable")}</Notice>}
        {report && plain.length + asking.length + lost.length === 0 && <Notice tone="calm">{t("returned.nothing")}</Notice>}
        {asking.length > 0 && (
          <section>
            <h3 className="font-semibold pb-1">{t("returned.asking", { count: asking.length })}</h3>
            <table className="w-full">{heads}<tbody>{asking.map((line) => row(line, true))}</tbody></table>
          </section>
        )}
        {plain.length > 0 && (
          <section>
            <h3 className="font-semibold pb-1">{t("returned.plain", { count: plain.length })}</h3>
            <table className="w-full">{heads}<tbody>{plain.map((line) => row(line, true))}</tbody></table>
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
