import { useMutation, useQueryClient } from "@tanstack/react-query";
import { FileDown, FileUp } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import type { StageProps } from "../../shared/stage";
import { useNotices } from "../../shared/notices";
import { editionPath, send, type Schemas } from "../../shared/api/client";
import { Button } from "../../shared/ui/controls";
import { CaptionsSheet } from "./CaptionsSheet";
import { ReturnSheet } from "./ReturnSheet";

const ITEM = "block px-2 py-1 rounded-sm text-sm data-highlighted:bg-tide-wash outline-none cursor-default";
const OUT = ["wordings.xlf", "wordings.1.2.xlf", "wordings.docx", "wordings.xlsx", "memory.tmx", "terms.tbx", "terms.csv"] as const;
const LABELS = { "wordings.xlf": "xliff2", "wordings.1.2.xlf": "xliff1", "wordings.docx": "docx", "wordings.xlsx": "xlsx", "memory.tmx": "tmx", "terms.tbx": "tbx", "terms.csv": "termsCsv" } as const;

/** Wordings, memory and terms, out to people and back. */
export function FilesMenu({ production, edition, readOnly }: { production: StageProps["production"]; edition: StageProps["edition"]; readOnly: boolean }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const picker = useRef<HTMLInputElement>(null);
  const [what, setWhat] = useState<"memory" | "terms" | "wordings">("wordings");
  const [captions, setCaptions] = useState(false);
  const [returned, setReturned] = useState<File | null>(null);
  const path = editionPath(production.id, edition.edition.language);
  const bring = useMutation({
    mutationFn: ({ file, kind }: { file: File; kind: "memory" | "terms" }) => {
      const form = new FormData();
      form.set("file", file);
      return send<Schemas["Count"]>(`${path}/${kind === "memory" ? "memory" : "terms/brought"}/`, form);
    },
    onSuccess: (done, { kind }) => {
      void client.invalidateQueries({ queryKey: ["production", production.id] });
      say({ tone: "calm", text: t(`files.brought.${kind}`, { count: done.count }) });
    },
    onError: (error) => say({ tone: "bad", text: error.message || t("common.unreachable") }),
  });
  const pick = (kind: typeof what) => {
    setWhat(kind);
    picker.current?.click();
  };
  const menu = (label: string, icon: React.ReactNode, children: React.ReactNode) => (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild><Button className="h-7! px-2!">{icon}{label}</Button></DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="end" className="z-40 bg-paper border border-rule rounded-md shadow-xl p-1 min-w-52">{children}</DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
  return (
    <>
      {menu(t("files.out"), <FileDown size={15} aria-hidden />, OUT.map((file) => (
        <DropdownMenu.Item key={file} asChild className={ITEM}><a href={`${path}/${file}`} download>{t(`files.kinds.${LABELS[file]}`)}</a></DropdownMenu.Item>
      )))}
      {!readOnly && menu(t("files.in"), <FileUp size={15} aria-hidden />, (
        <>
          <DropdownMenu.Item className={ITEM} onSelect={() => pick("wordings")}>{t("files.wordings")}</DropdownMenu.Item>
          <DropdownMenu.Item className={ITEM} onSelect={() => setCaptions(true)}>{t("adapt.captions")}</DropdownMenu.Item>
          <DropdownMenu.Item className={ITEM} onSelect={() => pick("memory")}>{t("files.memory")}</DropdownMenu.Item>
          <DropdownMenu.Item className={ITEM} onSelect={() => pick("terms")}>{t("files.terms")}</DropdownMenu.Item>
        </>
      ))}
      <input
        ref={picker}
        type="file"
        className="sr-only"
        tabIndex={-1}
        aria-label={t("files.choose")}
        accept={what === "memory" ? ".tmx" : what === "terms" ? ".tbx,.xml,.csv,.tsv,.txt" : ".xlf,.xliff,.docx,.xlsx"}
        onChange={(event) => {
          const file = event.target.files?.[0];
          event.target.value = "";
          if (!file) return;
          if (what === "wordings") setReturned(file);
          else bring.mutate({ file, kind: what });
        }}
      />
      <CaptionsSheet production={production} edition={edition} open={captions} onClose={() => setCaptions(false)} />
      {returned && <ReturnSheet key={`${returned.name}${returned.lastModified}`} production={production} edition={edition} file={returned} onClose={() => setReturned(null)} />}
    </>
  );
}
