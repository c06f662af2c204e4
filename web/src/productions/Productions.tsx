import { useQueryClient } from "@tanstack/react-query";
import { FilePlus2, LogOut } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";

import { ThemeButton, Wordmark } from "../frame/TopBar";
import { api } from "../shared/api/client";
import { useProductions } from "../shared/api/queries";
import { Button, Empty, IconButton, Notice } from "../shared/ui/controls";
import { ImportSheet } from "./ImportSheet";

export function Productions({ username }: { username: string }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const productions = useProductions();
  const [importing, setImporting] = useState(false);
  return (
    <div className="h-full flex flex-col">
      <header className="on-quay bg-quay text-quay-ink h-12 shrink-0 flex items-center gap-3 px-4">
        <Wordmark />
        <span className="grow" />
        <span className="text-sm text-quay-soft">{username}</span>
        <ThemeButton onQuay />
        <IconButton
          name={t("signIn.leave")}
          className="hover:bg-white/10"
          onClick={() => void api.DELETE("/api/session/").then(() => client.resetQueries())}
        >
          <LogOut size={16} aria-hidden />
        </IconButton>
      </header>
      <main className="grow min-h-0 overflow-auto">
        <div className="max-w-5xl mx-auto p-6 flex flex-col gap-4">
          <div className="flex items-center gap-3">
            <h1 className="text-xl font-semibold grow">{t("productions.title")}</h1>
            <Button look="main" onClick={() => setImporting(true)}>
              <FilePlus2 size={16} aria-hidden />
              {t("productions.new")}
            </Button>
          </div>
          {productions.error && <Notice tone="bad">{productions.error.message || t("common.unreachable")}</Notice>}
          {productions.data?.length === 0 && (
            <Empty title={t("productions.none")}>
              <p>{t("productions.first")}</p>
              <Button look="main" onClick={() => setImporting(true)}>{t("productions.new")}</Button>
            </Empty>
          )}
          <ul className="flex flex-col gap-2">
            {productions.data?.map((production) => (
              <li key={production.id}>
                <Link
                  to={`/productions/${production.id}`}
                  className="block bg-paper border border-rule rounded-lg px-5 py-4 hover:border-tide"
                >
                  <span className="flex items-baseline gap-3">
                    <span className="text-lg font-semibold break-words min-w-0">{production.name}</span>
                    <span className="text-sm text-soft ms-auto whitespace-nowrap">
                      {t("productions.lines", { count: production.lines })} · {t("productions.speakers", { count: production.speakers })}
                    </span>
                  </span>
                  <span className="flex flex-wrap gap-x-4 gap-y-1 mt-1.5 text-sm text-soft">
                    {production.languages.map((language) => (
                      <span key={language.tag} lang={language.tag} dir={language.direction}>{language.own_name}</span>
                    ))}
                  </span>
                </Link>
              </li>
            ))}
          </ul>
        </div>
      </main>
      <ImportSheet open={importing} onClose={() => setImporting(false)} />
    </div>
  );
}
