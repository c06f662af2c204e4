import { RadioGroup } from "radix-ui";
import { useTranslation } from "react-i18next";

import type { StageProps } from "../../shared/stage";
import { useNotices } from "../../shared/notices";
import { api, data } from "../../shared/api/client";
import { askForMix, setCasting, useCastings, useChange, useCurrentMix } from "../../shared/api/queries";
import { clock, decibels } from "../../shared/format";
import { VOICE_SETTINGS } from "../../shared/settings.generated";
import { Button, Empty } from "../../shared/ui/controls";
import { SpeakerMark } from "../../shared/ui/SpeakerMark";
import { Setting } from "../../shared/ui/Setting";
import { LoudnessCurve } from "./LoudnessCurve";

const TARGETS = [-16, -23] as const;

/** Levels by speaker under the programme's measured loudness. */
export function MixStage({ production, edition }: StageProps) {
  const { t } = useTranslation();
  const say = useNotices((state) => state.say);
  const { language } = edition.edition;
  const castings = useCastings(production.id, language).data ?? [];
  const mix = useCurrentMix(production.id, language, edition.mix_recipe);
  const tell = { onError: (error: Error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) };
  const target = useChange(production.id, (target_lufs: number) =>
    data(api.PATCH("/api/productions/{production_id}/", { params: { path: { production_id: production.id } }, body: { target_lufs } })),
  );
  const level = useChange(production.id, ({ speaker, value }: { speaker: number; value: number }) =>
    setCasting(production.id, language, speaker, { level_db: value }),
  );
  const make = useChange(production.id, () => askForMix(production.id, language));
  const readOnly = production.role === "reader";
  const report = mix?.state === "ready" ? mix.report : null;
  if (!edition.mix_recipe)
    return (
      <Empty title={t("mix.empty")}>
        <p>{t("mix.emptyHint")}</p>
      </Empty>
    );
  const spoken = (id: number) => edition.lines.filter((line) => line.speaker === id).reduce((sum, line) => sum + line.seconds, 0);
  return (
    <div className="grow min-w-0 overflow-auto p-5 flex flex-col gap-5">
      <section className="bg-paper border border-rule rounded-lg p-4" aria-labelledby="loudness">
        <div className="flex items-baseline gap-6 flex-wrap mb-3">
          <h2 id="loudness" className="font-semibold">{t("mix.loudness")}</h2>
          {report ? (
            <>
              <Reading name={t("mix.integrated")} value={`${decibels(report.lufs)} LUFS`} />
              <Reading name={t("mix.truePeak")} value={`${decibels(report.true_peak_db)} dBTP`} />
              <Reading name={t("mix.length")} value={clock(report.seconds)} />
            </>
          ) : (
            <span className="text-sm text-soft flex items-center gap-3">
              {mix?.state === "making" ? t("transport.mixing", { percent: Math.round(mix.share * 100) }) : mix?.state === "failed" ? mix.fault : t("mix.notMade")}
              {mix?.state !== "making" && <Button disabled={make.isPending} onClick={() => make.mutate(undefined, tell)}>{t("mix.make")}</Button>}
            </span>
          )}
          {edition.edition.counts.sketch > 0 && (
            <span className="text-sm text-soft">{t("mix.sketches", { count: edition.edition.counts.sketch })}</span>
          )}
        </div>
        <LoudnessCurve values={report?.short_term ?? []} target={production.target_lufs} seconds={edition.seconds} />
      </section>
      <section className="bg-paper border border-rule rounded-lg p-4" aria-labelledby="target">
        <h2 id="target" className="font-semibold mb-2">{t("mix.target")}</h2>
        <RadioGroup.Root
          aria-labelledby="target"
          className="flex gap-6"
          value={String(production.target_lufs)}
          disabled={readOnly}
          onValueChange={(value) => target.mutate(Number(value), tell)}
        >
          {TARGETS.map((value) => (
            <label key={value} className="flex items-start gap-2 text-sm">
              <RadioGroup.Item value={String(value)} className="mt-0.5 size-4 rounded-full border border-soft data-[state=checked]:border-tide grid place-items-center">
                <RadioGroup.Indicator className="block size-2 rounded-full bg-tide" />
              </RadioGroup.Item>
              <span>
                <span className="font-semibold">{`${decibels(value)} LUFS`}</span>
                <span className="block text-soft">{t(`mix.target_${-value}`)}</span>
              </span>
            </label>
          ))}
        </RadioGroup.Root>
      </section>
      <section className="bg-paper border border-rule rounded-lg p-4" aria-labelledby="layers">
        <h2 id="layers" className="font-semibold">{t("mix.speakers")}</h2>
        <p className="text-sm text-soft mb-3">{t("mix.levelled")}</p>
        <ul className="flex flex-col gap-2">
          {production.speakers.filter((speaker) => speaker.lines > 0).map((speaker) => {
            const casting = castings.find((one) => one.speaker === speaker.id);
            return (
              <li key={speaker.id} className="grid grid-cols-[2rem_minmax(0,14rem)_6rem_minmax(0,24rem)] items-center gap-3">
                <SpeakerMark name={speaker.name} position={speaker.position} />
                <span className="truncate">
                  <span className="font-semibold text-sm">{speaker.name}</span>{" "}
                  <span className="text-sm text-soft">{casting?.voice.name ?? t("take.uncast")}</span>
                </span>
                <span className="text-sm text-soft text-end">{clock(spoken(speaker.id))}</span>
                {casting && (
                  <Setting
                    name={t("cast.setting.level_db")}
                    value={casting.settings.level_db}
                    min={VOICE_SETTINGS.level_db.min}
                    max={VOICE_SETTINGS.level_db.max}
                    step={0.5}
                    show={(value) => `${decibels(value)} dB`}
                    disabled={readOnly}
                    onSet={(value) => level.mutate({ speaker: speaker.id, value }, tell)}
                  />
                )}
              </li>
            );
          })}
        </ul>
      </section>
    </div>
  );
}

function Reading({ name, value }: { name: string; value: string }) {
  return (
    <span className="text-sm">
      <span className="text-soft">{name} </span>
      <span className="font-semibold">{value}</span>
    </span>
  );
}
