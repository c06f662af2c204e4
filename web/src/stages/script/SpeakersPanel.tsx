import { Merge, Pencil } from "lucide-react";
import { useState } from "react";
import { DropdownMenu } from "radix-ui";
import { useTranslation } from "react-i18next";

import { useNotices } from "../../frame/notices";
import { usePlace } from "../../frame/place";
import { api, data, type Line, type Production, type Speaker } from "../../shared/api/client";
import { useChange } from "../../shared/api/queries";
import { FIELD, IconButton, Tip } from "../../shared/ui/controls";
import { SpeakerMark } from "../../shared/ui/SpeakerMark";

/** Who is in the script: how much each says, and renaming and merging them. */
export function SpeakersPanel({ production, lines }: { production: Production; lines: readonly Line[] }) {
  const { t } = useTranslation();
  const place = usePlace();
  const say = useNotices((state) => state.say);
  const [renaming, setRenaming] = useState<number | null>(null);
  const tell = { onError: (error: Error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) };
  const rename = useChange(production.id, ({ id, name }: { id: number; name: string }) =>
    data(api.PATCH("/api/speakers/{speaker_id}/", { params: { path: { speaker_id: id } }, body: { name } })),
  );
  const merge = useChange(production.id, ({ id, into }: { id: number; into: number }) =>
    data(api.POST("/api/speakers/{speaker_id}/merge/", { params: { path: { speaker_id: id } }, body: { into } })),
  );
  const mayChange = production.role !== "reader";
  function keep(speaker: Speaker, name: string) {
    setRenaming(null);
    if (name.trim() && name.trim() !== speaker.name) rename.mutate({ id: speaker.id, name }, tell);
  }
  return (
    <aside className="w-72 shrink-0 border-s border-rule overflow-auto p-4" aria-labelledby="speakers">
      <h2 id="speakers" className="font-semibold mb-3">{t("script.speakers", { count: production.speakers.length })}</h2>
      <ul className="flex flex-col gap-1">
        {production.speakers.map((speaker) => (
          <li key={speaker.id} className="flex items-center gap-2 rounded-md p-1 hover:bg-sunk group">
            <SpeakerMark name={speaker.name} position={speaker.position} />
            {renaming === speaker.id ? (
              <input
                aria-label={t("script.renameWhom", { name: speaker.name })}
                className={FIELD}
                autoFocus
                defaultValue={speaker.name}
                maxLength={120}
                onFocus={(event) => event.target.select()}
                onBlur={(event) => keep(speaker, event.target.value)}
                onKeyDown={(event) => {
                  if (event.key === "Enter") event.currentTarget.blur();
                  if (event.key === "Escape") {
                    event.currentTarget.value = speaker.name;
                    event.currentTarget.blur();
                  }
                }}
              />
            ) : (
              <>
                <Tip text={speaker.name}>
                  <button
                    type="button"
                    className="grow min-w-0 text-start"
                    onClick={() => {
                      const first = lines.find((line) => line.speaker === speaker.id);
                      if (first) place.select(first.id);
                    }}
                  >
                    <span className="block truncate font-semibold text-sm">{speaker.name}</span>
                    <span className="block text-xs text-soft">{t("script.lineCount", { count: speaker.lines })}</span>
                  </button>
                </Tip>
                {mayChange && (
                  <IconButton name={t("script.renameWhom", { name: speaker.name })} onClick={() => setRenaming(speaker.id)}>
                    <Pencil size={14} aria-hidden />
                  </IconButton>
                )}
                {mayChange && production.speakers.length > 1 && (
                  <DropdownMenu.Root>
                    <DropdownMenu.Trigger asChild>
                      <button
                        type="button"
                        className="inline-grid place-items-center size-8 rounded-md hover:bg-sunk"
                        aria-label={t("script.mergeWhom", { name: speaker.name })}
                        title={t("script.mergeWhom", { name: speaker.name })}
                      >
                        <Merge size={14} aria-hidden />
                      </button>
                    </DropdownMenu.Trigger>
                    <DropdownMenu.Portal>
                      <DropdownMenu.Content align="end" className="z-40 bg-paper border border-rule rounded-md shadow-xl p-1 max-h-80 overflow-auto max-w-72">
                        <DropdownMenu.Label className="px-2 py-1 text-xs text-soft">{t("script.mergeInto")}</DropdownMenu.Label>
                        {production.speakers
                          .filter((other) => other.id !== speaker.id)
                          .map((other) => (
                            <DropdownMenu.Item
                              key={other.id}
                              className="flex items-center gap-2 px-2 py-1 rounded-sm text-sm data-highlighted:bg-tide-wash outline-none"
                              onSelect={() => merge.mutate({ id: speaker.id, into: other.id }, tell)}
                            >
                              <SpeakerMark name={other.name} position={other.position} size={20} />
                              <span className="truncate">{other.name}</span>
                            </DropdownMenu.Item>
                          ))}
                      </DropdownMenu.Content>
                    </DropdownMenu.Portal>
                  </DropdownMenu.Root>
                )}
              </>
            )}
          </li>
        ))}
      </ul>
      <a className="mt-4 inline-block text-sm underline decoration-rule hover:decoration-tide" href={`/api/productions/${production.id}/script.csv`} download>
        {t("script.download")}
      </a>
    </aside>
  );
}
