import { Fragment, useRef } from "react";
import { useTranslation } from "react-i18next";

import type { StageProps } from "../../frame/Workplace";
import { usePlace } from "../../frame/place";
import { useNotices } from "../../frame/notices";
import { api, data, type Line } from "../../shared/api/client";
import { useChange } from "../../shared/api/queries";
import { clock } from "../../shared/format";
import { Empty } from "../../shared/ui/controls";
import { SpeakerMark } from "../../shared/ui/SpeakerMark";
import { TakeDot } from "../../shared/ui/TakeDot";
import { useScrollTo } from "../useScrollTo";
import { WordingField } from "../WordingField";
import { SpeakersPanel } from "./SpeakersPanel";

/** The reading copy: the source as a printed play, and who is in it. */
export function ScriptStage({ production, source }: StageProps) {
  const { t } = useTranslation();
  const place = usePlace();
  const say = useNotices((state) => state.say);
  const box = useRef<HTMLDivElement>(null);
  useScrollTo(box, place.line);
  const readOnly = production.role === "reader";
  const speakers = new Map(production.speakers.map((speaker) => [speaker.id, speaker]));
  const parts = new Map(production.parts.map((part) => [part.id, part.name]));
  const give = useChange(production.id, ({ line, speaker }: { line: number; speaker: number }) =>
    data(api.PATCH("/api/lines/{line_id}/", { params: { path: { line_id: line } }, body: { speaker } })),
  );
  if (!source.lines.length)
    return (
      <Empty title={t("script.empty")}>
        <p>{t("script.emptyHint")}</p>
      </Empty>
    );
  const partOf = (line: Line | undefined) => line?.part ?? null;
  return (
    <>
      <div ref={box} className="grow min-w-0 overflow-auto relative bg-paper">
        <ol className="max-w-4xl mx-auto pb-16">
          {source.lines.map((line, index) => {
            const speaker = speakers.get(line.speaker);
            const heading = partOf(line) !== null && partOf(line) !== partOf(source.lines[index - 1]);
            const selected = line.id === place.line;
            return (
              <Fragment key={line.id}>
                {heading && (
                  <li className="sticky top-0 z-10 bg-paper border-b border-rule px-5 pt-5 pb-1.5">
                    <h2 className="font-semibold text-lg">{parts.get(line.part ?? 0)}</h2>
                  </li>
                )}
                <li
                  data-line={line.id}
                  aria-current={selected ? "true" : undefined}
                  className={`scroll-mt-16 grid grid-cols-[2.5rem_11rem_minmax(0,1fr)_4.5rem] items-start gap-2 px-5 py-1.5 border-s-4 ${selected ? "border-tide bg-tide-wash/60" : "border-transparent"}`}
                  onClick={() => place.select(line.id)}
                >
                  <span className="text-xs text-soft pt-1 text-end pe-1">{line.number}</span>
                  <span className="flex items-center gap-1.5 min-w-0">
                    {speaker && <SpeakerMark name={speaker.name} position={speaker.position} size={22} />}
                    <select
                      aria-label={t("script.speakerOf", { number: line.number })}
                      className="min-w-0 grow truncate bg-transparent font-semibold text-sm appearance-none rounded-sm px-1 py-0.5 hover:bg-sunk disabled:opacity-100"
                      disabled={readOnly}
                      title={speaker?.name}
                      value={line.speaker}
                      onChange={(event) =>
                        give.mutate(
                          { line: line.id, speaker: Number(event.target.value) },
                          { onError: (error) => say({ tone: "bad", text: error.message || t("common.unreachable") }) },
                        )
                      }
                    >
                      {production.speakers.map((one) => (
                        <option key={one.id} value={one.id}>{one.name}</option>
                      ))}
                    </select>
                  </span>
                  <div className="min-w-0">
                    <WordingField
                      production={production.id}
                      language={source.edition.language}
                      direction={source.edition.direction}
                      line={line}
                      label={t("script.wordsOf", { number: line.number })}
                      readOnly={readOnly}
                      onSelect={() => place.select(line.id)}
                    />
                    {line.notes && <p className="text-xs text-soft italic mt-0.5">{line.notes}</p>}
                  </div>
                  <span className="flex items-center justify-end gap-1 text-xs text-soft pt-0.5">
                    {line.slot ? clock(line.slot[0] ?? 0) : ""}
                    <TakeDot line={line} />
                  </span>
                </li>
              </Fragment>
            );
          })}
        </ol>
      </div>
      <SpeakersPanel production={production} lines={source.lines} />
    </>
  );
}
