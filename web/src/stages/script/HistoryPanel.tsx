import { useQuery } from "@tanstack/react-query";
import { Redo2, Undo2 } from "lucide-react";
import { useState } from "react";
import type { TFunction } from "i18next";
import { useTranslation } from "react-i18next";

import { api, data, type Production, type RecordedAction } from "../../shared/api/client";
import { Button, IconButton } from "../../shared/ui/controls";
import type { ScriptActions } from "../../shared/script/useScript";

/** Everything that was done, in plain words, the newest first; any point can be gone back to. */
export function HistoryPanel({ production, stamp, actions }: { production: Production; stamp: number; actions: ScriptActions }) {
  const { t, i18n } = useTranslation();
  const [asking, setAsking] = useState<number | null>(null);
  const history = useQuery({
    queryKey: ["production", production.id, "history", stamp],
    queryFn: () => data(api.GET("/api/productions/{production_id}/history/", { params: { path: { production_id: production.id } } })),
    placeholderData: (previous) => previous,
  });
  const readOnly = production.role === "reader";
  const records = history.data;
  if (!records) return <p className="text-sm text-soft" role="status">{t("common.loading")}</p>;
  const when = new Intl.DateTimeFormat(i18n.language, { hour: "2-digit", minute: "2-digit", day: "numeric", month: "short" });
  const after = (record: RecordedAction) => records.filter((one) => one.id > record.id && !one.undone).length;
  return (
    <div className="flex flex-col gap-2">
      {!readOnly && (
        <div className="flex gap-1">
          <IconButton name={t("frame.undo")} onClick={() => void actions.undo()}><Undo2 size={15} aria-hidden /></IconButton>
          <IconButton name={t("frame.redo")} onClick={() => void actions.redo()}><Redo2 size={15} aria-hidden /></IconButton>
        </div>
      )}
      <ol className="flex flex-col">
        {records.map((record) => (
          <li key={record.id} className={`py-1.5 border-b border-rule/60 text-sm ${record.undone ? "text-soft" : ""}`}>
            <p className={record.undone ? "line-through decoration-1" : ""}>{sentence(record, t)}</p>
            <p className="flex items-center gap-2 text-xs text-soft">
              <span className="grow truncate">{record.user ?? t("history.somebody")} · {when.format(new Date(record.at))}</span>
              {record.undone && <span>{t("history.undone")}</span>}
              {!readOnly && !record.undone && after(record) > 0 && asking !== record.id && (
                <button type="button" className="underline decoration-rule hover:decoration-tide text-ink" onClick={() => setAsking(record.id)}>{t("history.back")}</button>
              )}
            </p>
            {asking === record.id && (
              <p className="mt-1 flex items-center gap-2">
                <span className="grow">{t("history.sure", { count: after(record) })}</span>
                <Button look="main" onClick={() => { setAsking(null); void actions.back(record.id); }}>{t("history.back")}</Button>
              </p>
            )}
          </li>
        ))}
      </ol>
    </div>
  );
}

function sentence(record: RecordedAction, t: TFunction): string {
  const details = (record.details ?? {}) as Record<string, unknown>;
  const told = { ...details, defaultValue: "" };
  // What of it was changed, or chosen, is told.
  const what = typeof details.what === "string" ? details.what : "voice";
  const did = () => {
    if (record.name === "set_casting") return t(`did.set_casting.${what}`, told);
    return record.name === "choose_cast_from" ? t(`did.choose_cast_from.${what}`, told) : t(`did.${record.name}`, told);
  };
  const said = Object.keys(details).length ? did() : "";
  return said || `${t(`action.${record.name}`)}${record.summary ? `: ${record.summary}` : ""}`;
}
