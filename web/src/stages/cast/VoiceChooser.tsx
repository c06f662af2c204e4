import { Slider } from "radix-ui";
import { useState } from "react";
import { useQuery } from "@tanstack/react-query";
import { useTranslation } from "react-i18next";

import { useNotices } from "../../frame/notices";
import { api, data, type Casting, type EditionLines, type Production, type Schemas, type Speaker, type Voice } from "../../shared/api/client";
import { castRest, setCasting, useChange, useSession, useVoices } from "../../shared/api/queries";
import { decibels, rate } from "../../shared/format";
import { Button, Notice, Select } from "../../shared/ui/controls";
import { SpeakerMark } from "../../shared/ui/SpeakerMark";
import { auditionAddress, SampleButton, voiceHome } from "./CastStage";

const REGISTERS = ["low", "low-mid", "mid", "high-mid", "high"] as const;
const AGES = ["child", "teen", "20s", "30s", "40s", "50s", "60s", "70s"] as const;

type Change = Schemas["CastingChangeRequest"];

/** The voices that could speak for one speaker in one edition, each heard in the speaker's own words. */
export function VoiceChooser({
  production,
  edition,
  speaker,
  casting,
}: {
  production: Production;
  edition: EditionLines;
  speaker: Speaker;
  casting: Casting | undefined;
}) {
  const { t } = useTranslation();
  const say = useNotices((state) => state.say);
  const { language, own_name, direction, name } = edition.edition;
  const [others, setOthers] = useState(false);
  const [other, setOther] = useState("");
  const [accent, setAccent] = useState("");
  const [kind, setKind] = useState("");
  const [register, setRegister] = useState("");
  const [age, setAge] = useState("");
  const listed = useVoices(language, others).data;
  const voices = listed ?? [];
  const session = useSession().data;
  const asked = useQuery({
    queryKey: ["production", production.id, "sample", language, speaker.id],
    queryFn: () =>
      data(
        api.GET("/api/productions/{production_id}/editions/{language}/castings/{speaker_id}/sample/", {
          params: { path: { production_id: production.id, language, speaker_id: speaker.id } },
        }),
      ),
  });
  const set = useChange(production.id, (body: Change) => setCasting(production.id, language, speaker.id, body));
  const rest = useChange(production.id, () => castRest(production.id, language));
  const tell = { onError: (error: Error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) };
  const sample = asked.data;
  const readOnly = production.role === "reader";
  const missing = production.speakers.length > 0 && edition.edition.counts.uncast > 0;
  const accents = [...new Set(voices.filter((voice) => voice.native && voice.engine !== "rich").map((voice) => voice.accent))];
  const kinds = [...new Set(voices.map((voice) => voice.engine))];
  const languages = [...new Set(voices.filter((voice) => !voice.native).map((voice) => voice.language))].sort();
  const fits = (voice: Voice) =>
    (others ? !voice.native && (!other || voice.language === other) : voice.native) &&
    (!kind || voice.engine === kind) &&
    (!accent || others || voice.accent === accent) &&
    (!register || voice.register === register) &&
    (!age || voice.age === age);
  const found = voices.filter(fits);
  const shown = found.slice(0, 120);
  return (
    <aside className="w-88 shrink-0 border-s border-rule bg-paper flex flex-col min-h-0" aria-label={t("cast.chooser")}>
      <div className="p-4 pb-2 flex flex-col gap-2">
        <h2 className="flex items-center gap-2 font-semibold min-w-0">
          <SpeakerMark name={speaker.name} position={speaker.position} size={24} />
          <span className="truncate">{speaker.name}</span>
          <span className="text-soft font-normal text-sm truncate" lang={language}>{own_name}</span>
        </h2>
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
            <Button className="mt-1.5" disabled={readOnly} onClick={() => set.mutate({ accent_meant: true }, tell)}>{t("cast.meant")}</Button>
          </Notice>
        )}
        {casting && (casting.alike.length ?? 0) > 0 && <Notice>{t("cast.alikeLong", { names: casting.alike.join(", ") })}</Notice>}
        {missing && !readOnly && (
          <Button onClick={() => rest.mutate(undefined, tell)} disabled={rest.isPending}>{t("cast.rest")}</Button>
        )}
        <div className="grid grid-cols-2 gap-1.5">
          <Select aria-label={t("cast.kind")} value={kind} onChange={(event) => setKind(event.target.value)}>
            <option value="">{t("cast.anyKind")}</option>
            {kinds.map((one) => <option key={one} value={one}>{t(`cast.engine.${one}`)}</option>)}
          </Select>
          {others ? (
            <Select aria-label={t("cast.language")} value={other} onChange={(event) => setOther(event.target.value)}>
              <option value="">{t("cast.anyLanguage")}</option>
              {languages.map((one) => <option key={one}>{one}</option>)}
            </Select>
          ) : (
            <Select aria-label={t("cast.accent")} value={accent} onChange={(event) => setAccent(event.target.value)}>
              <option value="">{t("cast.anyAccent")}</option>
              {accents.map((one) => <option key={one}>{one}</option>)}
            </Select>
          )}
          <Select aria-label={t("cast.register")} value={register} onChange={(event) => setRegister(event.target.value)}>
            <option value="">{t("cast.anyRegister")}</option>
            {REGISTERS.map((one) => <option key={one} value={one}>{t(`register.${one}`)}</option>)}
          </Select>
          <Select aria-label={t("cast.age")} value={age} onChange={(event) => setAge(event.target.value)}>
            <option value="">{t("cast.anyAge")}</option>
            {AGES.map((one) => <option key={one} value={one}>{t(`age.${one}`)}</option>)}
          </Select>
        </div>
        <label className="flex items-center gap-2 text-sm">
          <input type="checkbox" checked={others} onChange={(event) => setOthers(event.target.checked)} />
          {t("cast.others")}
        </label>
      </div>
      <ul className="grow min-h-0 overflow-auto px-3 pb-3 flex flex-col gap-0.5" aria-label={t("cast.voices", { count: found.length })}>
        {shown.map((voice) => {
          const mine = casting?.voice.id === voice.id;
          return (
            <li key={voice.id} className={`flex items-center rounded-md ${mine ? "bg-tide-wash" : "hover:bg-sunk"}`}>
              <SampleButton
                name={t("cast.hear", { voice: voice.name, speaker: speaker.name })}
                address={auditionAddress(production.id, language, speaker.id, { voice: voice.id })}
              />
              <button
                type="button"
                aria-pressed={mine}
                disabled={readOnly}
                className="grow min-w-0 text-start py-1 pe-2"
                onClick={() => set.mutate({ voice: voice.id }, tell)}
              >
                <span className="flex items-baseline gap-2">
                  <span className="text-sm font-semibold truncate">{voice.name}</span>
                  <span className="text-xs text-soft ms-auto whitespace-nowrap">{`${Math.round(voice.pitch_hz)} Hz`}</span>
                </span>
                <span className="block text-xs text-soft truncate">
                  {[voice.native ? voiceHome(voice, t) : voice.language, t(`register.${voice.register}`), t(`age.${voice.age}`)].join(" · ")}
                </span>
              </button>
            </li>
          );
        })}
        {session?.rich_missing && (
          <li className="p-3 text-sm text-soft border-b border-rule">{session.rich_missing}</li>
        )}
        {listed && !found.length && <li className="p-3 text-sm text-soft">{t("cast.none")}</li>}
        {found.length > shown.length && <li className="p-3 text-sm text-soft">{t("cast.more", { count: found.length - shown.length })}</li>}
      </ul>
      {casting && (
        <div className="border-t border-rule p-4 flex flex-col gap-2.5">
          <h3 className="text-sm font-semibold">{t("cast.settings", { voice: casting.voice.name })}</h3>
          {!casting.voice.from_home && !casting.wrong_language && (
            <p className="text-xs text-soft">{t("cast.foreign", { language: name })}</p>
          )}
          <Setting name={t("cast.pace")} value={casting.pace} min={0.7} max={1.4} step={0.05} show={rate} disabled={readOnly} onSet={(pace) => set.mutate({ pace }, tell)} />
          <Setting name={t("cast.pitch")} value={casting.pitch} min={-6} max={6} step={0.5} show={(value) => `${decibels(value)} st`} disabled={readOnly} onSet={(pitch) => set.mutate({ pitch }, tell)} />
          <Setting name={t("cast.level")} value={casting.level_db} min={-12} max={12} step={0.5} show={(value) => `${decibels(value)} dB`} disabled={readOnly} onSet={(level_db) => set.mutate({ level_db }, tell)} />
          <span className="flex gap-2">
            <Button disabled={readOnly} onClick={() => set.mutate({ voice: "" }, tell)}>{t("cast.takeAway")}</Button>
          </span>
        </div>
      )}
    </aside>
  );
}

export function Setting({
  name,
  value,
  min,
  max,
  step,
  show,
  disabled,
  onSet,
}: {
  name: string;
  value: number;
  min: number;
  max: number;
  step: number;
  show: (value: number) => string;
  disabled: boolean;
  onSet: (value: number) => void;
}) {
  const [moving, setMoving] = useState<number | null>(null);
  const shown = moving ?? value;
  return (
    <div className="grid grid-cols-[4rem_1fr_4rem] items-center gap-2 text-sm">
      <span>{name}</span>
      <Slider.Root
        className="relative flex items-center h-5 touch-none"
        min={min}
        max={max}
        step={step}
        value={[shown]}
        disabled={disabled}
        onValueChange={([next]) => setMoving(next ?? null)}
        onValueCommit={([next]) => {
          setMoving(null);
          if (next !== undefined) onSet(Math.round(next * 1000) / 1000);
        }}
      >
        <Slider.Track className="relative grow h-1 rounded-full bg-rule">
          <Slider.Range className="absolute h-full rounded-full bg-tide" />
        </Slider.Track>
        <Slider.Thumb aria-label={name} aria-valuetext={show(shown)} className="block size-4 rounded-sm bg-tide" />
      </Slider.Root>
      <span className="text-end text-soft">{show(shown)}</span>
    </div>
  );
}
