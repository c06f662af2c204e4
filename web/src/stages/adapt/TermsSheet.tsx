import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Trash2 } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { StageProps } from "../../shared/stage";
import { useNotices } from "../../shared/notices";
import { api, data } from "../../shared/api/client";
import { Button, FIELD, IconButton, Select, Sheet, Tick } from "../../shared/ui/controls";

/** The termbase of this language, how people are addressed, and what else whoever adapts should know. */
export function TermsSheet({ production, edition, open, readOnly, onClose }: { production: StageProps["production"]; edition: StageProps["edition"]; open: boolean; readOnly: boolean; onClose: () => void }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const { language, own_name, direction } = edition.edition;
  const params = { params: { path: { production_id: production.id, language } } };
  const [original, setOriginal] = useState("");
  const [text, setText] = useState("");
  const [forbidden, setForbidden] = useState(false);
  const [note, setNote] = useState("");
  const terms = useQuery({
    queryKey: ["production", production.id, "terms", language],
    enabled: open,
    queryFn: () => data(api.GET("/api/productions/{production_id}/editions/{language}/terms/", params)),
  }).data;
  const brief = useQuery({
    queryKey: ["production", production.id, "brief", language],
    enabled: open,
    queryFn: () => data(api.GET("/api/productions/{production_id}/editions/{language}/brief/", params)),
  }).data;
  const act = useMutation({
    mutationFn: (work: () => Promise<unknown>) => work(),
    onSuccess: () => client.invalidateQueries({ queryKey: ["production", production.id] }),
    onError: (error) => say({ tone: "bad", text: error.message || t("common.unreachable") }),
  });
  const ready = text.trim() && (forbidden || original.trim());
  return (
    <Sheet title={t("terms.title", { language: own_name })} wide open={open} onClose={onClose}>
      <div className="p-5 flex flex-col gap-5 text-sm">
        <section className="flex flex-wrap items-end gap-3">
          <label className="flex flex-col gap-1">
            <span className="text-xs text-soft">{t("terms.address")}</span>
            <Select value={brief?.address ?? ""} disabled={readOnly} onChange={(event) => {
              // Read now: when it is sent, the field says again what was there before.
              const address = event.target.value as "" | "formal" | "informal";
              act.mutate(() => data(api.PATCH("/api/productions/{production_id}/editions/{language}/brief/", { ...params, body: { address } })));
            }}>
              <option value="">{t("terms.addresses.any")}</option>
              <option value="formal">{t("terms.addresses.formal")}</option>
              <option value="informal">{t("terms.addresses.informal")}</option>
            </Select>
          </label>
          <label className="flex flex-col gap-1 grow">
            <span className="text-xs text-soft">{t("terms.brief")}</span>
            <input key={brief?.brief} className={FIELD} disabled={readOnly} defaultValue={brief?.brief ?? ""} maxLength={2000} onBlur={(event) => event.target.value !== brief?.brief && act.mutate(() => data(api.PATCH("/api/productions/{production_id}/editions/{language}/brief/", { ...params, body: { brief: event.target.value } })))} />
          </label>
        </section>
        {!readOnly && (
          <form
            className="grid grid-cols-[1fr_1fr_auto_1fr_auto] gap-2 items-center"
            onSubmit={(event) => {
              event.preventDefault();
              if (!ready) return;
              act.mutate(() => data(api.POST("/api/productions/{production_id}/editions/{language}/terms/", { ...params, body: { original: forbidden ? "" : original, text, forbidden, note } })), {
                onSuccess: () => { setOriginal(""); setText(""); setNote(""); setForbidden(false); },
              });
            }}
          >
            <input aria-label={t("terms.original")} placeholder={t("terms.original")} className={FIELD} value={forbidden ? "" : original} disabled={forbidden} maxLength={200} onChange={(event) => setOriginal(event.target.value)} />
            <input aria-label={t("terms.text")} placeholder={forbidden ? t("terms.never") : t("terms.text")} className={FIELD} dir={direction} lang={language} value={text} maxLength={200} onChange={(event) => setText(event.target.value)} />
            <Tick label={t("terms.forbidden")} checked={forbidden} onChange={setForbidden} className="whitespace-nowrap" />
            <input aria-label={t("terms.note")} placeholder={t("terms.note")} className={FIELD} value={note} maxLength={400} onChange={(event) => setNote(event.target.value)} />
            <Button type="submit" disabled={!ready}>{t("terms.add")}</Button>
          </form>
        )}
        {terms && terms.length === 0 && <p className="text-soft">{t("terms.none")}</p>}
        {terms && terms.length > 0 && (
          <table className="w-full">
            <thead><tr className="text-xs text-soft text-start"><th className="text-start font-normal">{t("terms.original")}</th><th className="text-start font-normal">{t("terms.text")}</th><th className="text-start font-normal">{t("terms.note")}</th><th /></tr></thead>
            <tbody>
              {terms.map((term) => (
                <tr key={term.id} className="border-t border-rule">
                  <td className="py-1 pe-3">{term.original}</td>
                  <td className="py-1 pe-3" lang={language} dir={direction}>{term.forbidden ? <><s>{term.text}</s> <span className="text-xs text-alarm">{t("terms.never")}</span></> : term.text}</td>
                  <td className="py-1 pe-3 text-soft">{term.note}</td>
                  <td className="py-1 text-end w-10">{!readOnly && <IconButton name={t("terms.remove", { term: term.original || term.text })} className="size-7" onClick={() => act.mutate(() => data(api.DELETE("/api/productions/{production_id}/editions/{language}/terms/{term_id}/", { params: { path: { ...params.params.path, term_id: term.id } } })))}><Trash2 size={14} aria-hidden /></IconButton>}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </div>
    </Sheet>
  );
}
