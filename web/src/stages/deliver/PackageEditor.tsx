import { useMutation, useQueryClient } from "@tanstack/react-query";
import { ArrowDown, ArrowUp, Plus, Trash2 } from "lucide-react";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";

import { api, data, Fault, type Production, type Schemas } from "../../shared/api/client";
import { useNotices } from "../../shared/notices";
import { Button, FIELD, IconButton, Select, Sheet, Tick } from "../../shared/ui/controls";
import { useStanding, type Choices, type ItemKind, type Package, type PackageItem } from "./packages";

/** The names are asked for again when the typing rests for so long, milliseconds. */
const REST = 300;

/** What a package holds, item by item, with the choices that each has. */
export function PackageEditor({ known, start, production, language, onClose, onKept }: { known: Schemas["Packages"]; start: Package; production: Production; language: string; onClose: () => void; onKept: (name: string) => void }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const [name, setName] = useState(start.name);
  const [commercial, setCommercial] = useState(start.commercial);
  const [items, setItems] = useState<PackageItem[]>(start.items);
  const [rested, setRested] = useState(items);
  useEffect(() => {
    const timer = setTimeout(() => setRested(items), REST);
    return () => clearTimeout(timer);
  }, [items]);
  // As the server would call them: what no name can hold is put right there.
  const standing = useStanding(production.id, { ...start, name: "preview", commercial: false, items: rested }, [language]);
  const names = standing.isError ? [] : (standing.data?.[0]?.items.map((item) => item.names[0] ?? "") ?? []);
  const tell = { onError: (error: Error) => say({ tone: "bad", text: error.message || t("common.unreachable") }), onSettled: () => client.invalidateQueries({ queryKey: ["packages"] }) };
  const body = { name: name.trim(), commercial, items };
  const keep = useMutation({
    mutationFn: () => start.id === null ? data(api.POST("/api/packages/", { body })) : data(api.PUT("/api/packages/{package_id}/", { params: { path: { package_id: start.id } }, body })),
    ...tell,
    onSuccess: (kept: Package) => onKept(kept.name),
  });
  const remove = useMutation({
    mutationFn: () => data(api.DELETE("/api/packages/{package_id}/", { params: { path: { package_id: start.id ?? 0 } } })),
    ...tell,
    onSuccess: () => onKept(""),
  });
  const put = (number: number, more: Partial<PackageItem>) => setItems((now) => now.map((one, at) => (at === number ? { ...one, ...more } : one)));
  const move = (number: number, by: number) => setItems((now) => {
    const next = [...now];
    const [one] = next.splice(number, 1);
    if (one) next.splice(number + by, 0, one);
    return next;
  });
  return (
    <Sheet title={start.id === null ? t("packages.new") : t("packages.edit", { name: start.name })} wide open onClose={onClose}>
      <div className="flex flex-col gap-4 p-5">
        <div className="flex items-end gap-6">
          <label className="grow text-sm"><span className="block mb-1">{t("packages.name")}</span><input className={FIELD} dir="auto" value={name} maxLength={80} onChange={(event) => setName(event.target.value)} /></label>
          <Tick label={t("packages.isCommercial")} checked={commercial} onChange={setCommercial} />
        </div>
        <ol className="flex flex-col gap-3">
          {items.map((item, number) => {
            const kind = known.kinds.find((one) => one.kind === item.kind);
            return kind && (
              <li key={number} className="rounded-md border border-rule p-3" aria-label={t("packages.item", { number: number + 1, kind: t(`packages.kind.${item.kind}`) })}>
                <div className="flex items-center gap-2">
                  <Select aria-label={t("packages.kindOf", { number: number + 1 })} value={item.kind} onChange={(event) => put(number, { kind: event.target.value as ItemKind["kind"], choices: {} })}>
                    {known.kinds.map((one) => <option key={one.kind} value={one.kind}>{t(`packages.kind.${one.kind}`)}</option>)}
                  </Select>
                  <span className="text-xs text-soft grow">{t(`packages.onePer.${kind.of}`)}</span>
                  <IconButton name={t("packages.up")} disabled={number === 0} onClick={() => move(number, -1)}><ArrowUp size={14} aria-hidden /></IconButton>
                  <IconButton name={t("packages.down")} disabled={number === items.length - 1} onClick={() => move(number, 1)}><ArrowDown size={14} aria-hidden /></IconButton>
                  <IconButton name={t("packages.leaveOut")} disabled={items.length === 1} onClick={() => setItems((now) => now.filter((_, at) => at !== number))}><Trash2 size={14} aria-hidden /></IconButton>
                </div>
                <div className="grid grid-cols-3 gap-x-5 gap-y-2 mt-2">
                  {kind.choices.filter((choice) => matters(choice, kind, item.choices as Choices)).map((choice) => <ChoiceField key={choice.name} choice={choice} value={(item.choices as Choices)[choice.name]} onChange={(value) => put(number, { choices: changed(item.choices as Choices, choice, value) })} />)}
                </div>
                <label className="block text-sm mt-2">
                  <span className="block mb-1">{t("packages.pattern")}</span>
                  <input className={FIELD} dir="ltr" value={item.pattern ?? ""} placeholder={kind.pattern} onChange={(event) => put(number, { pattern: event.target.value })} />
                </label>
                <p className="text-xs text-soft mt-1 wrap-anywhere" dir="ltr">{names[number] ?? "…"}</p>
              </li>
            );
          })}
        </ol>
        {standing.error instanceof Fault && <p className="text-sm text-alarm" role="alert">{standing.error.message || t("common.unreachable")}</p>}
        <p className="text-xs text-soft">{t("packages.fields", { fields: known.fields_of_names.map((one) => `{${one}}`).join(" ") })}</p>
        <div className="flex gap-2">
          <Button onClick={() => setItems((now) => [...now, { kind: "captions", choices: {}, pattern: "" }])}><Plus size={14} aria-hidden />{t("packages.add")}</Button>
          <span className="grow" />
          {start.id !== null && <Button onClick={() => remove.mutate()}><Trash2 size={14} aria-hidden />{t("packages.delete")}</Button>}
          <Button look="main" disabled={!name.trim() || keep.isPending} onClick={() => keep.mutate()}>{t("packages.keep")}</Button>
        </div>
      </div>
    </Sheet>
  );
}

/** Only what is otherwise than usual is told. */
function changed(choices: Choices, choice: Schemas["Choice"], value: string | number | boolean | null): Choices {
  const rest = Object.fromEntries(Object.entries(choices).filter(([name]) => name !== choice.name));
  return value === choice.usual ? rest : { ...rest, [choice.name]: value };
}

/** Whether a choice is one, of what else is chosen. */
function matters(choice: Schemas["Choice"], kind: ItemKind, choices: Choices): boolean {
  if (!choice.only) return true;
  const { choice: other, values } = choice.only;
  const now = choices[other] ?? kind.choices.find((one) => one.name === other)?.usual;
  return (values as unknown[]).includes(now);
}

function ChoiceField({ choice, value, onChange }: { choice: Schemas["Choice"]; value: string | number | boolean | null | undefined; onChange: (value: string | number | boolean | null) => void }) {
  const { t } = useTranslation();
  const now = (value === undefined ? choice.usual : value) as string | number | boolean | null;
  const label = t(`packages.choice.${choice.name}`);
  const allowed = choice.allowed as (string | number | boolean)[];
  if (allowed.length && typeof allowed[0] === "boolean") return <Tick label={label} checked={now === true} onChange={onChange} />;
  return (
    <label className="text-sm">
      <span className="block mb-1">{label}</span>
      {allowed.length ? (
        <Select className="w-full" value={now === null ? "" : String(now)} onChange={(event) => onChange(event.target.value === "" ? null : allowed.find((one) => String(one) === event.target.value) ?? null)}>
          {choice.none && <option value="">{t("packages.asItIs")}</option>}
          {allowed.map((one) => <option key={String(one)} value={String(one)}>{typeof one === "string" ? one : one.toLocaleString()}</option>)}
        </Select>
      ) : choice.low !== null ? (
        <input type="number" className={FIELD} min={choice.low} max={choice.high ?? undefined} step="any" value={now === null ? "" : Number(now)} placeholder={choice.none ? t("packages.asItIs") : ""} onChange={(event) => onChange(event.target.value === "" ? (choice.none ? null : (choice.usual as number)) : Number(event.target.value))} />
      ) : (
        <input className={FIELD} value={String(now ?? "")} onChange={(event) => onChange(event.target.value)} />
      )}
    </label>
  );
}
