import { useQuery } from "@tanstack/react-query";
import { useTranslation } from "react-i18next";

import { api, data, type Edition, type Production } from "../../shared/api/client";
import { useChange } from "../../shared/api/queries";
import { useNotices } from "../../shared/notices";
import { Tip } from "../../shared/ui/controls";

const CHOICES = ["natives", "rich"] as const;
const percent = (share: number) => Math.floor(100 * share);

/** Where no rich voice is at home in a language: who is cast, how they are understood, and the one choice between light natives and rich voices with an accent. */
export function Homes({ production, edition }: { production: Production; edition: Edition }) {
  const { t } = useTranslation();
  const say = useNotices((state) => state.say);
  const path = { params: { path: { production_id: production.id, language: edition.language } } };
  const asked = useQuery({
    queryKey: ["production", production.id, "castings", edition.language, "homes"],
    queryFn: () => data(api.GET("/api/productions/{production_id}/editions/{language}/homes/", path)),
  });
  const choose = useChange(production.id, (cast_from: (typeof CHOICES)[number]) =>
    data(api.PUT("/api/productions/{production_id}/editions/{language}/homes/", { ...path, body: { cast_from } })), "homes");
  const homes = asked.data;
  if (!homes?.asked) return null;
  const { strangers, light } = homes;
  const current = choose.isPending ? choose.variables : homes.cast_from;
  const what = {
    natives: homes.natives_heard
      ? t("cast.homes.nativesHeard", { count: homes.natives, percent: percent(homes.natives_heard.understood) })
      : t("cast.homes.nativesUnheard", { count: homes.natives }),
    rich: homes.rich_heard && homes.rich
      ? t("cast.homes.richHeard", { count: homes.rich, percent: percent(homes.rich_heard.understood) })
      : t("cast.homes.richFew"),
  };
  return (
    <section aria-label={t("cast.homes.which")} className="sticky start-4 ms-4 me-2 mb-3 max-w-2xl rounded-md border border-rule bg-paper p-3 flex flex-wrap items-center gap-x-4 gap-y-2 text-sm">
      <p className="grow basis-64">
        {t("cast.homes.none", { language: edition.name })}{" "}
        {strangers.count > 0 && t("cast.homes.strangers", { count: strangers.count, homes: strangers.homes.join(", ") })}{" "}
        {strangers.count > 0 && strangers.heard && t("cast.homes.strangersHeard", { percent: percent(strangers.heard.understood), taken: percent(strangers.heard.taken_for_it), language: edition.name })}{" "}
        {light > 0 && t("cast.homes.light", { count: light })}
      </p>
      <div role="group" aria-label={t("cast.homes.which")} className="flex rounded-md border border-rule p-0.5">
        {CHOICES.map((one) => (
          <Tip key={one} text={what[one]}>
            <button
              type="button"
              aria-pressed={current === one}
              disabled={production.role === "reader"}
              className={`px-3 h-8 rounded-sm ${current === one ? "bg-tide-wash font-semibold" : "text-soft hover:text-ink"}`}
              onClick={() => choose.mutate(one, { onError: (error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) })}
            >
              {t(`cast.homes.${one}`)}
            </button>
          </Tip>
        ))}
      </div>
    </section>
  );
}
