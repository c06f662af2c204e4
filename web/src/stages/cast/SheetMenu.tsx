import { useMutation, useQueryClient } from "@tanstack/react-query";
import { FileDown, FileUp } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import { useNotices } from "../../shared/notices";
import { send, type Production, type Schemas } from "../../shared/api/client";
import { useProductions } from "../../shared/api/queries";
import { Button, Notice, Sheet, Tick } from "../../shared/ui/controls";

type Brought = Schemas["Brought"];

const ENDINGS = ["csv", "xlsx", "json"] as const;
const ITEM = "block px-2 py-1 rounded-sm text-sm data-highlighted:bg-tide-wash outline-none cursor-default";

/** The castings as a sheet: taken away, brought in, copied from another production. */
export function SheetMenu({ production }: { production: Production }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const file = useRef<HTMLInputElement>(null);
  const [problems, setProblems] = useState<Schemas["Problem"][]>([]);
  const others = (useProductions().data ?? []).filter((one) => one.id !== production.id);
  /** What is coming in, looked at before it is taken. */
  const [coming, setComing] = useState<{ from: File | number; rows: Brought["rows"] } | null>(null);
  const [taken, setTaken] = useState<ReadonlySet<number>>(new Set());
  const formOf = (from: File | number) => {
    const form = new FormData();
    if (typeof from === "number") form.set("production", String(from));
    else form.set("file", from);
    return form;
  };
  const tell = (error: Error) => say({ tone: "bad", text: error.message || t("common.unreachable") });
  const look = useMutation({
    mutationFn: (from: File | number) => {
      const form = formOf(from);
      form.set("apply", "false");
      return send<Brought>(`/api/productions/${production.id}/castings/`, form);
    },
    onSuccess: (found, from) => {
      setProblems(found.problems);
      // What was changed here too since it went out is nobody's to choose but theirs who look at it.
      setTaken(new Set(found.rows.filter((row) => row.what !== "changed_here").map((row) => row.row)));
      setComing({ from, rows: found.rows });
    },
    onError: tell,
  });
  const bring = useMutation({
    mutationFn: (from: File | number) => {
      const form = formOf(from);
      form.set("take", [...taken].join(","));
      return send<Brought>(`/api/productions/${production.id}/castings/`, form);
    },
    onSuccess: (done) => {
      void client.invalidateQueries({ queryKey: ["production", production.id] });
      setComing(null);
      say({ tone: "calm", text: t("cast.brought", { count: done.count }) });
    },
    onError: tell,
  });
  const menu = (label: string, icon: React.ReactNode, children: React.ReactNode) => (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <Button>{icon}{label}</Button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="start" className="z-40 bg-paper border border-rule rounded-md shadow-xl p-1 max-h-80 overflow-auto min-w-44">{children}</DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
  return (
    <>
      {menu(t("cast.sheetOut"), <FileDown size={15} aria-hidden />, ENDINGS.map((ending) => (
        <DropdownMenu.Item key={ending} asChild className={ITEM}>
          <a href={`/api/productions/${production.id}/castings.${ending}`} download>{ending.toUpperCase()}</a>
        </DropdownMenu.Item>
      )))}
      {production.role !== "reader" && menu(t("cast.sheetIn"), <FileUp size={15} aria-hidden />, (
        <>
          <DropdownMenu.Item className={ITEM} onSelect={() => file.current?.click()}>{t("cast.fromFile")}</DropdownMenu.Item>
          {others.length > 0 && <DropdownMenu.Label className="px-2 pt-2 pb-1 text-xs text-soft">{t("cast.fromProduction")}</DropdownMenu.Label>}
          {others.map((one) => (
            <DropdownMenu.Item key={one.id} className={ITEM} onSelect={() => look.mutate(one.id)}>{one.name}</DropdownMenu.Item>
          ))}
        </>
      ))}
      <input
        ref={file}
        type="file"
        className="sr-only"
        tabIndex={-1}
        aria-label={t("cast.fromFile")}
        accept=".csv,.tsv,.xlsx,.json"
        onChange={(event) => {
          const chosen = event.target.files?.[0];
          if (chosen) look.mutate(chosen);
          event.target.value = "";
        }}
      />
      <Sheet title={t("cast.coming")} open={coming !== null} onClose={() => setComing(null)}>
        <div className="p-5 flex flex-col gap-3 text-sm">
          {problems.map((problem, index) => (
            <Notice key={index}>{problem.row ? `${t("import.row", { row: problem.row })}: ` : ""}{problem.message}</Notice>
          ))}
          {coming?.rows.length === 0 && <Notice tone="calm">{t("cast.nothingComing")}</Notice>}
          {coming?.rows.some((row) => row.what === "changed_here") && <p className="text-soft">{t("cast.conflictWhat")}</p>}
          <table>
            <tbody>
              {coming?.rows.map((row) => (
                <tr key={row.row} className="border-t border-rule">
                  <td className="py-1 pe-2 w-8">
                    <Tick
                      hidden
                      label={t("cast.takeRow", { speaker: row.speaker, language: row.language })}
                      checked={taken.has(row.row)}
                      onChange={(on) => setTaken((old) => new Set(on ? [...old, row.row] : [...old].filter((one) => one !== row.row)))}
                    />
                  </td>
                  <td className="py-1 pe-3 font-semibold">{row.speaker}</td>
                  <td className="py-1 pe-3 text-soft">{row.language}</td>
                  <td className="py-1 pe-3">{row.now && row.now !== row.voice ? `${row.now} → ${row.voice}` : row.voice}</td>
                  <td className="py-1 text-xs">{t(`cast.comes.${row.what}`)}</td>
                </tr>
              ))}
            </tbody>
          </table>
          {coming && coming.rows.length > 0 && (
            <Button look="main" className="self-end" disabled={!taken.size || bring.isPending} onClick={() => bring.mutate(coming.from)}>{t("cast.takeThese", { count: taken.size })}</Button>
          )}
        </div>
      </Sheet>
    </>
  );
}
