import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { useTranslation } from "react-i18next";

import { api, data, type Production } from "../shared/api/client";
import { useLanguages } from "../shared/api/queries";
import { FIELD, Notice, Sheet } from "../shared/ui/controls";
import { usePlace } from "../shared/place";

/** Choose a language by any of its names and add the production in it. */
export function AddEdition({ production, open, onClose }: { production: Production; open: boolean; onClose: () => void }) {
  const { t } = useTranslation();
  const place = usePlace();
  const client = useQueryClient();
  const languages = useLanguages().data;
  const [wanted, setWanted] = useState("");
  const has = new Set(production.editions.map((edition) => edition.language));
  const found = useMemo(() => {
    const text = wanted.trim().toLocaleLowerCase();
    return (languages ?? [])
      .filter((one) => `${one.name} ${one.own_name} ${one.tag}`.toLocaleLowerCase().includes(text))
      .slice(0, 60);
  }, [languages, wanted]);
  const add = useMutation({
    mutationFn: (language: string) =>
      data(
        api.POST("/api/productions/{production_id}/editions/", {
          params: { path: { production_id: production.id } },
          body: { language },
        }),
      ),
    onSuccess: async (edition) => {
      await client.invalidateQueries({ queryKey: ["production", production.id] });
      onClose();
      setWanted("");
      place.go({ language: edition.language, stage: "adapt" });
    },
  });
  return (
    <Sheet title={t("frame.addEdition")} open={open} onClose={onClose}>
      <form
        className="p-5 flex flex-col gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          const first = found.find((one) => !has.has(one.tag));
          if (wanted.trim()) add.mutate(first?.tag ?? wanted);
        }}
      >
        <label className="text-sm font-semibold" htmlFor="language">{t("frame.language")}</label>
        <input
          id="language"
          className={FIELD}
          autoFocus
          autoComplete="off"
          placeholder={t("frame.languageHint")}
          value={wanted}
          onChange={(event) => setWanted(event.target.value)}
        />
        {add.error && <Notice tone="bad">{add.error.message}</Notice>}
        <ul className="h-80 overflow-auto border border-rule rounded-md bg-paper" aria-label={t("frame.languages")}>
          {found.map((one) => (
            <li key={one.tag}>
              <button
                type="button"
                disabled={has.has(one.tag) || add.isPending}
                className="w-full flex items-baseline gap-2 px-3 py-1.5 text-start hover:bg-tide-wash disabled:opacity-50"
                onClick={() => add.mutate(one.tag)}
              >
                <span lang={one.tag} dir={one.direction}>{one.own_name}</span>
                <span className="text-xs text-soft">{one.name}</span>
                <span className="text-xs text-soft ms-auto">
                  {has.has(one.tag) ? t("frame.there") : t("frame.voices", { count: one.voices })}
                </span>
              </button>
            </li>
          ))}
          {!found.length && <li className="p-3 text-sm text-soft">{t("frame.noLanguage", { wanted })}</li>}
        </ul>
      </form>
    </Sheet>
  );
}
