import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Check, ChevronLeft, ChevronRight, Mic, Square, Trash2 } from "lucide-react";
import { useEffect, useMemo, useRef, useState } from "react";

import type { Fault } from "../shared/api/fault";
import { Button, FIELD } from "../shared/ui/button";
import { useKeys } from "../shared/useKeys";
import { ask, KINDS, linkAt, whyNot, type Kind, type OpenedLink, type ReviewedEdition, type ReviewersRemark } from "./link";
import { EditionTabs, Head, Picture, PlayButton, Strip } from "./parts";
import { useHeard } from "./useHeard";
import type { Say } from "./words";

const NOTHING: ReviewedEdition["holds"] = [];
const IN_A_MOMENT = 8_000;

/** What somebody has begun to say of a line, or of the whole. `attempt` is the same however often it is sent. */
interface Draft {
  kind: Kind | null;
  text: string;
  proposed: string;
  attempt: string;
}
type Drafts = Record<string, Draft>;

const nameOf = (token: string) => `review/${token}`;

function keptDrafts(token: string): Drafts {
  try {
    return JSON.parse(sessionStorage.getItem(nameOf(token)) ?? "{}") as Drafts;
  } catch {
    return {};
  }
}

function keepDrafts(token: string, drafts: Drafts): void {
  try {
    sessionStorage.setItem(nameOf(token), JSON.stringify(drafts));
  } catch {
    // A browser that keeps nothing: it stays as long as the page does.
  }
}

const seenName = (token: string) => `review-seen/${token}`;

function answersSeen(token: string): number[] {
  try {
    return JSON.parse(localStorage.getItem(seenName(token)) ?? "[]") as number[];
  } catch {
    return [];
  }
}

function keepSeen(token: string, seen: readonly number[]): void {
  try {
    localStorage.setItem(seenName(token), JSON.stringify(seen));
  } catch {
    // A browser that keeps nothing shows them as new again.
  }
}

/** A review: one line at a time in large type, a few large answers, a remark, a better wording. */
export function ReviewPage({ token, link, say }: { token: string; link: OpenedLink; say: Say }) {
  const at = linkAt(token);
  const client = useQueryClient();
  const [language, setLanguage] = useState(link.editions[0]?.language ?? "");
  const [chosen, setChosen] = useState<number | null>(null);
  const [oneByOne, setOneByOne] = useState(true);
  const [anyway, setAnyway] = useState(false);
  const [seen, setSeen] = useState<number[]>(() => answersSeen(token));
  const [said, setSaid] = useState<{ text: string; bad: boolean } | null>(null);
  const [drafts, setDrafts] = useState<Drafts>(() => keptDrafts(token));
  const [spokenOf, setSpokenOf] = useState<Record<string, Blob>>({});
  const [opened, setOpened] = useState<Record<string, ReviewedEdition>>({});
  const key = ["link", token, language];
  const asked = useQuery({
    queryKey: key,
    retry: (count, error) => (error as Fault).status !== 404 && count < 3,
    refetchInterval: IN_A_MOMENT,
    staleTime: 2_000,
    queryFn: () => ask<ReviewedEdition>(at.edition(language)),
  });
  const newest = asked.data;
  const withdrawn = (asked.error as Fault | null)?.status === 404;
  useEffect(() => {
    // A link that was withdrawn says so at once, not when something is sent; what was typed stays kept.
    if (withdrawn) void client.invalidateQueries({ queryKey: ["link", token], exact: true });
  }, [client, token, withdrawn]);
  // What was opened stays what is heard and judged; a newer mix is offered.
  if (newest && !opened[language]?.recipe && newest !== opened[language]) setOpened({ ...opened, [language]: newest });
  const edition = opened[language] ?? newest;
  const newer = Boolean(newest?.recipe && edition && newest.recipe !== edition.recipe);
  const { sound, piece, picture, events, pieceEvents, time, playing, play, pause, seek } = useHeard(edition?.recipe ? at.sound(language, edition.recipe, edition.sound) : "", edition?.holds ?? NOTHING, () => {
    // What was heard is not there any more: the small one has been made meanwhile.
    if (newest && edition && newest.recipe === edition.recipe && newest.sound !== edition.sound) setOpened((now) => ({ ...now, [language]: newest }));
    else void client.invalidateQueries({ queryKey: key });
  });
  const lines = useMemo(() => edition?.lines ?? [], [edition]);
  const direction = link.editions.find((one) => one.language === language)?.direction ?? "ltr";

  // The line that is said just now is the one that is judged, unless another was chosen.
  const running = lines.findLast((one) => one.start <= time + 0.05);
  const current = (playing && !oneByOne ? running : lines.find((one) => one.id === chosen)) ?? running ?? lines[0];
  const number = current ? lines.indexOf(current) : -1;
  const mine = useMemo(() => {
    const found = new Map<number | null, ReviewersRemark[]>();
    for (const one of newest?.remarks ?? []) found.set(one.line, [...(found.get(one.line) ?? []), one]);
    return found;
  }, [newest]);
  const left = lines.filter((one) => !mine.has(one.id)).length;
  const sketches = newest?.recipe === edition?.recipe ? newest?.sketches ?? 0 : edition?.sketches ?? 0;
  // What somebody has answered, or done something about: the newest first.
  const answered = useMemo(() => (newest?.remarks ?? []).filter((one) => one.kind !== "fine" && (one.answer || one.state !== "open")).reverse(), [newest]);
  const see = (one: ReviewersRemark) => setSeen((now) => {
    const next = now.includes(one.id) ? now : [...now, one.id];
    keepSeen(token, next);
    return next;
  });

  const list = useRef<HTMLOListElement>(null);
  useEffect(() => {
    // The list alone: the page stays where it is.
    const inside = list.current;
    const row = inside?.querySelector<HTMLElement>("[aria-current=true]");
    if (!inside || !row) return;
    const top = row.offsetTop - inside.offsetTop;
    if (top < inside.scrollTop) inside.scrollTop = top;
    else if (top + row.offsetHeight > inside.scrollTop + inside.clientHeight) inside.scrollTop = top + row.offsetHeight - inside.clientHeight;
  }, [current?.id]);

  // What is typed belongs to its line, whichever is looked at meanwhile, and whatever comes back from the server.
  const placeOf = (line: number | null) => `${language}/${line ?? "whole"}`;
  const draft = current ? drafts[placeOf(current.id)] : undefined;
  const kind = draft?.kind ?? null;
  const write = (line: number | null, more: Partial<Draft> | null) =>
    setDrafts((now) => {
      const { [placeOf(line)]: before, ...others } = now;
      const next = more === null ? others : { ...others, [placeOf(line)]: { ...(before ?? { kind: null, text: "", proposed: "", attempt: crypto.randomUUID() }), ...more } };
      keepDrafts(token, next);
      return next;
    });
  const setSpoken = (line: number, blob: Blob | null) => setSpokenOf((now) => {
    const others = Object.fromEntries(Object.entries(now).filter(([place]) => place !== placeOf(line)));
    return blob ? { ...others, [placeOf(line)]: blob } : others;
  });
  const alone = (line: ReviewedEdition["lines"][number]) => at.line(language, edition?.recipe ?? "", line.id, edition?.sound ?? "");
  const go = (to: number) => {
    const next = lines[Math.min(lines.length - 1, Math.max(0, to))];
    if (!next) return;
    setChosen(next.id);
    if (oneByOne) play(next.start, next.end, alone(next));
    else seek(next.start);
  };
  const playOrPause = () => {
    if (playing) return pause();
    if (oneByOne && current) { setChosen(current.id); return play(current.start, current.end, alone(current)); }
    play();
  };
  const send = async (what: Kind, line: number | null) => {
    const form = new FormData();
    form.set("language", language);
    form.set("kind", what);
    form.set("at", String(Math.round((current && line !== null ? Math.min(Math.max(time, current.start), current.end) : time) * 100) / 100));
    if (line !== null) form.set("line", String(line));
    form.set("recipe", edition?.recipe ?? "");
    const told = drafts[placeOf(line)];
    const spoken = spokenOf[placeOf(line)];
    if (what !== "fine") {
      form.set("text", told?.text ?? "");
      form.set("proposed", told?.proposed ?? "");
      if (spoken) form.set("sound", spoken, "remark.webm");
    }
    try {
      await ask(at.remarks, "POST", form, what === "fine" ? undefined : told?.attempt);
      setSaid({ text: say("sent"), bad: false });
      if (what !== "fine") {
        write(line, null);
        if (line !== null) setSpoken(line, null);
      }
      await client.invalidateQueries({ queryKey: key });
      if (what === "fine" && number < lines.length - 1) go(number + 1);
    } catch (error) {
      setSaid({ text: whyNot(error, say, line !== null && (error as Fault).code === "line_gone"), bad: true });
    }
  };
  const judge = (what: Kind) => {
    setSaid(null);
    if (!current) return;
    setChosen(current.id);
    if (what === "fine") { void send("fine", current.id); return; }
    pause();
    // Pressed again with nothing said, it is put away.
    if (draft?.kind === what && !draft.text.trim() && (!draft.proposed.trim() || draft.proposed === current.words) && !spokenOf[placeOf(current.id)]) return write(current.id, null);
    write(current.id, { kind: what, proposed: draft?.proposed || (what === "words" || what === "name" ? current.words : "") });
  };
  const takeBack = async (one: ReviewersRemark) => {
    try {
      await ask(at.remark(one.id), "DELETE");
    } catch (error) {
      setSaid({ text: whyNot(error, say), bad: true });
    }
    await client.invalidateQueries({ queryKey: key });
  };
  const approve = async (approved: boolean) => {
    try {
      client.setQueryData(key, await ask<ReviewedEdition>(at.approval(language), "PUT", { approved, recipe: edition?.recipe ?? "" }));
    } catch (error) {
      setSaid({ text: whyNot(error, say), bad: true });
    }
    setAnyway(false);
  };
  useKeys({
    " ": playOrPause,
    // As the page reads: the next line lies where reading goes on.
    ArrowLeft: () => go(number + (document.documentElement.dir === "rtl" ? 1 : -1)),
    ArrowRight: () => go(number + (document.documentElement.dir === "rtl" ? -1 : 1)),
    ...Object.fromEntries(KINDS.map((one, at_) => [String(at_ + 1), () => judge(one)])),
  });
  const remarks = current ? (mine.get(current.id) ?? []) : [];
  return (
    <div className="h-full overflow-auto bg-ground">
      <Head production={link.production}><span className="text-quay-soft text-sm wrap-anywhere">{say("forName", { name: link.name })}</span></Head>
      <main className="max-w-3xl mx-auto p-4 flex flex-col gap-4">
        <EditionTabs link={link} language={language} say={say} onChoose={(next) => { pause(); setLanguage(next); setChosen(null); }} />
        {newer && newest && (
          <p className="flex flex-wrap items-center gap-3 rounded-md bg-lamp-wash px-3 py-2" role="status">
            <span className="grow">{say("newer")}</span>
            <Button className="h-10!" onClick={() => { pause(); setOpened((now) => ({ ...now, [language]: newest })); }}>{say("openNewer")}</Button>
          </p>
        )}
        {edition && !lines.length && <p className="text-lg">{say("nothing")}</p>}
        {edition && current && (
          <>
            {link.picture && <Picture of={picture} address={at.source("picture.mp4")} />}
            <audio ref={sound} {...events} />
            <audio ref={piece} {...pieceEvents} />
            <div className="flex items-center gap-3">
              <PlayButton playing={playing} say={say} onPress={playOrPause} />
              <div className="grow min-w-0"><Strip edition={edition} time={time} current={current.id} judged={(line) => mine.has(line)} label={say("play")} onSeek={(to) => { seek(to); setChosen(null); }} /></div>
            </div>
            <div role="group" className="flex gap-1">
              {[true, false].map((one) => (
                <button key={String(one)} type="button" aria-pressed={oneByOne === one} className={`h-10 px-3 rounded-md ${oneByOne === one ? "bg-tide-wash font-semibold" : "bg-sunk"}`} onClick={() => setOneByOne(one)}>{one ? say("oneByOne") : say("inOneGo")}</button>
              ))}
            </div>
            <section className="bg-paper rounded-lg border border-rule p-4 flex flex-col gap-3" aria-live="off">
              <div className="flex items-center gap-2">
                <Button className="size-11! p-0! shrink-0" aria-label={say("previous")} disabled={number <= 0} onClick={() => go(number - 1)}><ChevronLeft className="rtl:-scale-x-100" aria-hidden /></Button>
                <p className="grow min-w-0 text-center text-sm text-soft wrap-anywhere">{say("line", { number: number + 1, total: lines.length })} · <bdi>{current.speaker}</bdi></p>
                <Button className="size-11! p-0! shrink-0" aria-label={say("next")} disabled={number >= lines.length - 1} onClick={() => go(number + 1)}><ChevronRight className="rtl:-scale-x-100" aria-hidden /></Button>
              </div>
              {current.original && <p className="text-sm text-soft wrap-anywhere"><span className="sr-only">{say("source")}: </span><span className="block" dir="auto">{current.original}</span></p>}
              <p className="text-2xl leading-snug wrap-anywhere hyphens-auto" lang={language} dir={direction}>{current.words}</p>
              <div className="grid grid-cols-2 sm:grid-cols-3 gap-2">
                {KINDS.map((one) => (
                  <button key={one} type="button" aria-pressed={kind === one || remarks.some((other) => other.kind === one)} className={`min-h-14 rounded-md px-2 text-base border ${one === "fine" ? "border-tide" : "border-rule"} ${kind === one || remarks.some((other) => other.kind === one) ? "bg-tide text-white" : "bg-paper hover:bg-sunk"}`} onClick={() => judge(one)}>
                    {one === "fine" && <Check size={18} className="inline me-1" aria-hidden />}{say(one)}
                  </button>
                ))}
              </div>
              {draft && kind && kind !== "fine" && (
                <form className="flex flex-col gap-2" onSubmit={(event) => { event.preventDefault(); void send(kind, current.id); }}>
                  <label><span className="block text-sm mb-1">{say("remark")}</span><textarea className={FIELD} rows={2} dir="auto" maxLength={2000} autoFocus value={draft.text} onChange={(event) => write(current.id, { text: event.target.value })} /></label>
                  {(kind === "words" || kind === "name") && (
                    <label><span className="block text-sm mb-1">{say("proposed")}</span><textarea className={FIELD} rows={2} lang={language} dir={direction} maxLength={2000} value={draft.proposed} onChange={(event) => write(current.id, { proposed: event.target.value })} /></label>
                  )}
                  <Recorder key={current.id} say={say} spoken={spokenOf[placeOf(current.id)] ?? null} onSpoken={(blob) => setSpoken(current.id, blob)} />
                  <Button look="main" type="submit" className="h-12! text-base!">{say("send")}</Button>
                </form>
              )}
              {said && <p role="status" className={said.bad ? "text-alarm" : "text-tide"}>{said.text}</p>}
              {remarks.filter((one) => one.kind !== "fine").map((one) => (
                <div key={one.id} className="border-t border-rule pt-2 text-sm flex items-start gap-3">
                  <span className="grow min-w-0 wrap-anywhere">
                    <span className="font-semibold">{say(one.kind)}</span> <span className="text-soft">({say(one.state)})</span>
                    {one.text && <span className="block" dir="auto">{one.text}</span>}
                    {one.spoken && <span className={`block ${one.unreadable ? "text-alarm" : "text-soft"}`}>{say(one.unreadable ? "unreadable" : "recorded")}</span>}
                    {one.proposed && <span className="block" lang={language} dir={direction}>{one.proposed}</span>}
                    {one.answer && <span className="block" dir="auto">{say("answer", { text: one.answer })}</span>}
                  </span>
                  {one.state === "open" && !one.answer && <Button className="h-10!" onClick={() => void takeBack(one)}>{say("takeBack")}</Button>}
                </div>
              ))}
            </section>
            <ol ref={list} className="max-h-72 overflow-auto rounded-lg border border-rule bg-paper divide-y divide-rule">
              {lines.map((one, at_) => {
                const ofIt = mine.get(one.id) ?? [];
                return (
                  <li key={one.id} aria-current={one === current}>
                    <button type="button" className={`w-full min-h-11 text-start px-3 py-1.5 flex gap-3 items-baseline ${one === current ? "bg-lamp-wash" : ""}`} onClick={() => go(at_)}>
                      <span className="w-5 shrink-0 text-tide">{drafts[placeOf(one.id)] ? "…" : ofIt.length === 0 ? "" : ofIt.some((other) => other.kind !== "fine") ? "●" : "✓"}</span>
                      <span className="grow min-w-0 wrap-anywhere" lang={language} dir={direction}>{one.words}</span>
                    </button>
                  </li>
                );
              })}
            </ol>
            {answered.length > 0 && (
              <section aria-labelledby="answered" className="rounded-lg border border-rule bg-paper p-3">
                <h2 id="answered" className="font-semibold">{say("answers")}</h2>
                <ul className="divide-y divide-rule">
                  {answered.map((one) => {
                    const where = lines.findIndex((line) => line.id === one.line);
                    return (
                      <li key={one.id} className="py-2 text-sm flex items-start gap-3">
                        <span className="grow min-w-0 wrap-anywhere">
                          {!seen.includes(one.id) && <span className="rounded-sm bg-lamp-wash px-1.5 me-2 font-semibold">{say("newAnswer")}</span>}
                          <span className="font-semibold">{say(one.kind)}</span> <span className="text-soft">({say(one.state)})</span>
                          {one.text && <span className="block" dir="auto">{one.text}</span>}
                          {one.answer && <span className="block" dir="auto">{say("answer", { text: one.answer })}</span>}
                        </span>
                        {where >= 0 && <Button className="h-10!" onClick={() => { see(one); go(where); }}>{say("goThere")}</Button>}
                      </li>
                    );
                  })}
                </ul>
              </section>
            )}
            <Whole say={say} remarks={mine.get(null) ?? []} text={drafts[placeOf(null)]?.text ?? ""} onTold={(text) => write(null, text ? { text } : null)} onSend={() => void send("whole", null)} />
            <footer className="flex flex-wrap items-center gap-3 pb-8">
              {newest && newest.approved_recipe === edition.recipe
                ? <><span className="text-lg font-semibold text-tide"><Check size={20} className="inline me-1" aria-hidden />{say("approved")}</span><Button className="h-12!" onClick={() => void approve(false)}>{say("unapprove")}</Button></>
                : anyway
                  ? <><span className="text-base" role="alert">{say("notAll")}</span><Button look="main" className="h-12! text-base!" autoFocus onClick={() => void approve(true)}>{say("approveAll")}</Button></>
                  : <Button look="main" className="h-12! text-base!" onClick={() => { if (left > 0 || sketches > 0) setAnyway(true); else void approve(true); }}>{say("approve")}</Button>}
              {left > 0 && <span className="text-soft">{say("left", { count: left })}</span>}
              {sketches > 0 && <span className="text-soft">{say("sketches", { count: sketches })}</span>}
              <span className="text-xs text-soft w-full hidden sm:block">{say("keys")}</span>
            </footer>
          </>
        )}
      </main>
    </div>
  );
}

/** Something about the whole, that belongs to no line. */
function Whole({ say, remarks, text, onTold, onSend }: { say: Say; remarks: readonly ReviewersRemark[]; text: string; onTold: (text: string) => void; onSend: () => void }) {
  return (
    <details className="rounded-lg border border-rule bg-paper p-3">
      <summary className="cursor-pointer min-h-8">{say("whole")}</summary>
      <form className="flex flex-col gap-2 mt-2" onSubmit={(event) => { event.preventDefault(); onSend(); }}>
        <textarea aria-label={say("whole")} className={FIELD} rows={2} dir="auto" maxLength={2000} value={text} onChange={(event) => onTold(event.target.value)} />
        <Button type="submit" className="h-11!" disabled={!text.trim()}>{say("send")}</Button>
      </form>
      {remarks.map((one) => <p key={one.id} className="text-sm mt-2" dir="auto">{one.text} <span className="text-soft">({say(one.state)})</span>{one.answer && <span className="block">{say("answer", { text: one.answer })}</span>}</p>)}
    </details>
  );
}

const LONGEST = 90;
/** Seconds. More is not taken. */

/** A remark that is spoken instead of typed. */
function Recorder({ say, spoken, onSpoken }: { say: Say; spoken: Blob | null; onSpoken: (sound: Blob | null) => void }) {
  const recorder = useRef<MediaRecorder | null>(null);
  const [on, setOn] = useState(false);
  const [seconds, setSeconds] = useState(0);
  const [fault, setFault] = useState("");
  const [full, setFull] = useState(false);
  const start = async () => {
    setFull(false);
    try {
      const stream = await navigator.mediaDevices.getUserMedia({ audio: true });
      const made = new MediaRecorder(stream);
      const parts: Blob[] = [];
      made.ondataavailable = (event) => parts.push(event.data);
      made.onstop = () => {
        stream.getTracks().forEach((track) => track.stop());
        onSpoken(new Blob(parts, { type: made.mimeType }));
        setOn(false);
      };
      recorder.current = made;
      made.start();
      setSeconds(0);
      setOn(true);
    } catch (error) {
      setFault((error as Error).message);
    }
  };
  useEffect(() => () => { if (recorder.current?.state === "recording") recorder.current.stop(); }, []);
  useEffect(() => {
    if (!on) return undefined;
    const begun = Date.now();
    const clock = setInterval(() => {
      const now = (Date.now() - begun) / 1000;
      setSeconds(Math.min(LONGEST, now));
      if (now >= LONGEST) setFull(true);
      if (now >= LONGEST && recorder.current?.state === "recording") recorder.current.stop();
    }, 250);
    return () => clearInterval(clock);
  }, [on]);
  const address = useMemo(() => (spoken ? URL.createObjectURL(spoken) : ""), [spoken]);
  useEffect(() => () => { if (address) URL.revokeObjectURL(address); }, [address]);
  if (!("mediaDevices" in navigator)) return null;
  return (
    <div className="flex flex-wrap items-center gap-3">
      {spoken ? (
        <>
          <span className="text-sm grow">{say("recorded")}</span>
          <Button className="h-11!" onClick={() => onSpoken(null)}><Trash2 size={16} aria-hidden />{say("discard")}</Button>
          <audio controls aria-label={say("again")} src={address} className="h-11 w-full" />
        </>
      ) : on ? (
        <Button className="h-11! bg-alarm-wash" onClick={() => recorder.current?.stop()}><Square size={14} fill="currentColor" aria-hidden />{say("stopRecording")} <span className="tabular-nums" role="timer">{`${Math.floor(seconds)} / ${LONGEST} s`}</span></Button>
      ) : (
        <Button className="h-11!" onClick={() => void start()}><Mic size={16} aria-hidden />{say("record")}</Button>
      )}
      {full && spoken && <span className="text-sm w-full" role="status">{say("full")}</span>}
      {fault && <span className="text-sm text-alarm">{fault}</span>}
    </div>
  );
}
