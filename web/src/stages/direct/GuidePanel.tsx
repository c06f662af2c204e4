import { useQuery, useQueryClient } from "@tanstack/react-query";
import { FileAudio, Mic, Square, Trash2, Upload } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import { api, data, editionPath, send, type Line, type Production, type Schemas } from "../../shared/api/client";
import { useChange } from "../../shared/api/queries";
import { useNotices } from "../../shared/notices";
import { waitsBehind } from "../../shared/waiting";
import { useSourceMedia } from "../../shared/useSourceMedia";
import { Button, IconButton, Select } from "../../shared/ui/controls";
import { SampleButton } from "../../shared/ui/SampleButton";
import { Setting } from "../../shared/ui/Setting";

const DIALS = ["timing", "melody", "energy"] as const;
/** Seconds after which a recording ends by itself. */
const LONGEST = 60;

/** A guide read: somebody says the line as it should be said, and the voice follows. */
export function GuidePanel({ production, language, line, readOnly }: { production: Production; language: string; line: Line; readOnly: boolean }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const file = useRef<HTMLInputElement>(null);
  const [spoken, setSpoken] = useState("");
  const path = { params: { path: { production_id: production.id, language, line_id: line.id } } };
  const guide = useQuery({
    queryKey: ["production", production.id, "guide", language, line.id, line.words],
    queryFn: () => data(api.GET("/api/productions/{production_id}/editions/{language}/lines/{line_id}/guide/", path)),
    refetchInterval: (query) => (query.state.data?.state === "reading" ? 500 : false),
  });
  const recording = useSourceMedia(production.id);
  const tell = { onError: (error: Error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) };
  const bring = useChange(production.id, (sound: Blob | "source") => {
    const form = new FormData();
    if (sound === "source") form.append("from_source", "true");
    else form.append("file", sound, sound instanceof File ? sound.name : "guide.webm");
    if (spoken && sound !== "source") form.append("language", spoken);
    return send<Schemas["Guide"]>(`${editionPath(production.id, language)}/lines/${line.id}/guide/`, form);
  });
  const set = useChange(production.id, (body: Partial<Record<(typeof DIALS)[number], number>>) => data(api.PATCH("/api/productions/{production_id}/editions/{language}/lines/{line_id}/guide/", { ...path, body })));
  const remove = useChange(production.id, () => data<unknown>(api.DELETE("/api/productions/{production_id}/editions/{language}/lines/{line_id}/guide/", path)));
  const recorder = useRecorder((sound) => bring.mutate(sound, tell), (fault) => say({ tone: "bad", text: fault === "NotAllowedError" ? t("guide.notAllowed") : t("guide.noMicrophone") }));
  const found = guide.data;
  const was = useRef(found?.state);
  useEffect(() => {
    // What was found in it is in the stave, the line's state and its length.
    if (was.current === "reading" && found?.state === "ready") void client.invalidateQueries({ queryKey: ["production", production.id] });
    was.current = found?.state;
  }, [found?.state, client, production.id]);
  return (
    <section className="flex flex-col gap-2 rounded-md border border-rule bg-paper p-4" aria-label={t("guide.title")}>
      <h3 className="text-sm font-semibold">{t("guide.title")}</h3>
      {found?.state === "none" && <p className="text-sm text-soft">{t("guide.what")}</p>}
      {!readOnly && (
        <div className="flex flex-wrap items-center gap-2">
          {recorder.recording ? (
            <Button look="danger" onClick={recorder.stop}><Square size={12} fill="currentColor" aria-hidden />{t("guide.stop", { seconds: recorder.seconds })}</Button>
          ) : (
            <Button disabled={bring.isPending || found?.state === "reading"} onClick={() => void recorder.start()}><Mic size={14} aria-hidden />{t("guide.record")}</Button>
          )}
          <input ref={file} type="file" hidden accept="audio/*,video/*" aria-label={t("guide.upload")} onChange={(event) => { const chosen = event.target.files?.[0]; if (chosen) bring.mutate(chosen, tell); event.target.value = ""; }} />
          <Button disabled={bring.isPending} onClick={() => file.current?.click()}><Upload size={14} aria-hidden />{t("guide.upload")}</Button>
          {recording?.state === "ready" && recording.has_sound && line.slot && <Button disabled={bring.isPending} onClick={() => bring.mutate("source", tell)}><FileAudio size={14} aria-hidden />{t("guide.fromSource")}</Button>}
          {production.editions.length > 1 && (
            <Select aria-label={t("guide.language")} title={t("guide.language")} className="max-w-40" value={spoken} onChange={(event) => setSpoken(event.target.value)}>
              <option value="">{t("guide.sameWords")}</option>
              {production.editions.filter((one) => one.language !== language).map((one) => <option key={one.language} value={one.language}>{one.name}</option>)}
            </Select>
          )}
        </div>
      )}
      {(found?.state === "reading" || bring.isPending) && <p className="text-sm text-soft" role="status">{waitsBehind(t, found?.ahead) || (found?.state === "reading" && found.share ? t("guide.readingSo", { percent: Math.round(100 * found.share) }) : t("guide.reading"))}</p>}
      {found?.state === "ready" && (
        <>
          <div className="flex items-center gap-2 text-sm">
            {found.sound && <SampleButton small name={t("guide.hear")} address={`${editionPath(production.id, language)}/lines/${line.id}/guide/recording.flac`} />}
            <span className="grow">{found.followed ? (found.by_word ? t("guide.byWord") : t("guide.byPhrase")) : t("guide.notFollowed")}</span>
            {!readOnly && <IconButton name={t("guide.delete")} className="size-7!" onClick={() => remove.mutate(undefined, tell)}><Trash2 size={13} aria-hidden /></IconButton>}
          </div>
          {found.faults.map((fault) => <p key={fault.code} className="text-sm text-alarm">{t(`guide.fault.${fault.code}`, { said: fault.said })}</p>)}
          {found.followed && DIALS.map((dial) => <Setting key={dial} name={t(`guide.dial.${dial}`)} value={found[dial]} min={0} max={1} step={0.05} show={(value) => `${Math.round(100 * value)} %`} disabled={readOnly} onSet={(value) => set.mutate({ [dial]: value }, tell)} />)}
        </>
      )}
    </section>
  );
}

/** The browser's microphone: what is recorded goes to `onSound` when it is stopped. */
function useRecorder(onSound: (sound: Blob) => void, onFault: (name: string) => void) {
  const running = useRef<MediaRecorder | null>(null);
  const [begun, setBegun] = useState<number | null>(null);
  const [seconds, setSeconds] = useState(0);
  const stop = () => running.current?.state === "recording" && running.current.stop();
  useEffect(() => {
    if (begun === null) return;
    const clock = setInterval(() => {
      const now = Math.round((performance.now() - begun) / 1000);
      setSeconds(now);
      if (now >= LONGEST) stop();
    }, 250);
    return () => clearInterval(clock);
  }, [begun]);
  // Whoever leaves the line lets go of the microphone; what was said until then is not taken.
  useEffect(() => () => {
    const recorder = running.current;
    if (!recorder) return;
    recorder.onstop = null;
    stop();
    recorder.stream.getTracks().forEach((track) => track.stop());
  }, []);
  const start = async () => {
    try {
      const stream = await navigator.mediaDevices.getUserMedia({ audio: { echoCancellation: false, noiseSuppression: false, autoGainControl: false } });
      const recorder = new MediaRecorder(stream);
      const parts: Blob[] = [];
      recorder.ondataavailable = (event) => parts.push(event.data);
      recorder.onstop = () => {
        stream.getTracks().forEach((track) => track.stop());
        setBegun(null);
        running.current = null;
        onSound(new Blob(parts, { type: recorder.mimeType }));
      };
      running.current = recorder;
      recorder.start();
      setSeconds(0);
      setBegun(performance.now());
    } catch (error) {
      onFault(error instanceof DOMException ? error.name : "");
    }
  };
  return { recording: begun !== null, seconds, start, stop };
}
