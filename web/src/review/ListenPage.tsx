import { useQueries } from "@tanstack/react-query";
import { Download } from "lucide-react";
import { useEffect, useRef, useState } from "react";

import { ask, linkAt, type OpenedLink, type ReviewedEdition } from "./link";
import { EditionTabs, Head, Picture, PlayButton, Strip } from "./parts";
import { useHeard } from "./useHeard";
import type { Say } from "./words";

/** The file to keep is looked for again until it is made. */
const IN_A_MOMENT = 4_000;
const NOTHING: ReviewedEdition["holds"] = [];

/** Finished editions to hear, or to see: one after another at the same moment, with captions. */
export function ListenPage({ token, link, say }: { token: string; link: OpenedLink; say: Say }) {
  const at = linkAt(token);
  const [language, setLanguage] = useState(link.editions[0]?.language ?? "");
  const [captions, setCaptions] = useState(true);
  const editions = useQueries({ queries: link.editions.map((one) => ({ queryKey: ["link", token, one.language], queryFn: () => ask<ReviewedEdition>(at.edition(one.language ?? "")), refetchInterval: (query: { state: { data: ReviewedEdition | undefined } }) => (link.download && query.state.data?.recipe && !query.state.data.track ? IN_A_MOMENT : false) })) });
  const asked = editions.find((one) => one.data?.language === language);
  const edition = asked?.data;
  const { sound, picture, events, time, playing, play, pause, seek } = useHeard(edition?.recipe ? at.sound(language, edition.recipe, edition.sound) : "", edition?.holds ?? NOTHING, () => void asked?.refetch());
  const direction = link.editions.find((one) => one.language === language)?.direction ?? "ltr";
  const here = edition?.lines.filter((one) => one.start <= time && time < one.end + 0.3) ?? [];
  // Another language is heard from the same moment on.
  const wanted = useRef<{ time: number; playing: boolean } | null>(null);
  const choose = (next: string) => {
    wanted.current = { time, playing };
    pause();
    setLanguage(next);
  };
  useEffect(() => {
    const at_ = wanted.current;
    if (!at_ || !edition) return;
    wanted.current = null;
    if (at_.playing) play(at_.time);
    else seek(at_.time);
  }, [edition, seek, play]);
  return (
    <div className="h-full overflow-auto bg-ground">
      <Head production={link.production} />
      <main className="max-w-3xl mx-auto p-4 flex flex-col gap-4">
        <EditionTabs link={link} language={language} say={say} onChoose={choose} />
        {edition && !edition.recipe && <p className="text-lg">{say("nothing")}</p>}
        {edition && edition.recipe && (
          <>
            {link.picture && <Picture of={picture} address={at.source("picture.mp4")} />}
            <audio ref={sound} {...events} />
            <div className="flex items-center gap-3">
              <PlayButton playing={playing} say={say} onPress={() => (playing ? pause() : play())} />
              <div className="grow min-w-0"><Strip edition={edition} time={time} current={here[0]?.id} label={say("play")} onSeek={seek} /></div>
            </div>
            <label className="flex items-center gap-2 min-h-11"><input type="checkbox" className="size-5 accent-tide" checked={captions} onChange={(event) => setCaptions(event.target.checked)} />{say("captions")}</label>
            {captions && <p className="min-h-20 rounded-lg bg-paper border border-rule p-4 text-xl leading-snug wrap-anywhere hyphens-auto" lang={language} dir={direction}>{here.map((one) => <span key={one.id} className="block"><bdi className="text-soft text-sm block">{one.speaker}</bdi>{one.words}</span>)}</p>}
            <ol aria-label={say("lines")} className="max-h-80 overflow-auto rounded-lg border border-rule bg-paper divide-y divide-rule">
              {edition.lines.map((one) => (
                <li key={one.id}>
                  <button type="button" className={`w-full min-h-11 text-start px-3 py-1.5 ${here.includes(one) ? "bg-lamp-wash" : ""}`} onClick={() => play(one.start)}>
                    <bdi className="text-soft text-sm me-2">{one.speaker}</bdi>
                    <span className="wrap-anywhere" lang={language} dir={direction}>{one.words}</span>
                  </button>
                </li>
              ))}
            </ol>
            {edition.track && <a className="inline-flex self-start items-center gap-2 h-12 px-4 rounded-md bg-tide text-white" href={at.track(language)} download><Download size={18} aria-hidden />{say("download")}</a>}
          </>
        )}
      </main>
    </div>
  );
}
