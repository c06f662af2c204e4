import { Tabs } from "radix-ui";
import { Moon, Plus, Sun } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";

import type { Edition, Production } from "../shared/api/client";
import { Button, IconButton, Tip } from "../shared/ui/controls";
import { AddEdition } from "./AddEdition";
import { MainAction } from "./MainAction";
import { usePlace } from "../shared/place";
import { useTheme } from "./theme";

export function Wordmark() {
  return (
    <Link to="/" className="flex items-center gap-2 font-semibold text-lg shrink-0">
      <img src="/mark.svg" alt="" width={24} height={24} className="rounded-sm border border-quay-soft/30" />
      <span>Janoglot</span>
    </Link>
  );
}

export function ThemeButton({ onQuay = false }: { onQuay?: boolean }) {
  const { t } = useTranslation();
  const { theme, toggle } = useTheme();
  return (
    <IconButton name={theme === "dark" ? t("frame.light") : t("frame.dark")} className={onQuay ? "hover:bg-white/10" : ""} onClick={toggle}>
      {theme === "dark" ? <Sun size={16} aria-hidden /> : <Moon size={16} aria-hidden />}
    </IconButton>
  );
}

function voiced(edition: Edition): number {
  const said = edition.counts.lines - edition.counts.empty - edition.counts.on_screen;
  return said ? Math.floor((100 * edition.counts.current) / said) : 0;
}

export function TopBar({ production }: { production: Production }) {
  const { t } = useTranslation();
  const place = usePlace();
  const [adding, setAdding] = useState(false);
  const mayChange = production.role !== "reader";
  const tabs = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const box = tabs.current;
    if (!box) return;
    // The edition that is worked at stays in sight, whatever stands beside it.
    const show = () => box.querySelector("[aria-selected=true]")?.scrollIntoView({ block: "nearest", inline: "nearest" });
    show();
    const seen = new ResizeObserver(show);
    seen.observe(box);
    return () => seen.disconnect();
  }, [place.language]);
  return (
    <header className="on-quay bg-quay text-quay-ink h-12 shrink-0 flex items-center gap-3 px-4">
      <Wordmark />
      <h1 className="truncate text-sm text-quay-soft max-w-48 shrink-0" title={production.name}>{production.name}</h1>
      <Tabs.Root
        value={place.language}
        onValueChange={(language) => place.go({ language })}
        activationMode="manual"
        className="min-w-0 grow flex justify-end"
      >
        <Tabs.List ref={tabs} aria-label={t("frame.editions")} className="flex min-w-0 overflow-x-auto [scrollbar-width:none] gap-0.5">
          {production.editions.map((edition) => (
            <Tip key={edition.language} text={`${edition.name}: ${t("frame.voiced", { percent: voiced(edition) })}${edition.is_source ? "" : `, ${t("frame.readAndApproved", { approved: edition.counts.approved, drafts: edition.counts.drafts })}`}`}>
              <Tabs.Trigger
                value={edition.language}
                // The tabs change the whole work below, which is no panel of Radix's own.
                aria-controls="work"
                lang={edition.language}
                className="shrink-0 h-12 px-2.5 text-sm border-b-2 border-transparent text-quay-soft aria-selected:border-lamp aria-selected:text-quay-ink aria-selected:font-semibold hover:text-quay-ink flex items-center gap-1.5"
              >
                {edition.own_name.replace(/\s*[（(].*[）)]$/, (place_) => (siblings(production, edition) ? place_ : ""))}
                <span className="text-2xs font-normal text-quay-soft" lang="en">
                  {edition.is_source ? t("frame.source") : production.brief ? "…" : `${voiced(edition)} %`}
                  {!edition.is_source && !production.brief && edition.counts.drafts > 0 && <span className="ms-1 text-lamp">{t("frame.unread", { count: edition.counts.drafts })}</span>}
                </span>
              </Tabs.Trigger>
            </Tip>
          ))}
        </Tabs.List>
      </Tabs.Root>
      {mayChange && (
        <IconButton name={t("frame.addEdition")} className="hover:bg-white/10" onClick={() => setAdding(true)}>
          <Plus size={17} aria-hidden />
        </IconButton>
      )}
      {mayChange ? <MainAction production={production} /> : <Button look="quay" disabled>{t("frame.reading")}</Button>}
      <AddEdition production={production} open={adding} onClose={() => setAdding(false)} />
    </header>
  );
}

/** Whether another edition is in the same language, so that the place must be said to tell them apart. */
function siblings(production: Production, edition: Edition): boolean {
  const language = edition.language.split("-")[0];
  return edition.language.includes("-") && production.editions.some(
    (other) => other !== edition && other.language.split("-")[0] === language,
  ) || ["es", "pt"].includes(language ?? "");
}
