import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Archive, ArchiveRestore, Copy, FilePlus2, LogOut, MoreHorizontal, Pencil, Search, Trash2, Undo2 } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";

import { ThemeButton, Wordmark } from "../frame/TopBar";
import { useNotices } from "../shared/notices";
import { lastPlace } from "../shared/place";
import { api, data, type Schemas } from "../shared/api/client";
import { useProductions } from "../shared/api/queries";
import { Button, Empty, FIELD, IconButton, Notice, Select, Sheet, Tick } from "../shared/ui/controls";
import { ImportSheet } from "./ImportSheet";

type Listed = Schemas["ProductionListed"];
const ORDERS = ["changed", "created", "name"] as const;
const SHOWN = ["current", "archived", "deleted"] as const;
const ITEM = "flex items-center gap-2 px-2 py-1 rounded-sm text-sm data-highlighted:bg-tide-wash outline-none cursor-default";

/** Every production: how each edition of it stands, and on from where one left. */
export function Productions({ username }: { username: string }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const productions = useProductions();
  const [importing, setImporting] = useState(false);
  const [wanted, setWanted] = useState("");
  const [order, setOrder] = useState<(typeof ORDERS)[number]>("changed");
  const [kind, setKind] = useState<(typeof SHOWN)[number]>("current");
  const deleted = useQuery({
    queryKey: ["productions", "deleted"],
    queryFn: () => data(api.GET("/api/productions/", { params: { query: { deleted: true } } })),
  });
  const all = productions.data ?? [];
  const text = wanted.trim().toLocaleLowerCase();
  const found = (kind === "deleted" ? (deleted.data ?? []) : all.filter((one) => one.archived === (kind === "archived")))
    .filter((one) => !text || one.name.toLocaleLowerCase().includes(text) || one.languages.some((language) => `${language.name} ${language.own_name}`.toLocaleLowerCase().includes(text)))
    .sort((a, b) => (order === "name" ? a.name.localeCompare(b.name) : a[order] < b[order] ? 1 : -1));
  const archived = all.filter((one) => one.archived).length;
  const count = { current: all.length - archived, archived, deleted: deleted.data?.length ?? 0 };
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
          {(all.length > 1 || count.deleted > 0) && (
            <div className="flex flex-wrap items-center gap-2">
              <span className="relative grow max-w-80">
                <Search size={14} aria-hidden className="absolute start-2.5 top-2 text-soft" />
                <input type="search" aria-label={t("productions.search")} placeholder={t("productions.search")} className={`${FIELD} ps-8! h-8`} value={wanted} onChange={(event) => setWanted(event.target.value)} />
              </span>
              <Select aria-label={t("productions.order")} value={order} onChange={(event) => setOrder(event.target.value as typeof order)}>
                {ORDERS.map((one) => <option key={one} value={one}>{t(`productions.orders.${one}`)}</option>)}
              </Select>
              {(archived > 0 || count.deleted > 0 || kind !== "current") && (
                <Select aria-label={t("productions.which")} value={kind} onChange={(event) => setKind(event.target.value as typeof kind)}>
                  {SHOWN.map((one) => <option key={one} value={one}>{`${t(`productions.kinds.${one}`)} (${count[one]})`}</option>)}
                </Select>
              )}
            </div>
          )}
          {productions.error && <Notice tone="bad">{productions.error.message || t("common.unreachable")}</Notice>}
          {productions.data?.length === 0 && kind === "current" && (
            <Empty title={t("productions.none")}>
              <p>{t("productions.first")}</p>
              <Button look="main" onClick={() => setImporting(true)}>{t("productions.new")}</Button>
            </Empty>
          )}
          {kind === "deleted" && <p className="text-sm text-soft">{t("productions.deletedHint")}</p>}
          {all.length > 0 && !found.length && <p className="text-soft">{t("productions.noneFound")}</p>}
          <ul className="flex flex-col gap-2">
            {found.map((production) => (
              <Card key={production.id} production={production} />
            ))}
          </ul>
        </div>
      </main>
      <ImportSheet open={importing} onClose={() => setImporting(false)} />
    </div>
  );
}

function Card({ production }: { production: Listed }) {
  const { t, i18n } = useTranslation();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const [doing, setDoing] = useState<"rename" | "duplicate" | "delete" | null>(null);
  const again = () => client.invalidateQueries({ queryKey: ["productions"] });
  const tell = (error: Error) => say({ tone: "bad", text: error.message || t("common.unreachable") });
  const params = { params: { path: { production_id: production.id } } };
  const change = useMutation({
    mutationFn: (body: Schemas["PatchedProductionChangeRequest"]) => data(api.PATCH("/api/productions/{production_id}/", { ...params, body })),
    onSuccess: again,
    onError: tell,
  });
  const bringBack = useMutation({ mutationFn: () => data(api.POST("/api/productions/{production_id}/bring-back/", params)), onSuccess: again, onError: tell });
  const remove = useMutation({
    mutationFn: () => data(api.DELETE("/api/productions/{production_id}/", params)),
    onSuccess: () => {
      setDoing(null);
      void again();
      say({ tone: "calm", text: t("productions.deleted", { name: production.name }), action: { label: t("productions.bringBack"), act: () => bringBack.mutate() } });
    },
    onError: tell,
  });
  const when = new Intl.DateTimeFormat(i18n.language, { day: "numeric", month: "short", year: "numeric" });
  const left = lastPlace(production.id);
  const gone = production.deleted !== null;
  const heading = <span className="text-lg font-semibold break-words min-w-0">{production.name}</span>;
  return (
    <li className="bg-paper border border-rule rounded-lg px-5 py-4 hover:border-tide relative">
      <div className="flex items-baseline gap-3">
        {gone ? heading : (
          // The whole card is its link; what else can be pressed lies over it.
          <Link to={left ?? `/productions/${production.id}`} className="min-w-0 after:absolute after:inset-0 after:rounded-lg" aria-label={production.name}>{heading}</Link>
        )}
        <span className="text-sm text-soft ms-auto whitespace-nowrap">
          {t("productions.lines", { count: production.lines })} · {t("productions.speakers", { count: production.speakers })}
        </span>
        {gone ? (
          <Button className="relative" onClick={() => bringBack.mutate()}><Undo2 size={15} aria-hidden />{t("productions.bringBack")}</Button>
        ) : (
          <DropdownMenu.Root>
            <DropdownMenu.Trigger asChild>
              <button type="button" aria-label={t("productions.more", { name: production.name })} className="relative inline-grid place-items-center size-8 -my-2 rounded-md hover:bg-sunk"><MoreHorizontal size={17} aria-hidden /></button>
            </DropdownMenu.Trigger>
            <DropdownMenu.Portal>
              <DropdownMenu.Content align="end" className="z-40 bg-paper border border-rule rounded-md shadow-xl p-1 min-w-48">
                {production.role !== "reader" && <DropdownMenu.Item className={ITEM} onSelect={() => setDoing("rename")}><Pencil size={14} aria-hidden />{t("productions.rename")}</DropdownMenu.Item>}
                <DropdownMenu.Item className={ITEM} onSelect={() => setDoing("duplicate")}><Copy size={14} aria-hidden />{t("productions.duplicate")}</DropdownMenu.Item>
                {production.role !== "reader" && (
                  <DropdownMenu.Item className={ITEM} onSelect={() => change.mutate({ archived: !production.archived })}>
                    {production.archived ? <ArchiveRestore size={14} aria-hidden /> : <Archive size={14} aria-hidden />}
                    {production.archived ? t("productions.unarchive") : t("productions.archive")}
                  </DropdownMenu.Item>
                )}
                {production.role === "owner" && <DropdownMenu.Item className={ITEM} onSelect={() => setDoing("delete")}><Trash2 size={14} aria-hidden />{t("productions.delete")}</DropdownMenu.Item>}
              </DropdownMenu.Content>
            </DropdownMenu.Portal>
          </DropdownMenu.Root>
        )}
      </div>
      <p className="text-xs text-soft mt-0.5">
        {[
          t("productions.changed", { when: when.format(new Date(production.changed)) }),
          production.by ? t("productions.madeBy", { who: production.by, when: when.format(new Date(production.created)) }) : "",
          gone && production.deleted ? t("productions.deletedOn", { when: when.format(new Date(production.deleted)) }) : "",
        ].filter(Boolean).join(" · ")}
      </p>
      <ul className="mt-2.5 grid grid-cols-[repeat(auto-fill,minmax(15rem,1fr))] gap-x-5 gap-y-1.5">
        {production.languages.map((language) => (
          <Stands key={language.tag} language={language} lines={production.lines} />
        ))}
      </ul>
      <Doing production={production} what={doing} onDone={() => setDoing(null)} onRename={(name) => change.mutate({ name })} onDelete={() => remove.mutate()} />
    </li>
  );
}

/** One edition: how much of it has words, and how much has been voiced. */
function Stands({ language, lines }: { language: Listed["languages"][number]; lines: number }) {
  const { t } = useTranslation();
  const share = (count: number) => `${lines ? Math.min(100, (100 * count) / lines) : 0}%`;
  return (
    <li className="min-w-0 text-sm">
      <span className="flex items-baseline gap-2">
        <span className="truncate" lang={language.tag} dir={language.direction}>{language.own_name}</span>
        <span className="ms-auto text-xs text-soft tabular-nums whitespace-nowrap">{t("productions.voicedOf", { worded: language.worded, done: language.voiced, total: lines })}</span>
      </span>
      <span
        role="img"
        aria-label={t("productions.stands", { worded: language.worded, approved: language.approved, voiced: language.voiced, total: lines })}
        className="relative block h-1.5 rounded-full bg-sunk overflow-hidden"
      >
        <span className="absolute inset-y-0 start-0 bg-tide/35" style={{ width: share(language.worded) }} />
        <span className="absolute inset-y-0 start-0 bg-tide" style={{ width: share(language.voiced) }} />
      </span>
      {language.drafts > 0 && <span className="text-xs text-soft">{t("productions.drafts", { count: language.drafts })}</span>}
    </li>
  );
}

function Doing({ production, what, onDone, onRename, onDelete }: {
  production: Listed; what: "rename" | "duplicate" | "delete" | null; onDone: () => void; onRename: (name: string) => void; onDelete: () => void;
}) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const [name, setName] = useState<string | null>(null);
  const [takes, setTakes] = useState(true);
  const copy = useMutation({
    mutationFn: (called: string) =>
      data(api.POST("/api/productions/{production_id}/duplicate/", { params: { path: { production_id: production.id } }, body: { name: called, with_takes: takes } })),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["productions"] });
      done();
    },
    onError: (error) => say({ tone: "bad", text: error.message || t("common.unreachable") }),
  });
  function done() {
    setName(null);
    onDone();
  }
  const shown = name ?? (what === "duplicate" ? t("productions.copyOf", { name: production.name }) : production.name);
  return (
    <>
      <Sheet title={what === "duplicate" ? t("productions.duplicate") : t("productions.rename")} open={what === "rename" || what === "duplicate"} onClose={done}>
        <form
          className="p-5 flex flex-col gap-3"
          onSubmit={(event) => {
            event.preventDefault();
            if (!shown.trim()) return;
            if (what === "duplicate") copy.mutate(shown.trim());
            else {
              onRename(shown.trim());
              done();
            }
          }}
        >
          <label className="text-sm font-semibold" htmlFor={`name-${production.id}`}>{t("import.name")}</label>
          <input id={`name-${production.id}`} className={FIELD} autoFocus maxLength={200} value={shown} onChange={(event) => setName(event.target.value)} onFocus={(event) => event.target.select()} />
          {what === "duplicate" && <Tick label={t("productions.withTakes")} checked={takes} onChange={setTakes} />}
          <Button look="main" type="submit" className="self-end" disabled={copy.isPending}>{what === "duplicate" ? t("productions.duplicate") : t("productions.rename")}</Button>
        </form>
      </Sheet>
      <Sheet title={t("productions.delete")} open={what === "delete"} onClose={done}>
        <div className="p-5 flex flex-col gap-4 text-sm">
          <p>{t("productions.deleteWhat", { name: production.name })}</p>
          <Button look="danger" className="self-end" onClick={onDelete}>{t("productions.deleteThis")}</Button>
        </div>
      </Sheet>
    </>
  );
}
