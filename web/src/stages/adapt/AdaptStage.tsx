import { Captions, Mic } from "lucide-react";
import { useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import type { StageProps } from "../../frame/Workplace";
import { useNotices } from "../../frame/notices";
import { usePlace } from "../../frame/place";
import { editionPath } from "../../shared/api/client";
import { startVoicing, useChange } from "../../shared/api/queries";
import { clock, rate } from "../../shared/format";
import { Button, Empty, IconButton } from "../../shared/ui/controls";
import { SpeakerMark } from "../../shared/ui/SpeakerMark";
import { TakeDot } from "../../shared/ui/TakeDot";
import { SampleButton } from "../cast/CastStage";
import { useScrollTo } from "../useScrollTo";
import { WordingField } from "../WordingField";
import { CaptionsSheet } from "./CaptionsSheet";

/** Source beside wording, a row for each line. */
export function AdaptStage({ production, edition, source }: StageProps) {
  const { t } = useTranslation();
  const place = usePlace();
  const say = useNotices((state) => state.say);
  const box = useRef<HTMLDivElement>(null);
  const [captions, setCaptions] = useState(false);
  useScrollTo(box, place.line);
  const voice = useChange(production.id, (line: number) => startVoicing(production.id, place.language, "take", [line]));
  const readOnly = production.role === "reader";
  const { language, direction, own_name, is_source, counts } = edition.edition;
  const speakers = new Map(production.speakers.map((speaker) => [speaker.id, speaker]));
  if (!edition.lines.length)
    return (
      <Empty title={t("script.empty")}>
        <p>{t("script.emptyHint")}</p>
      </Empty>
    );
  return (
    <div ref={box} className="grow min-w-0 overflow-auto bg-paper">
      <div role="table" aria-label={t("adapt.table", { language: own_name })}>
        <div role="row" className={`sticky top-0 z-10 bg-ground border-b border-rule grid ${GRID} gap-3 px-4 h-10 items-center text-xs text-soft`}>
          <span role="columnheader">{t("adapt.line")}</span>
          <span role="columnheader" lang={source.edition.language}>{source.edition.own_name}</span>
          <span role="columnheader" className="flex items-center gap-3">
            <span lang={language} dir={direction}>{is_source ? t("adapt.same") : own_name}</span>
            {!is_source && (
              <span>{t("adapt.worded", { done: counts.lines - counts.empty, total: counts.lines })}</span>
            )}
            {!is_source && production.timed && !readOnly && (
              <Button className="ms-auto h-7! text-xs!" onClick={() => setCaptions(true)}>
                <Captions size={14} aria-hidden />
                {t("adapt.captions")}
              </Button>
            )}
          </span>
          <span role="columnheader" className="text-end">{t("adapt.take")}</span>
        </div>
        {edition.lines.map((line, index) => {
          const speaker = speakers.get(line.speaker);
          const selected = line.id === place.line;
          return (
            <div
              role="row"
              key={line.id}
              data-line={line.id}
              aria-current={selected ? "true" : undefined}
              className={`scroll-mt-12 grid ${GRID} gap-3 px-4 py-1.5 items-start border-b border-rule/60 border-s-4 ${selected ? "border-s-tide bg-tide-wash/60" : "border-s-transparent"}`}
              onClick={() => place.select(line.id)}
            >
              <span role="cell" className="flex items-center gap-2 min-w-0">
                <span className="text-xs text-soft w-7 text-end shrink-0">{line.number}</span>
                {speaker && <SpeakerMark name={speaker.name} position={speaker.position} size={22} />}
                <span className="truncate text-sm font-semibold" title={speaker?.name}>{speaker?.name}</span>
              </span>
              <p role="cell" className="text-sm py-0.5" lang={source.edition.language} dir={source.edition.direction}>
                {source.lines[index]?.words}
              </p>
              <div role="cell" className="text-sm min-w-0">
                {is_source ? (
                  <p className="py-0.5 text-soft">{t("adapt.inScript")}</p>
                ) : (
                  <WordingField
                    production={production.id}
                    language={language}
                    direction={direction}
                    line={line}
                    label={t("adapt.wordsOf", { number: line.number, language: own_name })}
                    readOnly={readOnly}
                    onSelect={() => place.select(line.id)}
                  />
                )}
              </div>
              <div role="cell" className="flex items-center justify-end gap-0.5 text-xs text-soft h-6">
                {line.seconds > 0 && (
                  <span className={line.over > 0 ? "text-alarm font-semibold" : ""}>
                    {line.over > 0 ? t("time.over", { seconds: line.over.toFixed(1) }) : line.slot ? rate(line.rate) : clock(line.seconds)}
                  </span>
                )}
                <TakeDot line={line} />
                {(line.state === "unvoiced" || line.state === "out_of_date") && !readOnly ? (
                  <IconButton
                    className="size-7!"
                    name={t("adapt.voice", { number: line.number })}
                    onClick={() =>
                      voice.mutate(line.id, { onError: (error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) })
                    }
                  >
                    <Mic size={15} aria-hidden />
                  </IconButton>
                ) : line.natural !== null ? (
                  <SampleButton
                    small
                    name={t("adapt.hear", { number: line.number })}
                    address={`${editionPath(production.id, language)}/lines/${line.id}/take.wav`}
                  />
                ) : (
                  <span className="w-7" />
                )}
              </div>
            </div>
          );
        })}
      </div>
      <CaptionsSheet production={production} edition={edition} open={captions} onClose={() => setCaptions(false)} />
    </div>
  );
}

const GRID = "grid-cols-[13rem_minmax(0,1fr)_minmax(0,1.2fr)_10rem]";
