import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Trash2, Upload } from "lucide-react";
import { useEffect, useRef, useState, type DragEvent } from "react";
import { useTranslation } from "react-i18next";

import { api, data, editionPath, send, type Line, type Production, type Schemas } from "../../shared/api/client";
import { useChange } from "../../shared/api/queries";
import { clock } from "../../shared/format";
import { useNotices } from "../../shared/notices";
import { Button, IconButton, Tick } from "../../shared/ui/controls";
import { SampleButton } from "../../shared/ui/SampleButton";

/** A person's own take of a line, used as it is: dropped here, or chosen. */
export function RecordingPanel({ production, language, line, readOnly }: { production: Production; language: string; line: Line; readOnly: boolean }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const file = useRef<HTMLInputElement>(null);
  const [over, setOver] = useState(false);
  const path = { params: { path: { production_id: production.id, language, line_id: line.id } } };
  const recording = useQuery({
    queryKey: ["production", production.id, "recording", language, line.id, line.words],
    queryFn: () => data(api.GET("/api/productions/{production_id}/editions/{language}/lines/{line_id}/recording/", path)),
    refetchInterval: (query) => (query.state.data?.state === "reading" ? 500 : false),
  });
  const tell = { onError: (error: Error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) };
  const bring = useChange(production.id, (sound: File) => {
    const form = new FormData();
    form.append("file", sound, sound.name);
    return send<Schemas["LineRecording"]>(`${editionPath(production.id, language)}/lines/${line.id}/recording/`, form);
  });
  const set = useChange(production.id, (body: Schemas["PatchedLineRecordingChangeRequest"]) => data(api.PATCH("/api/productions/{production_id}/editions/{language}/lines/{line_id}/recording/", { ...path, body })));
  const remove = useChange(production.id, () => data<unknown>(api.DELETE("/api/productions/{production_id}/editions/{language}/lines/{line_id}/recording/", path)));
  const found = recording.data;
  const was = useRef(found?.state);
  useEffect(() => {
    // The line has a take now, and another length.
    if (was.current === "reading" && found && found.state !== "reading") void client.invalidateQueries({ queryKey: ["production", production.id] });
    was.current = found?.state;
  }, [found, client, production.id]);
  const drop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    const chosen = event.dataTransfer.files[0];
    if (chosen && !readOnly) bring.mutate(chosen, tell);
  };
  return (
    <section
      className={`flex flex-col gap-2 rounded-md border bg-paper p-4 ${over ? "border-tide bg-tide-wash" : "border-rule"}`}
      aria-label={t("recording.title")}
      onDragOver={(event) => { event.preventDefault(); setOver(true); }}
      onDragLeave={() => setOver(false)}
      onDrop={drop}
    >
      <h3 className="text-sm font-semibold">{t("recording.title")}</h3>
      {found?.state === "none" && <p className="text-sm text-soft">{line.by_person && `${t("recording.byPerson")} `}{t("recording.what")}</p>}
      {found && found.state !== "none" && (
        <div className="flex items-center gap-2 text-sm min-w-0">
          <SampleButton small name={t("recording.hear")} address={`${editionPath(production.id, language)}/lines/${line.id}/recording/recording.flac`} />
          <span className="grow truncate" title={found.name}>{found.name}</span>
          {found.seconds !== null && <span className="text-soft whitespace-nowrap">{clock(found.seconds)}</span>}
          {found.by && <span className="text-soft whitespace-nowrap">{t("recording.by", { user: found.by })}</span>}
          {!readOnly && <IconButton name={t("recording.takeOff")} className="size-7!" onClick={() => remove.mutate(undefined, tell)}><Trash2 size={13} aria-hidden /></IconButton>}
        </div>
      )}
      {(found?.state === "reading" || bring.isPending) && <p className="text-sm text-soft" role="status">{t("recording.preparing")}</p>}
      {found?.faults.map((fault) => <p key={fault.code} className="text-sm text-alarm">{t(`recording.fault.${fault.code}`, { said: fault.said })}</p>)}
      {found && found.state !== "none" && !found.holds && (
        <p className="text-sm flex flex-wrap items-center gap-2">
          <span className="text-alarm">{t("recording.otherNow", { said: found.said })}</span>
          {!readOnly && <Button className="h-7! px-2! text-xs!" onClick={() => set.mutate({ holds: true }, tell)}>{t("recording.holds")}</Button>}
        </p>
      )}
      {!readOnly && (
        <div className="flex flex-wrap items-center gap-4">
          <input ref={file} type="file" hidden accept="audio/*,video/*" aria-label={t("recording.choose")} onChange={(event) => { const chosen = event.target.files?.[0]; if (chosen) bring.mutate(chosen, tell); event.target.value = ""; }} />
          <Button disabled={bring.isPending} onClick={() => file.current?.click()}><Upload size={14} aria-hidden />{found?.state === "none" ? t("recording.choose") : t("recording.another")}</Button>
          {found?.state === "ready" && <Tick label={t("recording.clean")} checked={found.cleaned} onChange={(cleaned) => set.mutate({ cleaned }, tell)} />}
          {found?.state === "ready" && <Tick label={t("recording.stretch")} checked={found.stretch} onChange={(stretch) => set.mutate({ stretch }, tell)} />}
        </div>
      )}
    </section>
  );
}
