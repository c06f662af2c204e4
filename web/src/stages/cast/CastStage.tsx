import { useQueries } from "@tanstack/react-query";
import type { TFunction } from "i18next";
import { ListVideo, Square, TriangleAlert } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import type { StageProps } from "../../shared/stage";
import { useNotices } from "../../shared/notices";
import { usePlace } from "../../shared/place";
import { useSample } from "../../shared/player";
import { api, data, editionPath, type Casting, type Edition, type Speaker, type Voice, type VoiceSettings } from "../../shared/api/client";
import { fetchCastings, useChange } from "../../shared/api/queries";
import { clock } from "../../shared/format";
import { VOICE_SETTINGS } from "../../shared/settings.generated";
import { Button, Empty, Tick, Tip } from "../../shared/ui/controls";
import { SampleButton } from "../../shared/ui/SampleButton";
import { SpeakerMark } from "../../shared/ui/SpeakerMark";
import { ContrastMap } from "./ContrastMap";
import { exchangeOf } from "./exchange";
import { Homes } from "./Homes";
import { rights } from "./rights";
import { SheetMenu } from "./SheetMenu";
import { NO_FILTERS, VoiceChooser } from "./VoiceChooser";

export function auditionAddress(production: number, language: string, speaker: number, voice: string, settings?: Partial<VoiceSettings>) {
  const query = new URLSearchParams({ voice });
  for (const [name, value] of Object.entries(settings ?? {})) if (value !== VOICE_SETTINGS[name as keyof VoiceSettings].usual) query.set(name, String(value));
  query.delete("level_db");
  return `${editionPath(production, language)}/castings/${speaker}/audition/?${query.toString()}`;
}

const LETTERS_A_SECOND = 14.5;

/** Where a voice is at home, in a word: that people keep it, its accent, or with what accent a rich voice speaks a language that is not its own. */
export function voiceHome(voice: Voice, t: TFunction) {
  if (voice.version) return voice.version > 1 ? t("cast.keptVersion", { version: voice.version }) : t("cast.kept");
  if (voice.engine !== "rich") return voice.accent;
  if (!voice.from_home && voice.understood !== null) return t("cast.understoodTo", { percent: Math.floor(100 * voice.understood) });
  if (!voice.from_home) return t("cast.accentOf", { language: voice.language.replace(/\s*\(.*\)$/, "") });
  return [t("cast.engine.rich"), voice.accent].filter(Boolean).join(", ");
}

/** Speakers down, editions across; the chosen cell's voices beside them. */
export function CastStage({ production, edition }: StageProps) {
  const { t } = useTranslation();
  const place = usePlace();
  const fromLine = edition.lines.find((line) => line.id === place.line)?.speaker;
  const [chosen, setChosen] = useState<{ speaker: number; language: string } | null>(null);
  const say = useNotices((state) => state.say);
  const sell = useChange(production.id, (commercial: boolean) =>
    data(api.PATCH("/api/productions/{production_id}/", { params: { path: { production_id: production.id } }, body: { commercial } })),
  );
  const all = useChange(production.id, async () => {
    const done = await data(api.POST("/api/productions/{production_id}/cast-all/", { params: { path: { production_id: production.id } } }));
    say({ tone: "calm", text: t("cast.allDone", { count: Object.values(done.cast).reduce((sum, one) => sum + one, 0) }) });
  });
  const [filters, setFilters] = useState(NO_FILTERS);
  const [view, setView] = useState<"table" | "map">("table");
  // Who says nothing needs no voice.
  const speakers = production.speakers.filter((one) => one.lines > 0);
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
  if (!speakers.length)
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
    : { speaker: fromLine ?? speakers[0]?.id ?? 0, language: place.language };
  const speaker = speakers.find((one) => one.id === cell.speaker) ?? speakers[0];
  const spoken = (id: number) =>
    edition.lines.filter((line) => line.speaker === id).reduce((sum, line) => sum + line.seconds, 0);
  /** Not voiced yet: by the letters, at the speed at which most people speak. */
  const said = (id: number) => edition.lines.filter((line) => line.speaker === id).reduce((sum, line) => sum + line.words.length, 0) / LETTERS_A_SECOND;
  function choose(speakerId: number, language: string) {
    setChosen({ speaker: speakerId, language });
    if (language !== place.language) place.go({ language });
  }
  const partNames = new Map(production.parts.map((part) => [part.id, part.name]));
  const partsOf = (id: number) => [...new Set(edition.lines.flatMap((line) => (line.speaker === id && line.part !== null ? [partNames.get(line.part) ?? ""] : [])))];
  const heard = (one: Casting) => auditionAddress(production.id, one.language, one.speaker, one.voice.id, one.settings);
  /** A speaker in every edition, one after the other. */
  const acrossEditions = (id: number) => production.editions.flatMap((one) => castings.get(`${one.language}/${id}`) ?? []).map(heard);
  /** An exchange between the speakers of an edition: as the script has it, in takes where they are made. */
  function exchange(language: string): string[] {
    const lines = exchangeOf(edition.lines.filter((line) => castings.has(`${language}/${line.speaker}`)));
    return lines.flatMap((line) => {
      const casting = castings.get(`${language}/${line.speaker}`);
      if (language === edition.edition.language && line.state === "current") return [`${editionPath(production.id, language)}/lines/${line.id}/take.wav`];
      return casting ? [heard(casting)] : [];
    });
  }
  return (
    <>
      <div className="shrink min-w-96 overflow-auto py-3 pe-4">
        <div className="sticky start-0 w-fit max-w-full flex flex-wrap items-center gap-2 ps-4 mb-2">
          <div role="group" aria-label={t("cast.view")} className="flex rounded-md border border-rule bg-paper p-0.5">
            {(["table", "map"] as const).map((one) => (
              <button key={one} type="button" aria-pressed={view === one} className={`px-3 h-7 rounded-sm text-sm ${view === one ? "bg-tide-wash font-semibold" : "text-soft hover:text-ink"}`} onClick={() => setView(one)}>
                {t(`cast.views.${one}`)}
              </button>
            ))}
          </div>
          <SheetMenu production={production} />
          {production.role !== "reader" && production.editions.length > 1 && (
            <Tip text={t("cast.allWhat")}>
              <Button disabled={all.isPending} onClick={() => all.mutate(undefined, { onError: (error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) })}>
                {all.isPending ? <span role="status">{t("cast.casting")}</span> : t("cast.all")}
              </Button>
            </Tip>
          )}
          <Tick
            label={t("cast.commercial")}
            checked={production.commercial}
            disabled={production.role === "reader"}
            onChange={(commercial) => sell.mutate(commercial, { onError: (error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) })}
            className="h-8 px-1"
          />
        </div>
        <Homes key={edition.edition.language} production={production} edition={edition.edition} />
        {view === "map" && <ContrastMap production={production} edition={edition} chosen={cell.speaker} onChoose={(id) => choose(id, place.language)} />}
        {view === "table" && <table ref={table} className="border-separate border-spacing-1.5" aria-label={t("cast.table")}>
          <thead>
            <tr>
              <th scope="col" className="sticky start-0 z-10 bg-ground text-start text-xs font-normal text-soft ps-4">
                {t("script.speakers", { count: speakers.length })}
              </th>
              {production.editions.map((one) => (
                <th key={one.language} scope="col" data-column={one.language} className="text-start px-1 pb-1 min-w-40">
                  <span className="flex items-center gap-1">
                    <span className="text-sm" lang={one.language}>{one.own_name}</span>
                    {speakers.some((s) => castings.has(`${one.language}/${s.id}`)) && (
                      <RowButton name={t("cast.hearExchange", { language: one.name })} row={`edition ${one.language}`} addresses={() => exchange(one.language)} />
                    )}
                  </span>
                  <span className="block text-xs font-normal text-soft">
                    {known(one.language)
                      ? t("cast.of", {
                          done: speakers.filter((s) => castings.has(`${one.language}/${s.id}`)).length,
                          total: speakers.length,
                        })
                      : "…"}
                  </span>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {speakers.map((one) => (
              <tr key={one.id}>
                <th scope="row" className="sticky start-0 z-10 bg-ground text-start ps-4 pe-2">
                  <span className="flex items-center gap-2 w-52">
                    <SpeakerMark name={one.name} position={one.position} size={32} />
                    <span className="grow min-w-0">
                      <span className="block truncate text-sm" title={one.name}>{one.name}</span>
                      <span className="block text-xs font-normal text-soft">
                        {t("script.lineCount", { count: one.lines })}
                        {spoken(one.id) > 0 ? ` · ${clock(spoken(one.id))}` : said(one.id) > 0 ? ` · ${t("cast.about", { time: clock(said(one.id)) })}` : ""}
                      </span>
                      {one.note && <span className="block truncate text-xs font-normal italic text-soft" title={one.note}>{one.note}</span>}
                      {partsOf(one.id).length > 0 && partsOf(one.id).length < production.parts.length && (
                        <span className="block truncate text-xs font-normal text-soft" title={partsOf(one.id).join(", ")}>{partsOf(one.id).join(", ")}</span>
                      )}
                    </span>
                    {acrossEditions(one.id).length > 1 && (
                      <RowButton name={t("cast.hearEverywhere", { speaker: one.name })} row={`speaker ${one.id}`} addresses={() => acrossEditions(one.id)} />
                    )}
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
                      commercial={production.commercial}
                      onChoose={() => choose(one.id, column.language)}
                    />
                    )}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>}
      </div>
      {speaker && (
        <VoiceChooser
          key={`${speaker.id}/${cell.language}`}
          production={production}
          edition={edition}
          speaker={speaker}
          casting={castings.get(`${cell.language}/${speaker.id}`)}
          line={edition.lines.find((line) => line.id === place.line && line.speaker === speaker.id)}
          filters={filters}
          onFilters={setFilters}
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
  commercial,
  onChoose,
}: {
  production: number;
  edition: Edition;
  speaker: Speaker;
  casting: Casting | undefined;
  selected: boolean;
  commercial: boolean;
  onChoose: () => void;
}) {
  const { t } = useTranslation();
  const frame = selected ? "outline-2 outline-tide -outline-offset-1" : "";
  const forbidden = commercial && casting?.voice.commercial !== true;
  const trouble = casting?.wrong_language || forbidden || (casting?.alike.length ?? 0) > 0;
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
        address={auditionAddress(production, edition.language, speaker.id, casting.voice.id, casting.settings)}
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
            {forbidden
              ? t(`cast.forbidden.${rights(casting.voice.commercial)}`)
              : casting.wrong_language
              ? t("cast.speaks", { language: casting.voice.language })
              : casting.alike.length
                ? t("cast.alike", { names: casting.alike.join(", ") })
              : !casting.voice.from_home
                ? [t(`register.${casting.voice.register}`), t(`age.${casting.voice.age}`), t("cast.accentOf", { language: casting.voice.language.replace(/\s*\(.*\)$/, "") })].join(" · ")
                : `${voiceHome(casting.voice, t)} · ${t(`register.${casting.voice.register}`)} · ${t(`age.${casting.voice.age}`)}`}
          </span>
        </span>
      </button>
    </div>
  );
}

/** Plays several sounds in a row; pressed again, stops them. */
export function RowButton({ name, row, addresses }: { name: string; row: string; addresses: () => readonly string[] }) {
  const sample = useSample();
  const mine = sample.row === row;
  return (
    <button
      type="button"
      aria-label={name}
      title={name}
      aria-pressed={mine}
      className="grid place-items-center size-7 shrink-0 rounded-md text-tide hover:bg-sunk"
      onClick={() => sample.playRow(row, addresses())}
    >
      {mine ? <Square size={12} fill="currentColor" aria-hidden /> : <ListVideo size={14} aria-hidden />}
    </button>
  );
}
