import { Merge, Pencil, Trash2 } from "lucide-react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { DropdownMenu } from "radix-ui";
import { useTranslation } from "react-i18next";

import { useNotices } from "../../shared/notices";
import { usePlace } from "../../shared/place";
import { api, data, type Production, type Speaker } from "../../shared/api/client";
import { useChange } from "../../shared/api/queries";
import { askForProductionFile, useHandOver } from "../../shared/handOver";
import { Button, FIELD, IconButton, Notice, Tip } from "../../shared/ui/controls";
import { SpeakerMark } from "../../shared/ui/SpeakerMark";
import { UNNAMED, type ScriptState } from "../../shared/script/scriptState";
import { SpeakerField } from "../../shared/ui/SpeakerField";
import type { ScriptActions } from "../../shared/script/useScript";

/** As what the script can be taken away. */
const FORMATS = ["csv", "xlsx", "docx", "txt", "fountain", "srt", "vtt", "ttml", "pptx", "json"] as const;

const LEFT_ALONE = "janoglot.left-alone/";

function keptLeftAlone(production: number): string[] {
  try {
    const found: unknown = JSON.parse(localStorage.getItem(LEFT_ALONE + production) ?? "[]");
    return Array.isArray(found) ? found.filter((one): one is string => typeof one === "string") : [];
  } catch {
    return [];
  }
}

function keepLeftAlone(production: number, names: readonly string[]): void {
  try {
    localStorage.setItem(LEFT_ALONE + production, JSON.stringify(names));
  } catch {
    // Full, or forbidden: it is so until the page is left.
  }
}

/** Who is in the script: how much each says, and renaming and merging them. */
export function SpeakersPanel({ production, script, actions, onGiving }: { production: Production; script: ScriptState; actions: ScriptActions; onGiving: () => void }) {
  const { t } = useTranslation();
  const place = usePlace();
  const say = useNotices((state) => state.say);
  const [renaming, setRenaming] = useState<number | null>(null);
  const { waiting, take } = useHandOver(production.id);
  const tell = { onError: (error: Error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) };
  const rename = useChange(production.id, ({ id, name }: { id: number; name: string }) =>
    data(api.PATCH("/api/speakers/{speaker_id}/", { params: { path: { speaker_id: id } }, body: { name } })),
  );
  const merge = useChange(production.id, ({ id, into }: { id: number; into: number }) =>
    data(api.POST("/api/speakers/{speaker_id}/merge/", { params: { path: { speaker_id: id } }, body: { into } })),
  );
  const remove = useChange(production.id, (id: number) => data(api.DELETE("/api/speakers/{speaker_id}/", { params: { path: { speaker_id: id } } })));
  const mayChange = production.role !== "reader";
  const { speakers, lines } = script;
  const unnamed = speakers.find((one) => one.name === UNNAMED && one.lines > 0);
  const [leftAlone, setLeftAlone] = useState<ReadonlySet<string>>(() => new Set(keptLeftAlone(production.id)));
  const alike = useQuery({
    queryKey: ["production", production.id, "labels"],
    queryFn: () => data(api.GET("/api/productions/{production_id}/script/labels/", { params: { path: { production_id: production.id } } })),
  });
  const name = (id: number) => speakers.find((one) => one.id === id)?.name ?? "";
  /** By their names: who is called otherwise later is asked about again. */
  const called = (ids: readonly number[]) => ids.map(name).sort().join("\n");
  function leaveAlone(names: string) {
    const next = [...leftAlone, names];
    setLeftAlone(new Set(next));
    keepLeftAlone(production.id, next);
  }
  function keep(speaker: Speaker, name: string) {
    setRenaming(null);
    if (name.trim() && name.trim() !== speaker.name) rename.mutate({ id: speaker.id, name }, tell);
  }
  return (
    <div className="flex flex-col gap-3">
      {mayChange && unnamed && (
        <div className="rounded-md border border-rule bg-paper p-2">
          <p className="text-sm mb-1">{t("script.unnamed", { count: unnamed.lines })}</p>
          <span className="block rounded-md border border-rule">
            <SpeakerField
              speakers={speakers.filter((one) => one.id !== unnamed.id)}
              label={t("script.unnamedTo")}
              placeholder={t("script.unnamedTo")}
              className="font-normal h-7"
              onChoose={(to) => void actions.giveAllOf(unnamed.id, to)}
            />
          </span>
        </div>
      )}
      {mayChange &&
        (alike.data ?? [])
          .filter((group) => !leftAlone.has(called(group.speakers)) && group.speakers.every((id) => name(id)) && name(group.into))
          .map((group) => (
            <Notice key={group.into}>
              <p>{t("script.alike", { names: group.speakers.map(name).join(", "), name: name(group.into) })}</p>
              <p className="flex gap-2 mt-1.5">
                <Button onClick={() => void actions.mergeLabels(group.into, group.speakers)}>{t("script.makeOne")}</Button>
                <Button look="quiet" onClick={() => leaveAlone(called(group.speakers))}>{t("script.leaveThem")}</Button>
              </p>
            </Notice>
          ))}
      <h2 className="font-semibold text-sm">{t("script.speakers", { count: speakers.length })}</h2>
      <ul className="flex flex-col gap-1">
        {speakers.map((speaker) => (
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
                {mayChange && speaker.lines === 0 && (
                  <IconButton name={t("script.removeWhom", { name: speaker.name })} onClick={() => remove.mutate(speaker.id, { ...tell, onSettled: () => void actions.lookAgain() })}>
                    <Trash2 size={14} aria-hidden />
                  </IconButton>
                )}
                {mayChange && speakers.length > 1 && (
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
                        {speakers
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
      {mayChange && lines.length > 0 && <Button onClick={onGiving}>{t("script.giveByKey")}</Button>}
      <div>
        <p className="text-xs text-soft mb-1">{t("script.takeOut")}</p>
        <p className="flex flex-wrap gap-1 text-sm">
          {FORMATS.map((one) => (
            <button
              key={one}
              type="button"
              aria-busy={waiting}
              className="px-1.5 h-7 inline-flex items-center rounded-sm border border-rule bg-paper hover:border-tide aria-busy:opacity-60"
              onClick={() => void take(() => askForProductionFile(production.id, { file: `script.${one}` }))}
            >
              {one.toUpperCase()}
            </button>
          ))}
        </p>
      </div>
    </div>
  );
}
