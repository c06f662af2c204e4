import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Copy, Trash2 } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { useNavigate } from "react-router";

import { api, data, type Production, type Schemas } from "../shared/api/client";
import { useChange, useLanguages } from "../shared/api/queries";
import { decibels } from "../shared/format";
import { Button, FIELD, IconButton, Select, Sheet, Tick } from "../shared/ui/controls";
import { SourceMediaButton } from "../shared/SourceMediaButton";
import { usePlace } from "../shared/place";
import { useNotices } from "../shared/notices";

const TARGETS = [-16, -23] as const;
const RATES = [23.976, 24, 25, 29.97, 30, 48, 50, 59.94, 60];

/** Everything that is set for a production as a whole, and its editions, in one place. */
export function ProductionSettings({ production, open, onClose }: { production: Production; open: boolean; onClose: () => void }) {
  const { t } = useTranslation();
  const navigate = useNavigate();
  const client = useQueryClient();
  const place = usePlace();
  const say = useNotices((state) => state.say);
  const [name, setName] = useState<string | null>(null);
  const [sure, setSure] = useState<string | null>(null);
  const readOnly = production.role === "reader";
  const path = { params: { path: { production_id: production.id } } };
  const tell = { onError: (error: Error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) };
  const change = useChange(production.id, (body: Schemas["PatchedProductionChangeRequest"]) => data(api.PATCH("/api/productions/{production_id}/", { ...path, body })));
  const remove = useMutation({
    mutationFn: (language: string) => {
      // Gone from there before it is out: nothing asks for it any more.
      if (place.language === language) place.go({ language: production.source_language });
      return data(api.DELETE("/api/productions/{production_id}/editions/{language}/removal/", { params: { path: { production_id: production.id, language } } }));
    },
    onSuccess: async () => {
      setSure(null);
      await client.invalidateQueries({ queryKey: ["production", production.id] });
      say({ tone: "calm", text: t("settings.editionOut") });
    },
    ...tell,
  });
  const away = useMutation({
    mutationFn: () => data(api.DELETE("/api/productions/{production_id}/", path)),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["productions"] });
      say({ tone: "calm", text: t("productions.deleted", { name: production.name }) });
      navigate("/");
    },
    ...tell,
  });
  function keep() {
    if (name !== null && name.trim() && name.trim() !== production.name) change.mutate({ name: name.trim() }, tell);
    setName(null);
  }
  return (
    <Sheet title={t("settings.title")} open={open} onClose={onClose}>
      <div className="p-5 flex flex-col gap-5 text-sm">
        <div className="grid grid-cols-[9rem_1fr] items-center gap-x-3 gap-y-3">
          <label htmlFor="settings-name" className="font-semibold">{t("settings.name")}</label>
          <input id="settings-name" className={FIELD} maxLength={200} readOnly={readOnly} value={name ?? production.name} onChange={(event) => setName(event.target.value)} onBlur={keep} onKeyDown={(event) => event.key === "Enter" && keep()} />
          <label htmlFor="settings-target" className="font-semibold">{t("mix.target")}</label>
          <Select id="settings-target" disabled={readOnly} value={String(production.target_lufs)} onChange={(event) => change.mutate({ target_lufs: Number(event.target.value) }, tell)}>
            {TARGETS.map((one) => <option key={one} value={one}>{`${decibels(one)} LUFS · ${t(`mix.target_${-one}`)}`}</option>)}
          </Select>
          <label htmlFor="settings-fps" className="font-semibold">{t("settings.fps")}</label>
          <Select id="settings-fps" disabled={readOnly} value={String(production.fps)} onChange={(event) => change.mutate({ fps: Number(event.target.value) }, tell)}>
            {[...new Set([...RATES, production.fps])].sort((a, b) => a - b).map((one) => <option key={one} value={one}>{one}</option>)}
          </Select>
          <span className="font-semibold">{t("settings.recording")}</span>
          <SourceMediaButton production={production.id} readOnly={readOnly} />
          <span className="font-semibold">{t("settings.rights")}</span>
          <Tick label={t("cast.commercial")} checked={production.commercial} disabled={readOnly} onChange={(commercial) => change.mutate({ commercial }, tell)} />
        </div>
        <section aria-label={t("frame.editions")}>
          <h3 className="font-semibold pb-1">{t("frame.editions")}</h3>
          <ul className="border border-rule rounded-md bg-paper divide-y divide-rule">
            {production.editions.map((edition) => (
              <li key={edition.language} className="px-3 py-1 flex items-center gap-2">
                <span className="grow min-w-0 truncate"><span lang={edition.language}>{edition.own_name}</span> {edition.name !== edition.own_name && <span className="text-soft text-xs">{edition.name}</span>}</span>
                {edition.is_source && <span className="text-xs text-soft">{t("frame.source")}</span>}
                {!readOnly && <Duplicate production={production} language={edition.language} name={edition.name} />}
                {!readOnly && !edition.is_source && (
                  <IconButton name={t("settings.removeEdition", { language: edition.name })} onClick={() => setSure(edition.language)}><Trash2 size={14} aria-hidden /></IconButton>
                )}
                {sure === edition.language && <Button look="danger" onClick={() => remove.mutate(edition.language)}>{t("settings.removeSure")}</Button>}
              </li>
            ))}
          </ul>
        </section>
        {!readOnly && (
          <div className="flex flex-wrap items-center gap-2 border-t border-rule pt-4">
            <Tick label={t("settings.archived")} checked={production.archived} onChange={(archived) => change.mutate({ archived }, { ...tell, onSuccess: () => void client.invalidateQueries({ queryKey: ["productions"] }) })} className="me-auto" />
            {production.role === "owner" && (sure === "" ? (
              <Button look="danger" onClick={() => away.mutate()}>{t("settings.deleteSure")}</Button>
            ) : (
              <Button onClick={() => setSure("")}>{t("settings.delete")}</Button>
            ))}
          </div>
        )}
      </div>
    </Sheet>
  );
}

/** An edition again in another language, its cast and timing with it. */
function Duplicate({ production, language, name }: { production: Production; language: string; name: string }) {
  const { t } = useTranslation();
  const say = useNotices((state) => state.say);
  const languages = useLanguages().data ?? [];
  const place = usePlace();
  const [asking, setAsking] = useState(false);
  const copy = useChange(production.id, async (to: string) => {
    const made = await data(api.POST("/api/productions/{production_id}/editions/", { params: { path: { production_id: production.id } }, body: { language: to, like: language } }));
    setAsking(false);
    say({ tone: "calm", text: t("settings.duplicated", { language: made.name }) });
    return made;
  });
  if (!asking) return <IconButton name={t("settings.duplicateEdition", { language: name })} onClick={() => setAsking(true)}><Copy size={14} aria-hidden /></IconButton>;
  const has = new Set(production.editions.map((one) => one.language));
  const base = language.split("-")[0];
  // The same language elsewhere is what is wanted most.
  const offered = languages.filter((one) => !has.has(one.tag)).sort((a, b) => Number(b.tag.split("-")[0] === base) - Number(a.tag.split("-")[0] === base));
  return (
    <Select
      autoFocus
      aria-label={t("settings.duplicateTo", { language: name })}
      className="w-44"
      value=""
      disabled={copy.isPending}
      onChange={(event) => copy.mutate(event.target.value, {
        onSuccess: (made) => place.go({ language: (made as { language: string }).language, stage: "adapt" }),
        onError: (error) => say({ tone: "bad", text: error.message || t("common.unreachable") }),
      })}
    >
      <option value="">{t("settings.chooseLanguage")}</option>
      {offered.map((one) => <option key={one.tag} value={one.tag}>{one.name}</option>)}
    </Select>
  );
}
