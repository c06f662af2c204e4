import { useMutation, useQueryClient } from "@tanstack/react-query";
import { FileDown, FileUp } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import { useNotices } from "../../frame/notices";
import { send, type Production, type Schemas } from "../../shared/api/client";
import { useProductions } from "../../shared/api/queries";
import { Button, Notice, Sheet } from "../../shared/ui/controls";

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
  const bring = useMutation({
    mutationFn: (from: File | number) => {
      const form = new FormData();
      if (typeof from === "number") form.set("production", String(from));
      else form.set("file", from);
      return send<Schemas["Brought"]>(`/api/productions/${production.id}/castings/`, form);
    },
    onSuccess: (done) => {
      void client.invalidateQueries({ queryKey: ["production", production.id] });
      setProblems(done.problems);
      say({ tone: "calm", text: t("cast.brought", { count: done.count }) });
    },
    onError: (error) => say({ tone: "bad", text: error.message || t("common.unreachable") }),
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
            <DropdownMenu.Item key={one.id} className={ITEM} onSelect={() => bring.mutate(one.id)}>{one.name}</DropdownMenu.Item>
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
          if (chosen) bring.mutate(chosen);
          event.target.value = "";
        }}
      />
      <Sheet title={t("cast.leftOut", { count: problems.length })} open={problems.length > 0} onClose={() => setProblems([])}>
        <ul className="p-5 flex flex-col gap-2">
          {problems.map((problem, index) => (
            <li key={index}><Notice>{problem.row ? `${t("import.row", { row: problem.row })}: ` : ""}{problem.message}</Notice></li>
          ))}
        </ul>
      </Sheet>
    </>
  );
}
