import { Check, Layers2 } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useTranslation } from "react-i18next";

import type { Production } from "../shared/api/client";
import { usePlayer } from "../shared/player";

const ITEM = "flex items-center gap-2 px-2 py-1 rounded-sm text-sm data-highlighted:bg-tide-wash data-disabled:text-soft outline-none cursor-default";
const MARK = "w-4 shrink-0 grid place-items-center";

/** Which editions are heard together, and which of them alone. */
export function HeardMenu({ production, open, inside, alone }: {
  production: Production;
  /** The language that is open: it is always among them. */
  open: string;
  /** All that are heard together now. */
  inside: readonly string[];
  alone: string | null;
}) {
  const { t } = useTranslation();
  const { besides, setBesides, setAlone } = usePlayer();
  const voiced = production.editions.filter((edition) => edition.language !== open && edition.counts.current > 0);
  if (!voiced.length) return null;
  const names = new Map(production.editions.map((edition) => [edition.language, edition.own_name]));
  const stay = (event: Event) => event.preventDefault();
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        aria-label={inside.length > 1 ? t("transport.togetherCount", { count: inside.length }) : t("transport.together")}
        className="h-7 px-1.5 -ms-1.5 shrink-0 flex items-center gap-1 rounded-md text-xs hover:bg-white/10"
      >
        <Layers2 size={15} aria-hidden />
        {inside.length > 1 && <b>{inside.length}</b>}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content side="top" align="start" sideOffset={6} className="z-40 bg-paper text-ink border border-rule rounded-md shadow-xl p-1 min-w-56 max-h-[70vh] overflow-auto">
          <DropdownMenu.Label className="px-2 py-1 text-xs text-soft">{t("transport.together")}</DropdownMenu.Label>
          <DropdownMenu.CheckboxItem checked disabled className={ITEM}>
            <span className={MARK}><Check size={13} aria-hidden /></span>
            <span lang={open}>{names.get(open)}</span>
          </DropdownMenu.CheckboxItem>
          {voiced.map(({ language, own_name }) => (
            <DropdownMenu.CheckboxItem
              key={language}
              className={ITEM}
              checked={besides.includes(language)}
              onSelect={stay}
              onCheckedChange={(on) => setBesides(on ? [...besides, language] : besides.filter((one) => one !== language))}
            >
              <span className={MARK}><DropdownMenu.ItemIndicator><Check size={13} aria-hidden /></DropdownMenu.ItemIndicator></span>
              <span lang={language}>{own_name}</span>
            </DropdownMenu.CheckboxItem>
          ))}
          {inside.length > 1 && (
            <>
              <DropdownMenu.Separator className="my-1 border-t border-rule" />
              <DropdownMenu.Label className="px-2 py-1 text-xs text-soft">{t("transport.alone")}</DropdownMenu.Label>
              <DropdownMenu.RadioGroup value={alone ?? ""} onValueChange={(language) => setAlone(language || null)}>
                {["", ...inside].map((language) => (
                  <DropdownMenu.RadioItem key={language} value={language} className={ITEM} onSelect={stay}>
                    <span className={MARK}><DropdownMenu.ItemIndicator><Check size={13} aria-hidden /></DropdownMenu.ItemIndicator></span>
                    {language ? <span lang={language}>{t("transport.only", { language: names.get(language) })}</span> : t("transport.all")}
                  </DropdownMenu.RadioItem>
                ))}
              </DropdownMenu.RadioGroup>
            </>
          )}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
