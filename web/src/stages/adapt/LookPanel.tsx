import { useMutation } from "@tanstack/react-query";
import { Check, EarOff, Languages } from "lucide-react";
import { useTranslation } from "react-i18next";

import type { StageProps } from "../../shared/stage";
import { api, data, type Line, type Schemas } from "../../shared/api/client";
import { Button, Notice } from "../../shared/ui/controls";
import { SpeakerMark } from "../../shared/ui/SpeakerMark";
import { DraftButton } from "./DraftButton";
import { useLipsOf, useMemoryMatches, useRested, type AdaptActions, type Doubt, type Standing } from "./useAdapt";

export interface Phrase {
  line: number;
  text: string;
  at: number;
  length: number;
}

/** A closer look at the chosen line: what to doubt, what it means back, what was said before. */
export function LookPanel({ production, edition, line, source, standing, doubt, phrase, text, actions, readOnly, onApprove }: {
  production: StageProps["production"]; edition: StageProps["edition"]; line: Line | undefined; source: string; standing: Standing | undefined; doubt: Doubt | undefined;
  phrase: Phrase | null; text: string; actions: AdaptActions; readOnly: boolean; onApprove: () => void;
}) {
  const { t } = useTranslation();
  const speaker = production.speakers.find((one) => one.id === line?.speaker);
  const matches = (useMemoryMatches(production.id, edition.edition.language, line?.id) ?? []).filter((match) => match.text !== line?.words);
  const rested = useRested(text);
  const lips = useLipsOf(production.id, edition.edition.language, line, [rested, ...matches.map((match) => match.text)]);
  const agrees = lips.get(rested.trim());
  return (
    <aside className="w-64 xl:w-80 shrink-0 border-s border-rule bg-paper overflow-auto p-4 flex flex-col gap-4" aria-label={t("look.panel")}>
      {!line ? (
        <p className="text-sm text-soft">{t("look.choose")}</p>
      ) : (
        <>
          <section className="flex flex-col gap-2">
            <h2 className="flex items-center gap-2 font-semibold min-w-0">
              {speaker && <SpeakerMark name={speaker.name} position={speaker.position} size={24} />}
              <span className="truncate">{speaker?.name}</span>
              <span className="text-soft font-normal text-sm ms-auto whitespace-nowrap">{t("time.line", { number: line.number })}</span>
            </h2>
            {line.notes && <p className="text-sm italic text-soft">{line.notes}</p>}
            {standing?.by && line.words.trim() && <p className="text-xs text-soft">{t(`look.since.${standing.state}`, { user: standing.by, at: standing.at ? new Date(standing.at).toLocaleString(undefined, { dateStyle: "medium", timeStyle: "short" }) : "" })}</p>}
            {standing?.state === "draft" && standing.origin && <p className="text-xs text-soft">{standing.origin === "engine" && standing.drafted_by.length ? t("look.draftedBy", { by: standing.drafted_by.join(" → ") }) : t(`look.origin.${standing.origin}`, { percent: Math.floor((standing.score ?? 0) * 100) })}</p>}
            {agrees !== undefined && (
              <p className="text-sm flex items-center gap-2" role="status">
                <span className="grow">{t("look.lips")}</span>
                <LipsFigure score={agrees} />
              </p>
            )}
            {!readOnly && !line.words.trim() && source.trim() && <DraftButton key={line.id} production={production} edition={edition} only={[line.id]} />}
            {!readOnly && line.words.trim() && (
              <Button onClick={onApprove}>
                <Check size={15} aria-hidden />
                {standing?.state === "approved" ? t("look.unapprove") : t("look.approve")}
              </Button>
            )}
          </section>
          {(doubt?.findings.length ?? 0) > 0 && (
            <ul className="flex flex-col gap-1" aria-label={t("look.findings")}>
              {doubt?.findings.map((finding, index) => <li key={index}><Notice>{finding.message}</Notice></li>)}
            </ul>
          )}
          {doubt?.heard && <Misheard production={production.id} edition={edition} line={line} heard={doubt.heard} actions={actions} readOnly={readOnly} />}
          <Meaning key={`${line.id}`} production={production.id} language={edition.edition.language} direction={edition.edition.direction} sourceLanguage={production.source_language} line={line.id} text={text} phrase={phrase} doubt={doubt} />
          <Memory matches={matches} lips={lips} edition={edition} line={line} actions={actions} readOnly={readOnly} />
          {(doubt?.terms.length ?? 0) > 0 && (
            <section className="flex flex-col gap-1">
              <h3 className="text-xs text-soft">{t("look.terms")}</h3>
              {doubt?.terms.map((use, index) => (
                <p key={index} className="text-sm">
                  {use.forbidden ? <><s>{use.text}</s> {t("look.forbidden")}</> : <>{use.original} → <b className={use.kept ? "" : "text-alarm"} lang={edition.edition.language}>{use.text}</b></>}
                  {use.note && <span className="block text-xs text-soft">{use.note}</span>}
                </p>
              ))}
            </section>
          )}
          <p className="text-xs text-soft border-t border-rule pt-3" lang={production.source_language}>{source}</p>
        </>
      )}
    </aside>
  );
}

/** What was heard of a finished sound that the recogniser did not hear right: both texts, and what may help. */
function Misheard({ production, edition, line, heard, actions, readOnly }: {
  production: number; edition: StageProps["edition"]; line: Line; heard: Schemas["Misheard"]; actions: AdaptActions; readOnly: boolean;
}) {
  const { t } = useTranslation();
  const { language, direction } = edition.edition;
  const right = useMutation({
    mutationFn: () => data(api.PUT("/api/productions/{production_id}/editions/{language}/lines/{line_id}/heard/", { params: { path: { production_id: production, language, line_id: line.id } }, body: { right: true } })),
    onSuccess: actions.lookAgain,
    onError: actions.tell,
  });
  return (
    <section className="flex flex-col gap-2 rounded-md border border-lamp p-3" aria-label={t("look.misheard")}>
      <h3 className="text-sm font-semibold flex gap-2">
        <EarOff size={16} aria-hidden className="mt-0.5 shrink-0" />
        {t("look.misheard")}
      </h3>
      <dl className="text-sm flex flex-col gap-1">
        <dt className="text-xs text-soft">{t("look.written")}</dt>
        <dd lang={language} dir={direction}>{marked(line.words, heard.otherwise)}</dd>
        <dt className="text-xs text-soft">{t("look.heard")}</dt>
        <dd lang={language} dir={direction}>{heard.text || t("look.heardNothing")}</dd>
      </dl>
      <p className="text-xs text-soft">{t("look.misheardHelp")}</p>
      {!readOnly && (
        <Button className="self-start" disabled={right.isPending} onClick={() => right.mutate()}>
          <Check size={15} aria-hidden />
          {t("look.heardRight")}
        </Button>
      )}
    </section>
  );
}

/** Of the source there is only how it was said: a line that was not heard right. */
export function SourcePanel({ production, edition, line, doubt, actions, readOnly }: {
  production: StageProps["production"]; edition: StageProps["edition"]; line: Line | undefined; doubt: Doubt | undefined; actions: AdaptActions; readOnly: boolean;
}) {
  const { t } = useTranslation();
  return (
    <aside className="w-64 xl:w-80 shrink-0 border-s border-rule bg-paper overflow-auto p-4 flex flex-col gap-4" aria-label={t("look.panel")}>
      {line && doubt?.heard ? <Misheard production={production.id} edition={edition} line={line} heard={doubt.heard} actions={actions} readOnly={readOnly} /> : <p className="text-sm text-soft">{t("look.chooseMisheard")}</p>}
    </aside>
  );
}

/** A line's words with those marked that were heard otherwise. */
function marked(words: string, otherwise: Schemas["Misheard"]["otherwise"]) {
  const pieces: React.ReactNode[] = [];
  let at = 0;
  for (const [start, length, instead] of otherwise.filter((one): one is [number, number, string] => Number(one[1]) > 0).sort((one, other) => one[0] - other[0])) {
    pieces.push(words.slice(at, start), <mark key={start} className="bg-lamp-wash text-ink underline decoration-lamp" title={instead || undefined}>{words.slice(start, start + length)}</mark>);
    at = start + length;
  }
  return [...pieces, words.slice(at)];
}

/** What the line, or the words chosen in it, mean back in the source language. */
function Meaning({ production, language, direction, sourceLanguage, line, text, phrase, doubt }: {
  production: number; language: string; direction: "ltr" | "rtl"; sourceLanguage: string; line: number; text: string; phrase: Phrase | null; doubt: Doubt | undefined;
}) {
  const { t } = useTranslation();
  const chosen = phrase && phrase.length > 0 ? phrase : null;
  const ask = useMutation({
    mutationFn: (what: { at: number; length: number }) =>
      data(
        api.POST("/api/productions/{production_id}/editions/{language}/meaning/", {
          params: { path: { production_id: production, language } },
          body: { line, text: chosen?.text ?? text, ...what },
        }),
      ),
  });
  const doubtful = doubt ? [...doubt.rude, ...doubt.unknown, ...doubt.misspelt] : [];
  const found: Schemas["Meaning"] | undefined = ask.data;
  if (!text.trim()) return null;
  return (
    <section className="flex flex-col gap-2" aria-label={t("look.meaning")}>
      <h3 className="text-xs text-soft">{t("look.meaning")}</h3>
      <span className="flex flex-wrap gap-1.5">
        <Button className="h-7! text-xs!" disabled={ask.isPending} onClick={() => ask.mutate({ at: 0, length: 0 })}><Languages size={13} aria-hidden />{t("look.whole")}</Button>
        {chosen && (
          <Button className="h-7! text-xs! max-w-full" disabled={ask.isPending} onClick={() => ask.mutate({ at: chosen.at, length: chosen.length })}>
            <span className="truncate" dir={direction}>“{chosen.text.slice(chosen.at, chosen.at + chosen.length)}”</span>
          </Button>
        )}
        {doubtful.map(([at = 0, length = 0]) => (
          <Button key={at} className="h-7! text-xs! border-lamp!" disabled={ask.isPending} onClick={() => ask.mutate({ at, length })}>
            <span dir={direction}>“{doubt?.rude.some(([one]) => one === at) ? masked(text.slice(at, at + length)) : text.slice(at, at + length)}”</span>
          </Button>
        ))}
      </span>
      {!chosen && doubtful.length === 0 && <p className="text-xs text-soft">{t("look.chooseWords")}</p>}
      {ask.error && <Notice tone="bad">{ask.error.message || t("common.unreachable")}</Notice>}
      {found && (
        <div className="text-sm flex flex-col gap-1.5 border-s-2 border-tide ps-2">
          {found.why_not ? <p className="text-soft">{found.why_not}</p> : (
            <>
              {found.phrase !== text && <p><span className="text-soft" dir={direction}>{found.rude ? masked(found.phrase) : found.phrase}:</span> <b lang={sourceLanguage}>{found.back}</b></p>}
              <p><span className="text-soft">{t("look.lineBack")}</span> <span lang={sourceLanguage}>{found.line_back}</span></p>
            </>
          )}
          {found.rude && <Notice tone="bad">{t("look.rude")}</Notice>}
          {found.unknown.length > 0 && <p className="text-xs">{t("look.notRead", { words: found.unknown.join(", ") })}</p>}
          {found.misspelt && <p>{found.suggestions.length ? t("look.suggestions", { words: found.suggestions.join(", ") }) : t("look.noWord")}</p>}
          {found.uses.length > 0 && (
            <div>
              <p className="text-xs text-soft">{t("look.uses")}</p>
              {found.uses.map((use, index) => <p key={index} className="text-xs"><span lang={language} dir={direction}>{use.text}</span> <span className="text-soft">— {use.original}</span></p>)}
            </div>
          )}
          {found.redraft && <p className="text-xs"><span className="text-soft">{t("look.redraft")}</span> <span lang={language} dir={direction}>{found.redraft}</span></p>}
        </div>
      )}
    </section>
  );
}

/** A word that may hurt, with all but its first letter hidden. */
function masked(word: string): string {
  return (Array.from(word)[0] ?? "") + "•".repeat(Math.max(1, Array.from(word).length - 1));
}

/** How well a wording agrees with the mouth that is seen. */
function LipsFigure({ score }: { score: number }) {
  const { t } = useTranslation();
  return <span className="rounded-sm border border-rule px-1 text-xs whitespace-nowrap" title={t("look.lipsWhat")}>{t("look.lipsFigure", { percent: Math.round(score * 100) })}</span>;
}

function Memory({ matches, lips, edition, line, actions, readOnly }: {
  matches: readonly Schemas["MemoryMatch"][]; lips: ReadonlyMap<string, number>; edition: StageProps["edition"]; line: Line; actions: AdaptActions; readOnly: boolean;
}) {
  const { t } = useTranslation();
  const { language, direction } = edition.edition;
  if (!matches.length) return null;
  return (
    <section className="flex flex-col gap-1.5">
      <h3 className="text-xs text-soft">{t("look.memory")}</h3>
      {matches.map((match, index) => (
        <div key={index} className="text-sm border border-rule rounded-md p-2 flex flex-col gap-1">
          <p className="flex gap-2"><b>{Math.floor(match.score * 100)} %</b><span className="text-xs text-soft truncate grow">{match.origin}</span>{lips.has(match.text.trim()) && <LipsFigure score={lips.get(match.text.trim()) ?? 0} />}</p>
          {match.difference.length > 0 && (
            <p className="text-xs text-soft">
              {match.difference.map(([kind, text], at) => kind === "same" ? <span key={at}>{text}</span> : kind === "new" ? <ins key={at} className="bg-lamp-wash text-ink no-underline">{text}</ins> : <del key={at}>{text}</del>)}
            </p>
          )}
          <p lang={language} dir={direction}>{match.text}</p>
          {!readOnly && <Button className="h-7! text-xs! self-start" onClick={() => void actions.write(line.id, match.text, line.revision, false).catch(actions.tell)}>{t("look.use")}</Button>}
        </div>
      ))}
    </section>
  );
}
