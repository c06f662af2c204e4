import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { api, data, type Production, type Schemas } from "../../shared/api/client";
import { useNotices } from "../../shared/notices";
import { Button, FIELD, Select, Sheet } from "../../shared/ui/controls";
import { SheetFiles } from "./SheetFiles";

type Right = Schemas["UsedRight"];

/** By what right everything in an edition is used. */
export function Rights({ production, language }: { production: Production; language: string }) {
  const { t } = useTranslation();
  const [noting, setNoting] = useState<Right | null>(null);
  const key = ["production", production.id, "rights", language];
  const path = { params: { path: { production_id: production.id, language } } };
  const rights = useQuery({ queryKey: key, queryFn: () => data(api.GET("/api/productions/{production_id}/editions/{language}/rights/", path)) });
  if (!rights.data) return <p className="text-soft" role="status">{t("common.loading")}</p>;
  const missing = rights.data.filter((one) => one.missing).length;
  return (
    <section aria-labelledby="rights">
      <div className="flex items-center gap-3">
        <h2 id="rights" className="text-sm font-semibold">{missing ? t("rights.missing", { count: missing }) : t("rights.allThere")}</h2>
        <SheetFiles production={production.id} language={language} sheet="rights" />
      </div>
      <p className="text-xs text-soft mb-2">{t("rights.what")}</p>
      <table className="w-full text-sm border-collapse">
        <thead>
          <tr className="text-xs text-soft border-b border-rule">
            {(["name", "usedIn", "licence", "origin", "commercial", "consent"] as const).map((one) => <th key={one} scope="col" className="text-start font-normal py-1.5 pe-3 first:ps-2">{t(`rights.column.${one}`)}</th>)}
            <th />
          </tr>
        </thead>
        <tbody>
          {rights.data.map((one) => (
            <tr key={`${one.what} ${one.name}`} className={`border-b border-rule align-top ${one.missing ? "bg-lamp-wash" : ""}`}>
              <th scope="row" className="text-start font-normal py-1.5 pe-3 ps-2"><span dir="auto">{one.name}</span> <span className="text-xs text-soft block">{t(`rights.kind.${one.what}`)}</span></th>
              <td className="py-1.5 pe-3 text-xs max-w-44 wrap-anywhere">{one.used_in}</td>
              <td className="py-1.5 pe-3 text-xs max-w-64">{one.licence || t("rights.unknown")}</td>
              <td className="py-1.5 pe-3 text-xs max-w-56 break-words">{one.origin}</td>
              <td className="py-1.5 pe-3">{one.commercial === true ? t("rights.yes") : one.commercial === false ? t("rights.no") : t("rights.unsaid")}</td>
              <td className="py-1.5 pe-3 text-xs">{one.consent}{one.until ? ` ${t("rights.until", { day: one.until })}` : ""}</td>
              <td className="py-1.5 pe-2 text-end">{production.role !== "reader" && <Button className="h-7! px-2!" onClick={() => setNoting(one)} aria-label={t("rights.noteOf", { name: one.name })}>{t("rights.note")}</Button>}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {noting && <Note production={production} language={language} right={noting} onClose={() => setNoting(null)} />}
    </section>
  );
}

function Note({ production, language, right, onClose }: { production: Production; language: string; right: Right; onClose: () => void }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const [told, setTold] = useState({ licence: right.licence ?? "", origin: right.origin ?? "", commercial: right.commercial ?? null, consent: right.consent ?? "", until: right.until ?? "" });
  const keep = useMutation({
    mutationFn: () => data(api.PUT("/api/productions/{production_id}/editions/{language}/rights/", {
      params: { path: { production_id: production.id, language } },
      body: { what: right.what, name: right.name, ...told, until: told.until || null },
    })),
    onSuccess: () => { onClose(); return client.invalidateQueries({ queryKey: ["production", production.id] }); },
    onError: (error) => say({ tone: "bad", text: error.message || t("common.unreachable") }),
  });
  const field = (name: "licence" | "origin" | "consent" | "until", label: string, type = "text") => (
    <label className="text-sm block"><span className="block mb-1">{label}</span><input type={type} className={FIELD} dir="auto" value={told[name]} maxLength={300} onChange={(event) => setTold({ ...told, [name]: event.target.value })} /></label>
  );
  return (
    <Sheet title={t("rights.noteOf", { name: right.name })} open onClose={onClose}>
      <div className="flex flex-col gap-3 p-5">
        {field("licence", t("rights.column.licence"))}
        {field("origin", t("rights.column.origin"))}
        <label className="text-sm block">
          <span className="block mb-1">{t("rights.column.commercial")}</span>
          <Select className="w-full" value={told.commercial === null ? "" : told.commercial ? "yes" : "no"} onChange={(event) => setTold({ ...told, commercial: event.target.value === "" ? null : event.target.value === "yes" })}>
            <option value="">{t("rights.unsaid")}</option>
            <option value="yes">{t("rights.yes")}</option>
            <option value="no">{t("rights.no")}</option>
          </Select>
        </label>
        {field("consent", t("rights.column.consent"))}
        {field("until", t("rights.untilWhen"), "date")}
        <Button look="main" className="self-end" disabled={keep.isPending} onClick={() => keep.mutate()}>{t("rights.keep")}</Button>
      </div>
    </Sheet>
  );
}
