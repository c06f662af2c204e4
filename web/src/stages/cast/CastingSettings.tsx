import { useQuery } from "@tanstack/react-query";
import { RotateCcw } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { useNotices } from "../../shared/notices";
import { api, data, type Casting, type EditionLines, type Line, type Match, type Language, type Production, type Schemas, type Speaker, type VoiceSettings } from "../../shared/api/client";
import { setCasting, useChange, useLanguages } from "../../shared/api/queries";
import { decibels, rate } from "../../shared/format";
import { VOICE_SETTINGS } from "../../shared/settings.generated";
import { Setting } from "../../shared/ui/Setting";
import { Button, FIELD, IconButton, Select } from "../../shared/ui/controls";
import { auditionAddress } from "./CastStage";
import { SampleButton } from "../../shared/ui/SampleButton";
import { KeepVoice } from "./KeepVoice";
import { rights } from "./rights";

const signed = (value: number) => decibels(value);
/** How each is stepped and said; how far it runs is declared with the settings themselves. */
const SHOWN: Record<keyof VoiceSettings, { step: number; show: (value: number) => string }> = {
  pace: { step: 0.05, show: rate },
  pitch: { step: 0.5, show: (value) => `${signed(value)} st` },
  melody: { step: 0.1, show: rate },
  pauses: { step: 0.1, show: rate },
  level_db: { step: 0.5, show: (value) => `${signed(value)} dB` },
  brighter: { step: 0.5, show: (value) => `${signed(value)} dB` },
  breathier: { step: 0.05, show: (value) => `${Math.round(value * 100)} %` },
  younger: { step: 0.1, show: signed },
  rougher: { step: 0.05, show: (value) => `${Math.round(value * 100)} %` },
  softer: { step: 0.05, show: (value) => `${Math.round(value * 100)} %` },
  livelier: { step: 0.1, show: signed },
};
const SETTINGS = (Object.keys(SHOWN) as (keyof VoiceSettings)[]).map((name) => ({ name, ...SHOWN[name], ...VOICE_SETTINGS[name] }));

/** How a voice is set for a speaker, or for one line of theirs alone, which follows the speaker until it is set. */
export function CastingSettings({
  production,
  edition,
  speaker,
  casting,
  line,
  match,
}: {
  production: Production;
  edition: EditionLines;
  speaker: Speaker;
  casting: Casting;
  line: Line | undefined;
  match: Match | undefined;
}) {
  const { t } = useTranslation();
  const say = useNotices((state) => state.say);
  const languages = useLanguages().data ?? [];
  const { language, name } = edition.edition;
  const readOnly = production.role === "reader";
  const [note, setNote] = useState<string | null>(null);
  const tell = { onError: (error: Error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) };
  const own = line?.own;
  const change = useChange(production.id, (body: Partial<Record<keyof VoiceSettings, number | null>> & { voice?: string; language?: string; note?: string; foreign?: Schemas["Foreign"][] }) => {
    if (line)
      return data<unknown>(
        api.PUT("/api/productions/{production_id}/editions/{language}/lines/{line_id}/casting/", {
          params: { path: { production_id: production.id, language, line_id: line.id } },
          body,
        }),
      );
    return setCasting(production.id, language, speaker.id, body as Parameters<typeof setCasting>[3]);
  });
  const uses = useQuery({
    queryKey: ["voice-uses", casting.voice.id],
    queryFn: () => data(api.GET("/api/voices/{voice}/uses/", { params: { path: { voice: casting.voice.id } } })),
  });
  const elsewhere = (uses.data ?? []).filter((use) => use.production !== production.id || use.language !== language || use.speaker !== speaker.name);
  const value = (setting: keyof VoiceSettings) => own?.[setting] ?? casting.settings[setting];
  const anythingOwn = own !== undefined && own !== null;
  const now = Object.fromEntries(SETTINGS.map((setting) => [setting.name, value(setting.name)])) as unknown as VoiceSettings;
  return (
    <div className="border-t border-rule p-4 flex flex-col gap-2">
      <h3 className="flex items-center gap-1 text-sm font-semibold">
        <span className="grow">{line ? t("cast.lineSettings", { number: line.number }) : t("cast.settings", { voice: casting.voice.name })}</span>
        <SampleButton small name={t("cast.hearSo")} address={auditionAddress(production.id, language, speaker.id, own?.voice || casting.voice.id, now)} />
      </h3>
      {line && <p className="text-xs text-soft">{anythingOwn ? t("cast.lineOwn") : t("cast.lineFollows", { speaker: speaker.name })}</p>}
      {!line && !casting.voice.from_home && !casting.wrong_language && <p className="text-xs text-soft">{t("cast.foreign", { language: name })}</p>}
      {SETTINGS.map((setting) => {
        const set = line ? own?.[setting.name] !== null && own?.[setting.name] !== undefined : casting.settings[setting.name] !== setting.usual;
        return (
          <div key={setting.name} className="flex items-center">
            <span className="grow"><Setting name={t(`cast.setting.${setting.name}`)} value={value(setting.name)} min={setting.min} max={setting.max} step={setting.step} show={setting.show} disabled={readOnly} onSet={(next) => change.mutate({ [setting.name]: next }, tell)} /></span>
            <span className="w-7">
              {set && !readOnly && (
                <IconButton name={t("cast.putBack", { setting: t(`cast.setting.${setting.name}`) })} className="size-7" onClick={() => change.mutate({ [setting.name]: line ? null : setting.usual }, tell)}>
                  <RotateCcw size={13} aria-hidden />
                </IconButton>
              )}
            </span>
          </div>
        );
      })}
      {line ? (
        <>
          <label className="flex items-center gap-2 text-sm">
            <span className="w-16">{t("cast.language")}</span>
            <Select className="grow" disabled={readOnly} value={own?.language ?? ""} onChange={(event) => change.mutate({ language: event.target.value }, tell)}>
              <option value="">{name}</option>
              {languages.filter((one) => one.tag !== language).map((one) => <option key={one.tag} value={one.tag}>{one.name}</option>)}
            </Select>
          </label>
          <ForeignWords
            own={own?.foreign ?? []}
            languages={languages.filter((one) => one.tag !== language)}
            readOnly={readOnly}
            onChange={(foreign) => change.mutate({ foreign }, tell)}
          />
          {anythingOwn && !readOnly && (
            <Button onClick={() => change.mutate({ voice: "", language: "", foreign: [], ...Object.fromEntries(SETTINGS.map((setting) => [setting.name, null])) }, tell)}>{t("cast.lineBack", { speaker: speaker.name })}</Button>
          )}
        </>
      ) : (
        <>
          <textarea
            rows={2}
            aria-label={t("cast.note")}
            placeholder={t("cast.noteHint")}
            maxLength={300}
            readOnly={readOnly}
            className={`${FIELD} resize-none`}
            value={note ?? casting.note}
            onChange={(event) => setNote(event.target.value)}
            onBlur={() => {
              if (note !== null && note !== casting.note) change.mutate({ note }, tell);
              setNote(null);
            }}
          />
          {match && (
            <dl className="grid grid-cols-[auto_1fr_auto_1fr] gap-x-2 gap-y-0.5 text-xs">
              {(["pitch_hz", "brightness_hz", "tract_cm", "pace", "tilt_db", "range_lu"] as const).map((measure) => (
                <div key={measure} className="contents">
                  <dt className="text-soft">{t(`cast.measure.${measure}`)}</dt>
                  <dd className="tabular-nums">{t(`cast.unit.${measure}`, { value: match.measure[measure] })}</dd>
                </div>
              ))}
            </dl>
          )}
          <p className="text-xs text-soft">
            {casting.voice.licence}. {t(`cast.rights.${rights(casting.voice.commercial)}`)} {t("cast.rightsAt", { place: casting.voice.licence_at })}
          </p>
          {elsewhere.length > 0 && (
            <details className="text-xs">
              <summary className="cursor-default">{t("cast.elsewhere", { voice: casting.voice.name, count: elsewhere.length })}</summary>
              <ul className="mt-1 flex flex-col gap-0.5">
                {elsewhere.map((use) => <li key={`${use.production}/${use.language}/${use.speaker}`} className="truncate">{`${use.name} · ${use.language} · ${use.speaker}`}</li>)}
              </ul>
            </details>
          )}
          {!readOnly && <KeepVoice key={casting.voice.id} production={production} language={language} casting={casting} />}
          {!readOnly && <Button onClick={() => change.mutate({ voice: "" }, tell)}>{t("cast.takeAway")}</Button>}
        </>
      )}
    </div>
  );
}

/** Words of a line that are in another language, said by its sounds in the same voice. */
function ForeignWords({
  own,
  languages,
  readOnly,
  onChange,
}: {
  own: readonly Schemas["Foreign"][];
  languages: readonly Language[];
  readOnly: boolean;
  onChange: (foreign: Schemas["Foreign"][]) => void;
}) {
  const { t } = useTranslation();
  const [words, setWords] = useState("");
  const [tag, setTag] = useState("");
  const nameOf = (one: string) => languages.find((language) => language.tag === one)?.name ?? one;
  return (
    <div className="flex flex-col gap-1 text-sm">
      {own.map((one) => (
        <p key={one.words} className="flex items-center gap-2">
          <span className="grow truncate" lang={one.language}>{`“${one.words}”: ${nameOf(one.language)}`}</span>
          {!readOnly && (
            <IconButton name={t("cast.foreignBack", { words: one.words })} className="size-7" onClick={() => onChange(own.filter((other) => other !== one))}>
              <RotateCcw size={13} aria-hidden />
            </IconButton>
          )}
        </p>
      ))}
      {!readOnly && (
        <form
          className="flex gap-1.5"
          onSubmit={(event) => {
            event.preventDefault();
            if (!words.trim() || !tag) return;
            onChange([...own.filter((one) => one.words !== words.trim()), { words: words.trim(), language: tag }]);
            setWords("");
          }}
        >
          <input aria-label={t("cast.foreignWords")} placeholder={t("cast.foreignWords")} className={`${FIELD} py-1`} maxLength={200} value={words} onChange={(event) => setWords(event.target.value)} />
          <Select aria-label={t("cast.foreignLanguage")} className="w-24" value={tag} onChange={(event) => setTag(event.target.value)}>
            <option value="">{t("cast.foreignLanguage")}</option>
            {languages.map((one) => <option key={one.tag} value={one.tag}>{one.name}</option>)}
          </Select>
          <Button type="submit" disabled={!words.trim() || !tag}>{t("cast.foreignAdd")}</Button>
        </form>
      )}
      {!readOnly && <p className="text-xs text-soft">{t("cast.foreignHint")}</p>}
    </div>
  );
}
