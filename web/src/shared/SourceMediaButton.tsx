import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Check, ChevronDown, Clapperboard } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useRef } from "react";
import { useTranslation } from "react-i18next";

import { useNotices } from "./notices";
import { useAllSourceMedia, type Media } from "./useSourceMedia";
import { api, data, send } from "./api/client";
import { clock } from "./format";
import { Button } from "./ui/controls";

const ITEM = "flex items-center gap-2 px-2 py-1 rounded-sm text-sm data-highlighted:bg-tide-wash outline-none cursor-default";

/** The source recordings: which one is played, and how others come and go. */
export function SourceMediaButton({ production, readOnly }: { production: number; readOnly: boolean }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const picker = useRef<HTMLInputElement>(null);
  const all = useAllSourceMedia(production);
  const done = {
    onError: (error: Error) => say({ tone: "bad", text: error.message || t("common.unreachable") }),
    onSuccess: () => client.invalidateQueries({ queryKey: ["production", production] }),
  };
  const path = (media: Media) => ({ params: { path: { production_id: production, media_id: media.id } } });
  const bring = useMutation({
    mutationFn: (file: File) => {
      const form = new FormData();
      form.set("file", file);
      return send<Media>(`/api/productions/${production}/media/`, form);
    },
    ...done,
  });
  const play = useMutation({ mutationFn: (media: Media) => data(api.PATCH("/api/productions/{production_id}/media/{media_id}/", { ...path(media), body: { played: true } })), ...done });
  const retry = useMutation({ mutationFn: (media: Media) => data(api.POST("/api/productions/{production_id}/media/{media_id}/copies/", path(media))), ...done });
  const takeOut = useMutation({ mutationFn: (media: Media) => data(api.DELETE("/api/productions/{production_id}/media/{media_id}/", path(media))), ...done });
  if (!all) return null;
  const played = all.find((one) => one.played);
  const said = bring.isPending ? t("media.sending") : played?.state === "making" ? t("media.making", { name: played.name }) : played?.state === "failed" ? played.fault : (played?.name ?? "");
  const choose = () => picker.current?.click();
  return (
    <span className="flex items-center gap-1 min-w-0 shrink-0">
      {played || bring.isPending ? (
        <DropdownMenu.Root modal={false}>
          <DropdownMenu.Trigger asChild>
            <button type="button" aria-label={`${t("media.list")}: ${said}`} title={said} className="inline-flex items-center gap-1 h-6 px-1.5 rounded-sm hover:bg-sunk min-w-0">
              <Clapperboard size={14} aria-hidden className="shrink-0" />
              <span className={`truncate max-w-28 text-2xs ${played?.state === "failed" ? "text-alarm" : ""}`} role="status">{said}</span>
              <ChevronDown size={12} aria-hidden className="shrink-0" />
            </button>
          </DropdownMenu.Trigger>
          <DropdownMenu.Portal>
            <DropdownMenu.Content align="start" className="z-50 bg-paper border border-rule rounded-md shadow-xl p-1 min-w-60 max-w-96">
              <DropdownMenu.RadioGroup value={String(played?.id ?? "")} onValueChange={(id) => {
                const wanted = all.find((one) => String(one.id) === id);
                if (wanted && !readOnly) play.mutate(wanted);
              }}>
                {all.map((one) => (
                  <DropdownMenu.RadioItem key={one.id} value={String(one.id)} disabled={readOnly && !one.played} className={ITEM}>
                    <span className="w-4 shrink-0"><DropdownMenu.ItemIndicator><Check size={14} aria-hidden /></DropdownMenu.ItemIndicator></span>
                    <span className="grow min-w-0 truncate" title={one.fault || one.name}>{one.name}</span>
                    <span className="text-xs text-soft tabular-nums">{clock(one.seconds)}</span>
                  </DropdownMenu.RadioItem>
                ))}
              </DropdownMenu.RadioGroup>
              {!readOnly && (
                <>
                  <DropdownMenu.Separator className="h-px bg-rule my-1" />
                  {played && (played.state === "failed" || played.state === "absent") && (
                    <DropdownMenu.Item className={ITEM} onSelect={() => retry.mutate(played)}><span className="ps-6 min-w-0 truncate">{t("media.retry", { name: played.name })}</span></DropdownMenu.Item>
                  )}
                  <DropdownMenu.Item className={ITEM} disabled={bring.isPending} onSelect={choose}><span className="ps-6">{t("media.another")}</span></DropdownMenu.Item>
                  {played && (
                    <DropdownMenu.Item className={ITEM} onSelect={() => takeOut.mutate(played)}><span className="ps-6 min-w-0 truncate">{t("media.takeOut", { name: played.name })}</span></DropdownMenu.Item>
                  )}
                </>
              )}
            </DropdownMenu.Content>
          </DropdownMenu.Portal>
        </DropdownMenu.Root>
      ) : (
        !readOnly && (
          <Button className="h-6! px-2! text-xs!" onClick={choose}>
            <Clapperboard size={14} aria-hidden />
            {t("media.bringShort")}
          </Button>
        )
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
