import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { api, data, type Casting, type Production } from "../../shared/api/client";
import { useNotices } from "../../shared/notices";
import { Button, FIELD, Tick } from "../../shared/ui/controls";

/** Keeps how a speaker sounds as a voice of its own; of one that is kept, offers it no more. */
export function KeepVoice({ production, language, casting }: { production: Production; language: string; casting: Casting }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const speaker = production.speakers.find((one) => one.id === casting.speaker)?.name ?? "";
  const [open, setOpen] = useState(false);
  // Kept again under its name it is another version.
  const [name, setName] = useState(casting.voice.version ? casting.voice.name : "");
  const [mine, setMine] = useState(false);
  const again = () => Promise.all([client.invalidateQueries({ queryKey: ["production", production.id] }), client.invalidateQueries({ queryKey: ["voices"] })]);
  const bad = { onError: (error: Error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) };
  const keep = useMutation({
    mutationFn: () =>
      data(api.POST("/api/productions/{production_id}/editions/{language}/castings/{speaker_id}/kept/", {
        params: { path: { production_id: production.id, language, speaker_id: casting.speaker } },
        body: { name: name.trim(), mine },
      })),
    onSuccess: async (kept) => {
      say({ tone: "calm", text: t("cast.keptNow", { name: kept.name, speaker }) });
      await again();
    },
    ...bad,
  });
  const retire = useMutation({
    mutationFn: () => data(api.DELETE("/api/voices/kept/{voice}/", { params: { path: { voice: casting.voice.id } } })),
    onSuccess: async () => {
      say({ tone: "calm", text: t("cast.retired", { name: casting.voice.name }) });
      await again();
    },
    ...bad,
  });
  if (!open)
    return (
      <span className="flex flex-col gap-2">
        <Button onClick={() => setOpen(true)}>{t("cast.keep")}</Button>
        {casting.voice.version > 0 && <Button look="quiet" disabled={retire.isPending} onClick={() => retire.mutate()}><span className="truncate">{t("cast.retire", { name: casting.voice.name })}</span></Button>}
      </span>
    );
  return (
    <form
      className="flex flex-col gap-2 border border-rule rounded-md p-2.5"
      onSubmit={(event) => {
        event.preventDefault();
        if (name.trim()) keep.mutate();
      }}
    >
      <p className="text-xs text-soft">{t("cast.keepHint", { speaker })}</p>
      <input
        autoFocus
        aria-label={t("cast.keepName")}
        placeholder={t("cast.keepName")}
        className={FIELD}
        maxLength={60}
        value={name}
        onChange={(event) => setName(event.target.value)}
        onKeyDown={(event) => event.key === "Escape" && setOpen(false)}
      />
      <Tick label={t("cast.keepMine")} checked={mine} onChange={setMine} />
      <span className="flex gap-2">
        <Button look="main" type="submit" disabled={!name.trim() || keep.isPending}>{t("cast.keepNow")}</Button>
        <Button onClick={() => setOpen(false)}>{t("common.cancel")}</Button>
      </span>
    </form>
  );
}
