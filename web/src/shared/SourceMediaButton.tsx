import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Clapperboard, Trash2 } from "lucide-react";
import { useRef } from "react";
import { useTranslation } from "react-i18next";

import { useNotices } from "./notices";
import { useSourceMedia, type SourceMedia } from "./useSourceMedia";
import { api, data, send } from "./api/client";
import { Button, IconButton } from "./ui/controls";

/** Brings in the source recording or video, and says what there is. */
export function SourceMediaButton({ production, readOnly }: { production: number; readOnly: boolean }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const picker = useRef<HTMLInputElement>(null);
  const media = useSourceMedia(production);
  const fault = { onError: (error: Error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) };
  const again = () => client.invalidateQueries({ queryKey: ["production", production] });
  const bring = useMutation({
    mutationFn: (file: File) => {
      const form = new FormData();
      form.set("file", file);
      return send<SourceMedia>(`/api/productions/${production}/source-media/`, form);
    },
    onSuccess: again,
    ...fault,
  });
  const takeOut = useMutation({
    mutationFn: () => data(api.DELETE("/api/productions/{production_id}/source-media/", { params: { path: { production_id: production } } })),
    onSuccess: again,
    ...fault,
  });
  if (!media) return null;
  const there = media.state !== "absent";
  return (
    <span className="flex items-center gap-1 min-w-0 shrink-0">
      {there && (
        <span className="truncate min-w-12 max-w-24 text-2xs" title={media.fault || media.name} role="status">
          {media.state === "making" || bring.isPending ? t("media.making", { name: media.name }) : media.state === "failed" ? media.fault : media.name}
        </span>
      )}
      {bring.isPending && !there && <span className="text-2xs" role="status">{t("media.sending")}</span>}
      {!readOnly && (there ? (
          <IconButton name={t("media.other")} className="size-6!" disabled={bring.isPending} onClick={() => picker.current?.click()}>
            <Clapperboard size={14} aria-hidden />
          </IconButton>
        ) : (
          <Button className="h-6! px-2! text-xs!" disabled={bring.isPending} onClick={() => picker.current?.click()}>
            <Clapperboard size={14} aria-hidden />
            {t("media.bringShort")}
          </Button>
        ))}
      {!readOnly && there && (
        <IconButton name={t("media.takeOut", { name: media.name })} className="size-6!" onClick={() => takeOut.mutate()}>
          <Trash2 size={13} aria-hidden />
        </IconButton>
      )}
      <input
        ref={picker}
        type="file"
        className="sr-only"
        tabIndex={-1}
        aria-label={t("media.bring")}
        accept="audio/*,video/*,.mkv,.mxf,.mov"
        onChange={(event) => {
          const file = event.target.files?.[0];
          event.target.value = "";
          if (file) bring.mutate(file);
        }}
      />
    </span>
  );
}
