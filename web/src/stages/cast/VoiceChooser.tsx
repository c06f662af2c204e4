import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Search, Star, TriangleAlert } from "lucide-react";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";

import { useNotices } from "../../shared/notices";
import { useSample } from "../../shared/player";
import { api, data, type Casting, type EditionLines, type Line, type Match, type Production, type Schemas, type Speaker, type Voice } from "../../shared/api/client";
import { castRest, haveMeasured, setCasting, useCastings, useChange, useSession, useVoices } from "../../shared/api/queries";
import { Button, Notice, Select, Tick, Tip } from "../../shared/ui/controls";
import { SpeakerMark } from "../../shared/ui/SpeakerMark";
import { auditionAddress, voiceHome } from "./CastStage";
import { SampleButton } from "../../shared/ui/SampleButton";
import { CastingSettings } from "./CastingSettings";
import { Comparison } from "./Comparison";

const REGISTERS = ["low", "low-mid", "mid", "high-mid", "high"] as const;
const AGES = ["child", "teen", "20s", "30s", "40s", "50s", "60s", "70s"] as const;
const ORDERS = ["near", "pitch", "name", "recent"] as const;
const SHOWN = 120;
const MOST_COMPARED = 4;
const RECENT = "janoglot.recent-voices";
const MOST_RECENT = 12;

/** Who is at home in the language comes first, then who was found to be understood in it; light voices behind them. */
function strangeness(voice: Voice) {
  if (voice.from_home) return voice.engine === "formant" ? 2 : 0;
  return voice.understood === null ? 3 : 1;
}

type Order = (typeof ORDERS)[number];

function recentVoices(): string[] {
  try {
    const kept: unknown = JSON.parse(localStorage.getItem(RECENT) ?? "[]");
    return Array.isArray(kept) ? kept.filter((one): one is string => typeof one === "string") : [];
  } catch {
    return [];
  }
}

function remember(voice: string): void {
  localStorage.setItem(RECENT, JSON.stringify([voice, ...recentVoices().filter((one) => one !== voice)].slice(0, MOST_RECENT)));
}

/** What the list is narrowed to: it stays from speaker to speaker. */
export interface Filters {
  readonly others: boolean;
  readonly other: string;
  readonly accent: string;
  readonly kind: string;
  readonly register: string;
  readonly age: string;
  readonly starred: boolean;
  readonly order: Order;
}
export const NO_FILTERS: Filters = { others: false, other: "", accent: "", kind: "", register: "", age: "", starred: false, order: "near" };

/** The voices that could speak for one speaker in one edition, each heard in the speaker's own words. */
export function VoiceChooser({
  production,
  edition,
  speaker,
  casting,
  line,
  filters,
  onFilters,
}: {
  production: Production;
  edition: EditionLines;
  speaker: Speaker;
  casting: Casting | undefined;
  /** The chosen line, where it is this speaker's. */
  line: Line | undefined;
  filters: Filters;
  onFilters: (filters: Filters) => void;
}) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const { language, own_name, direction, name } = edition.edition;
  const { others, other, kind, register, age, starred, order } = filters;
  const change = (some: Partial<Filters>) => onFilters({ ...filters, ...some });
  const [search, setSearch] = useState("");
  const [compared, setCompared] = useState<readonly string[]>([]);
  const [alone, setAlone] = useState(false);
  const toggle = useSample((state) => state.toggle);
  const listed = useVoices(production.id, language, others).data;
  const voices = listed ?? [];
  const session = useSession().data;
  const path = { production_id: production.id, language, speaker_id: speaker.id };
  const asked = useQuery({
    queryKey: ["production", production.id, "sample", language, speaker.id],
    queryFn: () => data(api.GET("/api/productions/{production_id}/editions/{language}/castings/{speaker_id}/sample/", { params: { path } })),
  });
  const matched = useQuery({
    queryKey: ["production", production.id, "match", language, speaker.id],
    queryFn: () => data(api.GET("/api/productions/{production_id}/editions/{language}/castings/{speaker_id}/match/", { params: { path } })),
    placeholderData: (previous) => previous,
  });
  useEffect(() => void haveMeasured(production.id, language).catch(() => undefined), [production.id, language]);
  const favourites = useQuery({ queryKey: ["favourites"], queryFn: () => data(api.GET("/api/voices/favourites/")), staleTime: 60_000 });
  const mine = new Set(favourites.data?.voices ?? []);
  const keep = useMutation({
    mutationFn: (wanted: string[]) => data(api.PUT("/api/voices/favourites/", { body: { voices: wanted } })),
    onSuccess: (now) => client.setQueryData(["favourites"], now),
  });
  const ownLine = alone && line ? line : undefined;
  const set = useChange(production.id, (voice: string): Promise<unknown> =>
    ownLine
      ? data(
          api.PUT("/api/productions/{production_id}/editions/{language}/lines/{line_id}/casting/", {
            params: { path: { production_id: production.id, language, line_id: ownLine.id } },
            body: { voice: voice === casting?.voice.id ? "" : voice },
          }),
        )
      : setCasting(production.id, language, speaker.id, { voice }),
  );
  const meant = useChange(production.id, () => setCasting(production.id, language, speaker.id, { accent_meant: true }));
  const byPerson = useChange(production.id, (on: boolean) => setCasting(production.id, language, speaker.id, { by_person: on }));
  const rest = useChange(production.id, () => castRest(production.id, language));
  const tell = { onError: (error: Error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) };
  const sample = asked.data;
  const readOnly = production.role === "reader";
  const cast = useCastings(production.id, language).data;
  // With words or without: an edition is often cast before it is translated.
  const missing = cast !== undefined && production.speakers.some((one) => one.lines > 0 && !cast.some((casting_) => casting_.speaker === one.id));
  const accents = [...new Set(voices.filter((voice) => voice.native && voice.accent && (voice.engine !== "rich" || voice.from_home)).map((voice) => voice.accent))];
  // An accent of another language narrows nothing here.
  const accent = accents.includes(filters.accent) ? filters.accent : "";
  const kinds = [...new Set(voices.map((voice) => voice.engine))];
  const languages = [...new Set(voices.filter((voice) => !voice.native).map((voice) => voice.language))].sort();
  const matches = new Map<string, Match & { rank: number }>(matched.data?.map((match, rank) => [match.voice, { ...match, rank }]));
  const hasModel = matched.data?.some((match) => match.distance !== null) ?? false;
  const recent = order === "recent" ? recentVoices() : [];
  const wanted = search.trim().toLocaleLowerCase();
  const fits = (voice: Voice) =>
    (others ? !voice.native && (!other || voice.language === other) : voice.native) &&
    (!kind || voice.engine === kind) &&
    (!accent || others || voice.accent === accent) &&
    (!register || voice.register === register) &&
    (!age || voice.age === age) &&
    (!starred || mine.has(voice.id)) &&
    (!wanted || [voice.name, voice.accent, voice.language].some((text) => text.toLocaleLowerCase().includes(wanted)));
  const last = voices.length;
  const place = (voice: Voice): number | string =>
    order === "near" ? (hasModel ? (matches.get(voice.id)?.rank ?? last) : 0)
    : order === "pitch" ? voice.pitch_hz
    : order === "recent" ? (recent.indexOf(voice.id) + 1 || last)
    : voice.name;
  const found = voices
    .filter(fits)
    .map((voice, index) => ({ voice, index, at: place(voice), stranger: order === "near" ? strangeness(voice) : 0 }))
    .sort((a, b) => a.stranger - b.stranger || (a.at < b.at ? -1 : a.at > b.at ? 1 : a.index - b.index))
    .map((row) => row.voice);
  const shown = found.slice(0, SHOWN);
  const current = ownLine ? (ownLine.own?.voice || casting?.voice.id) : casting?.voice.id;
  const address = (voice: string) => auditionAddress(production.id, language, speaker.id, voice, { ...(casting?.settings ?? {}), pitch: 0, pace: 1 });
  function choose(voice: string) {
    remember(voice);
    set.mutate(voice, tell);
  }
  function compare(voice: string) {
    setCompared((old) => (old.includes(voice) ? old.filter((one) => one !== voice) : [...old, voice].slice(-MOST_COMPARED)));
  }
  function press(event: React.KeyboardEvent<HTMLElement>, voice: Voice) {
    if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      event.preventDefault();
      const rows = [...document.querySelectorAll<HTMLElement>("[data-voice]")];
      const next = rows[rows.findIndex((row) => row.dataset.voice === voice.id) + (event.key === "ArrowDown" ? 1 : -1)];
      next?.focus();
      if (next?.dataset.voice) toggle(address(next.dataset.voice));
    } else if (event.key.toLowerCase() === "c") {
      event.preventDefault();
      compare(voice.id);
    } else if (event.key.toLowerCase() === "f") {
      event.preventDefault();
      star(voice.id);
    }
  }
  function star(voice: string) {
    const next = new Set(mine);
    if (!next.delete(voice)) next.add(voice);
    keep.mutate([...next], tell);
  }
  return (
    <aside className="@container grow basis-88 min-w-88 border-s border-rule bg-paper flex flex-col min-h-0" aria-label={t("cast.chooser")}>
    <div className="grow min-h-0 overflow-auto @3xl:overflow-hidden grid grid-cols-1 @3xl:grid-cols-[minmax(0,1fr)_minmax(0,24rem)] @3xl:grid-rows-[minmax(0,1fr)]">
    <div className="flex flex-col @3xl:min-h-0">
      <div className="p-4 pb-2 flex flex-col gap-2">
        <h2 className="flex items-center gap-2 font-semibold min-w-0">
          <SpeakerMark name={speaker.name} position={speaker.position} size={24} />
          <span className="truncate">{speaker.name}</span>
          <span className="text-soft font-normal text-sm truncate" lang={language}>{own_name}</span>
        </h2>
        <WhoTheyAre production={production} speaker={speaker} />
        {asked.isPending ? (
          <p className="text-sm text-soft">…</p>
        ) : sample?.text ? (
          <p className="text-sm text-soft line-clamp-2" dir={direction} lang={language} title={sample.text}>“{sample.text}”</p>
        ) : (
          <p className="text-sm text-soft">{t("cast.noWords")}</p>
        )}
        {casting?.wrong_language && (
          <Notice>
            <p>{t("cast.wrong", { voice: casting.voice.name, theirs: casting.voice.language, ours: name })}</p>
            <Button className="mt-1.5" disabled={readOnly} onClick={() => meant.mutate(undefined, tell)}>{t("cast.meant")}</Button>
          </Notice>
        )}
        {casting && (casting.alike.length ?? 0) > 0 && <Notice>{t("cast.alikeLong", { names: casting.alike.join(", ") })}</Notice>}
        {missing && !readOnly && <Button onClick={() => rest.mutate(undefined, tell)} disabled={rest.isPending}>{rest.isPending ? <span role="status">{t("cast.casting")}</span> : t("cast.rest")}</Button>}
        {casting && (
          <Tip text={t("cast.byPersonWhat")}>
            <span><Tick label={t("cast.byPerson")} checked={casting.by_person} disabled={readOnly} onChange={(on) => byPerson.mutate(on, tell)} /></span>
          </Tip>
        )}
        {line && casting && !readOnly && (
          <div role="group" aria-label={t("cast.forWhat")} className="flex rounded-md border border-rule p-0.5">
            {[false, true].map((own) => (
              <button key={String(own)} type="button" aria-pressed={alone === own} className={`grow px-2 h-7 rounded-sm text-sm ${alone === own ? "bg-tide-wash font-semibold" : "text-soft hover:text-ink"}`} onClick={() => setAlone(own)}>
                {own ? t("cast.thisLine", { number: line.number }) : t("cast.allLines")}
              </button>
            ))}
          </div>
        )}
        <div className="relative">
          <Search size={14} aria-hidden className="absolute start-2.5 top-2 text-soft" />
          <input type="search" aria-label={t("cast.search")} placeholder={t("cast.search")} className="w-full h-8 rounded-md border border-rule bg-paper ps-8 pe-2 text-sm placeholder:text-soft" value={search} onChange={(event) => setSearch(event.target.value)} />
        </div>
        <div className="grid grid-cols-2 gap-1.5">
          <Select aria-label={t("cast.kind")} value={kind} onChange={(event) => change({ kind: event.target.value })}>
            <option value="">{t("cast.anyKind")}</option>
            {kinds.map((one) => <option key={one} value={one}>{t(`cast.engine.${one}`)}</option>)}
          </Select>
          {others ? (
            <Select aria-label={t("cast.language")} value={other} onChange={(event) => change({ other: event.target.value })}>
              <option value="">{t("cast.anyLanguage")}</option>
              {languages.map((one) => <option key={one}>{one}</option>)}
            </Select>
          ) : (
            <Select aria-label={t("cast.accent")} value={accent} onChange={(event) => change({ accent: event.target.value })}>
              <option value="">{t("cast.anyAccent")}</option>
              {accents.map((one) => <option key={one}>{one}</option>)}
            </Select>
          )}
          <Select aria-label={t("cast.register")} value={register} onChange={(event) => change({ register: event.target.value })}>
            <option value="">{t("cast.anyRegister")}</option>
            {REGISTERS.map((one) => <option key={one} value={one}>{t(`register.${one}`)}</option>)}
          </Select>
          <Select aria-label={t("cast.age")} value={age} onChange={(event) => change({ age: event.target.value })}>
            <option value="">{t("cast.anyAge")}</option>
            {AGES.map((one) => <option key={one} value={one}>{t(`age.${one}`)}</option>)}
          </Select>
        </div>
        <div className="flex items-center gap-2">
          <Select aria-label={t("cast.order")} className="grow" value={order} onChange={(event) => change({ order: event.target.value as Order })}>
            {ORDERS.map((one) => <option key={one} value={one}>{one === "near" && matched.data?.[0]?.nearest_to === "recording" ? t("cast.nearestRecorded") : t(`cast.orders.${one}`)}</option>)}
          </Select>
          <Button aria-pressed={starred} className={starred ? "bg-tide-wash" : ""} onClick={() => change({ starred: !starred })}>
            <Star size={14} aria-hidden fill={starred ? "currentColor" : "none"} />
            {t("cast.favourites")}
          </Button>
        </div>
        <Tick label={t("cast.others")} checked={others} onChange={(on) => change({ others: on })} />
      </div>
      <ul className="grow min-h-48 max-h-80 @3xl:max-h-none @3xl:min-h-0 overflow-auto px-3 pb-3 flex flex-col gap-0.5" aria-label={t("cast.voices", { count: found.length })}>
        {shown.map((voice) => {
          const match = matches.get(voice.id);
          const chosen = current === voice.id;
          return (
            <li key={voice.id} className={`flex items-center rounded-md ${chosen ? "bg-tide-wash" : "hover:bg-sunk"}`}>
              <SampleButton name={t("cast.hear", { voice: voice.name, speaker: speaker.name })} address={address(voice.id)} />
              <button
                type="button"
                data-voice={voice.id}
                aria-pressed={chosen}
                disabled={readOnly}
                className="grow min-w-0 text-start py-1"
                onClick={() => choose(voice.id)}
                onKeyDown={(event) => press(event, voice)}
              >
                <span className="flex items-baseline gap-2">
                  <span className="text-sm font-semibold truncate">{voice.name}</span>
                  <span className="text-xs text-soft ms-auto whitespace-nowrap tabular-nums">
                    {order === "near" && match && match.distance !== null ? t("cast.away", { value: match.distance.toFixed(1) }) : `${Math.round(match?.measure.pitch_hz ?? voice.pitch_hz)} Hz`}
                  </span>
                </span>
                <span className="flex items-center gap-1 text-xs text-soft min-w-0">
                  {(match?.alike.length ?? 0) > 0 && <TriangleAlert size={11} className="text-alarm shrink-0" aria-hidden />}
                  <span className="truncate">
                    {match?.alike.length
                      ? t("cast.alike", { names: match.alike.join(", ") })
                      : [voice.native ? voiceHome(voice, t) : voice.language, t(`register.${voice.register}`), t(`age.${voice.age}`)].join(" · ")}
                  </span>
                </span>
              </button>
              <button type="button" aria-label={t("cast.favourite", { voice: voice.name })} aria-pressed={mine.has(voice.id)} className="size-7 grid place-items-center rounded-md hover:bg-paper text-soft aria-pressed:text-tide" onClick={() => star(voice.id)}>
                <Star size={13} aria-hidden fill={mine.has(voice.id) ? "currentColor" : "none"} />
              </button>
              <span className="me-1.5 grid place-items-center size-6"><Tick hidden label={t("cast.compareOne", { voice: voice.name })} checked={compared.includes(voice.id)} onChange={() => compare(voice.id)} /></span>
            </li>
          );
        })}
        {session?.rich_missing && <li className="p-3 text-sm text-soft border-b border-rule">{t("cast.richMissing")}</li>}
        {listed && !found.length && <li className="p-3 text-sm text-soft">{t("cast.none")}</li>}
        {found.length > shown.length && <li className="p-3 text-sm text-soft">{t("cast.more", { count: found.length - shown.length })}</li>}
      </ul>
    </div>
    {/* Beside the list where there is room, so that what is set stays in sight while voices are compared. */}
    <div className="@3xl:min-h-0 @3xl:overflow-auto @3xl:border-s border-rule @3xl:pt-3">
      {casting && <CastingSettings key={ownLine?.id ?? 0} production={production} edition={edition} speaker={speaker} casting={casting} line={ownLine} match={matches.get(casting.voice.id)} />}
    </div>
    </div>
    {/* Always in sight, wherever the list has been scrolled to. */}
    {compared.length > 0 && (
      <Comparison
        key={compared.join()}
        voices={compared.flatMap((id) => voices.find((voice) => voice.id === id) ?? [])}
        speaker={speaker}
        address={address}
        readOnly={readOnly}
        onChoose={choose}
        onDone={() => setCompared([])}
      />
    )}
    </aside>
  );
}

/** A note on the speaker, for whoever casts them. */
function WhoTheyAre({ production, speaker }: { production: Production; speaker: Speaker }) {
  const { t } = useTranslation();
  const say = useNotices((state) => state.say);
  const [typed, setTyped] = useState<string | null>(null);
  const note = useChange(production.id, (text: string) => data(api.PATCH("/api/speakers/{speaker_id}/", { params: { path: { speaker_id: speaker.id } }, body: { note: text } })));
  return (
    <input
      aria-label={t("cast.whoOf", { speaker: speaker.name })}
      placeholder={t("cast.who")}
      maxLength={500}
      readOnly={production.role === "reader"}
      className="w-full rounded-sm bg-transparent text-sm italic px-1.5 -mx-1.5 py-0.5 hover:bg-sunk focus:bg-sunk placeholder:text-soft"
      value={typed ?? speaker.note}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={() => {
        if (typed !== null && typed.trim() !== speaker.note) note.mutate(typed, { onError: (error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) });
        setTyped(null);
      }}
      onKeyDown={(event) => {
        if (event.key === "Enter") event.currentTarget.blur();
        if (event.key === "Escape") setTyped(null);
      }}
    />
  );
}

export type Change = Schemas["CastingChangeRequest"];
