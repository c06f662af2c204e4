import { useQueries } from "@tanstack/react-query";
import { LoaderCircle, Play, Square, TriangleAlert } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import type { StageProps } from "../../frame/Workplace";
import { usePlace } from "../../frame/place";
import { useSample } from "../../frame/player";
import { editionPath, type Casting, type Edition, type Speaker, type Voice } from "../../shared/api/client";
import { fetchCastings } from "../../shared/api/queries";
import { clock } from "../../shared/format";
import { Empty } from "../../shared/ui/controls";
import { SpeakerMark } from "../../shared/ui/SpeakerMark";
import { VoiceChooser } from "./VoiceChooser";

export function auditionAddress(production: number, language: string, speaker: number, casting: { voice: string; pace?: number; pitch?: number }) {
  const query = new URLSearchParams({ voice: casting.voice });
  if (casting.pace && casting.pace !== 1) query.set("pace", String(casting.pace));
  if (casting.pitch) query.set("pitch", String(casting.pitch));
  return `${editionPath(production, language)}/castings/${speaker}/audition/?${query.toString()}`;
}

/** Where a voice is at home, in a word: its accent, or that it is a rich voice which speaks any of its languages. */
export function voiceHome(voice: Voice, t: (key: string) => string) {
  return voice.engine === "rich" ? t("cast.engine.rich") : voice.accent;
}

/** Speakers down, editions across; the chosen cell's voices beside them. */
export function CastStage({ production, edition }: StageProps) {
  const { t } = useTranslation();
  const place = usePlace();
  const fromLine = edition.lines.find((line) => line.id === place.line)?.speaker;
  const [chosen, setChosen] = useState<{ speaker: number; language: string } | null>(null);
  const queries = useQueries({
    queries: production.editions.map((one) => ({
      queryKey: ["production", production.id, "castings", one.language],
      queryFn: () => fetchCastings(production.id, one.language),
    })),
  });
  const table = useRef<HTMLTableElement>(null);
  useEffect(() => {
    table.current?.querySelector(`[data-column="${place.language}"]`)?.scrollIntoView({ inline: "nearest", block: "nearest" });
  }, [place.language]);
  if (!production.speakers.length)
    return (
      <Empty title={t("cast.empty")}>
        <p>{t("script.emptyHint")}</p>
      </Empty>
    );
  const known = (language: string) => queries[production.editions.findIndex((one) => one.language === language)]?.data !== undefined;
  const castings = new Map<string, Casting>();
  for (const query of queries) for (const one of query.data ?? []) castings.set(`${one.language}/${one.speaker}`, one);
  const cell = chosen && chosen.language === place.language
    ? chosen
    : { speaker: fromLine ?? production.speakers[0]?.id ?? 0, language: place.language };
  const speaker = production.speakers.find((one) => one.id === cell.speaker) ?? production.speakers[0];
  const spoken = (id: number) =>
    edition.lines.filter((line) => line.speaker === id).reduce((sum, line) => sum + line.seconds, 0);
  function choose(speakerId: number, language: string) {
    setChosen({ speaker: speakerId, language });
    if (language !== place.language) place.go({ language });
  }
  return (
    <>
      <div className="grow min-w-0 overflow-auto py-4 pe-4">
        <table ref={table} className="border-separate border-spacing-1.5" aria-label={t("cast.table")}>
          <thead>
            <tr>
              <th scope="col" className="sticky start-0 z-10 bg-ground text-start text-xs font-normal text-soft ps-4">
                {t("script.speakers", { count: production.speakers.length })}
              </th>
              {production.editions.map((one) => (
                <th key={one.language} scope="col" data-column={one.language} className="text-start px-1 pb-1 min-w-40">
                  <span className="block text-sm" lang={one.language}>{one.own_name}</span>
                  <span className="block text-xs font-normal text-soft">
                    {known(one.language)
                      ? t("cast.of", {
                          done: production.speakers.filter((s) => castings.has(`${one.language}/${s.id}`)).length,
                          total: production.speakers.length,
                        })
                      : "…"}
                  </span>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {production.speakers.map((one) => (
              <tr key={one.id}>
                <th scope="row" className="sticky start-0 z-10 bg-ground text-start ps-4 pe-2">
                  <span className="flex items-center gap-2 w-44">
                    <SpeakerMark name={one.name} position={one.position} size={32} />
                    <span className="min-w-0">
                      <span className="block truncate text-sm" title={one.name}>{one.name}</span>
                      <span className="block text-xs font-normal text-soft">
                        {t("script.lineCount", { count: one.lines })}
                        {spoken(one.id) > 0 && ` · ${clock(spoken(one.id))}`}
                      </span>
                    </span>
                  </span>
                </th>
                {production.editions.map((column) => (
                  <td key={column.language} className="p-0 align-top">
                    {!known(column.language) ? (
                      <span className="block h-15 min-w-40 rounded-md bg-sunk" />
                    ) : (
                    <CastCell
                      production={production.id}
                      edition={column}
                      speaker={one}
                      casting={castings.get(`${column.language}/${one.id}`)}
                      selected={one.id === cell.speaker && column.language === cell.language}
                      onChoose={() => choose(one.id, column.language)}
                    />
                    )}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {speaker && (
        <VoiceChooser
          key={`${speaker.id}/${cell.language}`}
          production={production}
          edition={edition}
          speaker={speaker}
          casting={castings.get(`${cell.language}/${speaker.id}`)}
        />
      )}
    </>
  );
}

function CastCell({
  production,
  edition,
  speaker,
  casting,
  selected,
  onChoose,
}: {
  production: number;
  edition: Edition;
  speaker: Speaker;
  casting: Casting | undefined;
  selected: boolean;
  onChoose: () => void;
}) {
  const { t } = useTranslation();
  const frame = selected ? "outline-2 outline-tide -outline-offset-1" : "";
  const trouble = casting?.wrong_language || (casting?.alike.length ?? 0) > 0;
  if (!casting)
    return (
      <button
        type="button"
        aria-pressed={selected}
        aria-label={t("cast.chooseFor", { speaker: speaker.name, language: edition.name })}
        className={`w-full h-15 min-w-40 rounded-md border border-dashed border-soft/60 text-sm text-soft hover:border-tide hover:text-ink ${frame}`}
        onClick={onChoose}
      >
        {t("cast.choose")}
      </button>
    );
  return (
    <div className={`h-15 min-w-40 flex items-center rounded-md border bg-paper ${trouble ? "border-alarm" : "border-rule"} ${frame}`}>
      <SampleButton
        name={t("cast.hear", { voice: casting.voice.name, speaker: speaker.name })}
        address={auditionAddress(production, edition.language, speaker.id, { voice: casting.voice.id, pace: casting.pace, pitch: casting.pitch })}
      />
      <button
        type="button"
        aria-pressed={selected}
        className="relative grow min-w-0 h-full text-start pe-2"
        onClick={onChoose}
      >
        <span className="sr-only">{t("cast.cell", { speaker: speaker.name, language: edition.name })}</span>
        <span className="block truncate text-sm font-semibold">{casting.voice.name}</span>
        <span className="flex items-center gap-1 text-xs text-soft">
          {trouble && <TriangleAlert size={12} className="text-alarm shrink-0" aria-hidden />}
          <span className="truncate">
            {casting.wrong_language
              ? t("cast.speaks", { language: casting.voice.language })
              : casting.alike.length
                ? t("cast.alike", { names: casting.alike.join(", ") })
                : `${voiceHome(casting.voice, t)} · ${t(`register.${casting.voice.register}`)} · ${t(`age.${casting.voice.age}`)}`}
          </span>
        </span>
      </button>
    </div>
  );
}

/** Plays one short sound; pressed again, stops it. */
export function SampleButton({ name, address, small = false }: { name: string; address: string; small?: boolean }) {
  const sample = useSample();
  const mine = sample.address === address;
  return (
    <button
      type="button"
      aria-label={name}
      title={name}
      aria-pressed={mine}
      className={`grid place-items-center ${small ? "size-7" : "size-9"} shrink-0 rounded-md hover:bg-sunk ${sample.fault === address ? "text-alarm" : "text-tide"}`}
      onClick={() => sample.toggle(address)}
    >
      {mine && sample.loading ? (
        <LoaderCircle size={15} className="animate-spin" aria-hidden />
      ) : mine ? (
        <Square size={13} fill="currentColor" aria-hidden />
      ) : (
        <Play size={14} fill="currentColor" aria-hidden />
      )}
    </button>
  );
}
