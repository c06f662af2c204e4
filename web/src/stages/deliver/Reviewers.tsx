import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Copy, Download, QrCode, UserPlus } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { api, data, type Production, type Schemas } from "../../shared/api/client";
import { useNotices } from "../../shared/notices";
import { RemarkRow } from "../../shared/RemarkRow";
import { useRemarks } from "../../shared/remarks";
import { Button, FIELD, IconButton, Select, Sheet, Tick } from "../../shared/ui/controls";

type Link = Schemas["ReviewLink"];
const INTERFACES = ["en", "es", "fr", "de", "it", "pt", "ca", "nl", "hi", "ar", "ja"] as const;

/** Links that were given away, and what came back by them. */
export function Reviewers({ production, language }: { production: Production; language: string }) {
  const { t } = useTranslation();
  const [inviting, setInviting] = useState(false);
  const remarks = (useRemarks(production.id) ?? []).filter((one) => one.kind !== "fine" && one.language === language);
  const readOnly = production.role === "reader";
  const path = { params: { path: { production_id: production.id } } };
  const links = useQuery({ queryKey: ["production", production.id, "links"], enabled: !readOnly, queryFn: () => data(api.GET("/api/productions/{production_id}/links/", path)) }).data ?? [];
  return (
    <div className="flex flex-col gap-6">
      {!readOnly && (
        <section aria-labelledby="links">
          <div className="flex items-center gap-4 mb-1.5">
            <h2 id="links" className="text-sm font-semibold">{t("links.name")}</h2>
            <Button onClick={() => setInviting(true)}><UserPlus size={14} aria-hidden />{t("links.new")}</Button>
          </div>
          {links.length === 0 ? <p className="text-sm text-soft">{t("links.none")}</p> : (
            <ul className="divide-y divide-rule border-y border-rule">
              {links.map((one) => <LinkRow key={one.id} production={production} link={one} />)}
            </ul>
          )}
        </section>
      )}
      <section aria-labelledby="remarks">
        <div className="flex items-center gap-4 mb-1.5">
          <h2 id="remarks" className="text-sm font-semibold">{t("remarks.name", { count: remarks.length })}</h2>
          <a className="inline-flex items-center gap-1.5 text-sm underline decoration-dotted" href={`/api/productions/${production.id}/remarks.csv`} download><Download size={14} aria-hidden />{t("remarks.csv")}</a>
        </div>
        <ul className="divide-y divide-rule border-y border-rule empty:border-0">
          {remarks.map((one) => <RemarkRow key={one.id} production={production} remark={one} />)}
        </ul>
      </section>
      {inviting && <Invite production={production} language={language} onClose={() => setInviting(false)} />}
    </div>
  );
}

function LinkRow({ production, link }: { production: Production; link: Link }) {
  const { t, i18n } = useTranslation();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const [code, setCode] = useState(false);
  const change = useMutation({
    mutationFn: (body: { withdrawn?: boolean; days?: number }) => data(api.PATCH("/api/productions/{production_id}/links/{link_id}/", { params: { path: { production_id: production.id, link_id: link.id } }, body })),
    onSettled: () => client.invalidateQueries({ queryKey: ["production", production.id, "links"] }),
    onError: (error) => say({ tone: "bad", text: error.message || t("common.unreachable") }),
  });
  const again = useMutation({
    mutationFn: ({ language, lines }: Link["changed"][number]) => data(api.POST("/api/productions/{production_id}/links/", {
      params: { path: { production_id: production.id } },
      body: { purpose: "review", name: link.name, languages: [language], lines, interface: link.interface as (typeof INTERFACES)[number], days: 14, passphrase: "", download: link.download, like: link.id },
    })),
    onSuccess: (made) => {
      void navigator.clipboard?.writeText(made.address).catch(() => undefined);
      say({ tone: "calm", text: t("links.made", { name: made.name }) });
      return client.invalidateQueries({ queryKey: ["production", production.id, "links"] });
    },
    onError: (error) => say({ tone: "bad", text: error.message || t("common.unreachable") }),
  });
  const when = new Intl.DateTimeFormat(i18n.language, { dateStyle: "medium" });
  return (
    <li className="py-2 flex items-center gap-4 text-sm">
      <span className="min-w-0 grow">
        <span className="font-semibold" dir="auto">{link.name}</span>{" "}
        <span className="text-soft">{link.purpose === "review" ? t("links.reviews") : t("links.listens")} · {link.languages.join(", ")}{link.lines.length ? ` · ${t("links.lines", { count: link.lines.length })}` : ""}{link.passphrase ? ` · ${t("links.withPassphrase")}` : ""}</span>
        <span className="block text-xs text-soft">
          {link.withdrawn ? t("links.withdrawn") : link.open ? t("links.until", { day: when.format(new Date(link.expires)) }) : t("links.expired", { day: when.format(new Date(link.expires)) })}
          {" · "}{link.opened ? t("links.opened", { day: when.format(new Date(link.opened)) }) : t("links.unopened")}
          {link.purpose === "review" && ` · ${t("links.remarks", { count: link.remarks })}`}
          {link.approved.length > 0 && ` · ${t("links.approved", { languages: link.approved.join(", ") })}`}
        </span>
        {link.changed.map((one) => (
          <span key={one.language} className="flex items-center gap-3 text-xs text-alarm">
            {one.lines.length ? t("links.changedLines", { count: one.lines.length, language: one.language }) : t("links.changed", { language: one.language })}
            {one.lines.length > 0 && <button type="button" className="underline decoration-dotted" disabled={again.isPending} onClick={() => again.mutate(one)}>{t("links.askAgain")}</button>}
          </span>
        ))}
      </span>
      {link.open && (
        <>
          <Button className="h-7!" onClick={() => void navigator.clipboard.writeText(link.address).then(() => say({ tone: "calm", text: t("links.copied") }), () => say({ tone: "calm", text: link.address }))}><Copy size={14} aria-hidden />{t("links.copy")}</Button>
          <IconButton name={t("links.code", { name: link.name })} onClick={() => setCode(true)}><QrCode size={15} aria-hidden /></IconButton>
          <Button className="h-7!" onClick={() => change.mutate({ withdrawn: true })}>{t("links.withdraw")}</Button>
        </>
      )}
      {!link.open && <Button className="h-7!" onClick={() => change.mutate({ withdrawn: false, days: 14 })}>{t("links.openAgain")}</Button>}
      {code && (
        <Sheet title={t("links.code", { name: link.name })} open onClose={() => setCode(false)}>
          <div className="p-5"><img className="mx-auto w-64 bg-white p-3 rounded-md" alt={link.address} src={`/api/productions/${production.id}/links/${link.id}/code.svg`} />
          <p className="text-xs break-all mt-3" dir="ltr">{link.address}</p></div>
        </Sheet>
      )}
    </li>
  );
}

function Invite({ production, language, onClose }: { production: Production; language: string; onClose: () => void }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const spoken = language.split("-")[0] as (typeof INTERFACES)[number];
  const [told, setTold] = useState({ name: "", purpose: "review" as Link["purpose"], languages: [language], interface: INTERFACES.includes(spoken) ? spoken : ("en" as const), days: 14, passphrase: "", download: false });
  const [first, setFirst] = useState(false);
  const make = useMutation({
    mutationFn: async () => {
      let lines: number[] = [];
      const [only] = told.languages;
      if (first && told.purpose === "review" && told.languages.length === 1 && only) {
        lines = (await data(api.GET("/api/productions/{production_id}/editions/{language}/quality/", { params: { path: { production_id: production.id, language: only } } }))).worst;
        if (!lines.length) throw new Error(t("links.noneFirst"));
      }
      return data(api.POST("/api/productions/{production_id}/links/", { params: { path: { production_id: production.id } }, body: { ...told, lines, name: told.name.trim() } }));
    },
    onSuccess: (made) => {
      onClose();
      void navigator.clipboard?.writeText(made.address).catch(() => undefined);
      say({ tone: "calm", text: t("links.made", { name: made.name }) });
      return client.invalidateQueries({ queryKey: ["production", production.id, "links"] });
    },
    onError: (error) => say({ tone: "bad", text: error.message || t("common.unreachable") }),
  });
  return (
    <Sheet title={t("links.new")} open onClose={onClose}>
      <form className="flex flex-col gap-3 text-sm p-5" onSubmit={(event) => { event.preventDefault(); make.mutate(); }}>
        <label><span className="block mb-1">{t("links.for")}</span><input className={FIELD} dir="auto" required maxLength={120} value={told.name} onChange={(event) => setTold({ ...told, name: event.target.value })} /></label>
        <label><span className="block mb-1">{t("links.purpose")}</span>
          <Select className="w-full" value={told.purpose} onChange={(event) => setTold({ ...told, purpose: event.target.value as Link["purpose"] })}>
            <option value="review">{t("links.reviews")}</option>
            <option value="listen">{t("links.listens")}</option>
          </Select>
        </label>
        <fieldset><legend className="mb-1">{t("links.editions")}</legend>
          <div className="flex flex-wrap gap-x-5 gap-y-1">
            {production.editions.map((one) => <Tick key={one.language} label={one.own_name} checked={told.languages.includes(one.language)} onChange={(on) => setTold({ ...told, languages: production.editions.map((other) => other.language).filter((other) => (other === one.language ? on : told.languages.includes(other))) })} />)}
          </div>
        </fieldset>
        <div className="grid grid-cols-2 gap-3">
          <label><span className="block mb-1">{t("links.interface")}</span>
            <Select className="w-full" value={told.interface} onChange={(event) => setTold({ ...told, interface: event.target.value as (typeof INTERFACES)[number] })}>
              {INTERFACES.map((one) => <option key={one} value={one}>{new Intl.DisplayNames([one], { type: "language" }).of(one)}</option>)}
            </Select>
          </label>
          <label><span className="block mb-1">{t("links.days")}</span><input type="number" className={FIELD} min={1} max={365} value={told.days} onChange={(event) => setTold({ ...told, days: Number(event.target.value) })} /></label>
        </div>
        <label><span className="block mb-1">{t("links.passphrase")}</span><input className={FIELD} dir="auto" maxLength={100} autoComplete="off" value={told.passphrase} onChange={(event) => setTold({ ...told, passphrase: event.target.value })} /></label>
        {told.purpose === "review" && <Tick label={t("links.first")} checked={first && told.languages.length === 1} disabled={told.languages.length !== 1} onChange={setFirst} />}
        {told.purpose === "listen" && <Tick label={t("links.download")} checked={told.download} onChange={(download) => setTold({ ...told, download })} />}
        <Button look="main" type="submit" className="self-end" disabled={!told.name.trim() || !told.languages.length || make.isPending}>{t("links.make")}</Button>
      </form>
    </Sheet>
  );
}
