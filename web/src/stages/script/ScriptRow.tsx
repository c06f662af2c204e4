import { Eye, EyeOff, Flag, MonitorSmartphone } from "lucide-react";
import { memo, useEffect, useLayoutEffect, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import { Fault, type Finding, type Line, type Speaker } from "../../shared/api/client";
import { setWording } from "../../shared/api/queries";
import { useNotices } from "../../shared/notices";
import { clock } from "../../shared/format";
import { Button, Tip } from "../../shared/ui/controls";
import { SpeakerMark } from "../../shared/ui/SpeakerMark";
import { TakeDot } from "../../shared/ui/TakeDot";
import { howChosen, type How } from "../../shared/useChosen";
import type { EditedLine } from "../../shared/script/scriptState";
import { SpeakerField } from "../../shared/ui/SpeakerField";
import { NoteField, TimesField } from "./TimesField";
import type { ScriptActions } from "../../shared/script/useScript";
import { Unanswered } from "../../shared/unanswered";

/** After so long without a key, what was typed is saved. */
const PAUSE = 700;
const DRAGGED = "application/x-janoglot-lines";

export interface Frame {
  production: number;
  language: string;
  direction: "ltr" | "rtl";
  readOnly: boolean;
  /** Frames a second of the picture, for times that are typed with frames. */
  fps: number;
  actions: ScriptActions;
  /** Move the caret to a line: by how many from here, or to a line by its id, at a place in its words. */
  go: (from: number, by: number, at?: "start" | "end" | number) => void;
  choose: (line: number, how: How) => void;
  moveChosen: (line: number, by: 1 | -1) => void;
  /** What is dragged with this line. */
  dragged: (line: number) => number[];
  /** Let lines come to stand before this one. */
  drop: (lines: number[], before: number) => void;
  /** Join a line to the one before, the caret where they meet. */
  join: (line: number) => Promise<void>;
}

interface Conflict {
  theirs: string;
  revision: number;
}

/** One line of the reading copy, edited where it stands. */
export const ScriptRow = memo(function ScriptRow({
  line,
  number,
  speaker,
  speakers,
  selected,
  chosen,
  findings,
  take,
  frame,
}: {
  line: EditedLine;
  number: number;
  speaker: Speaker | undefined;
  speakers: readonly Speaker[];
  selected: boolean;
  chosen: boolean;
  findings: readonly Finding[] | undefined;
  take: Line | undefined;
  frame: Frame;
}) {
  const { t } = useTranslation();
  const [dragged, setDragged] = useState(false);
  const look = chosen ? "bg-tide-wash border-tide" : selected ? "bg-tide-wash/60 border-tide" : "border-transparent";
  return (
    <div
      data-line={line.id}
      aria-current={selected ? "true" : undefined}
      className={`grid grid-cols-[3rem_10.5rem_minmax(0,1fr)_auto] items-start gap-2 px-4 py-1 border-s-4 ${look} ${dragged ? "shadow-[inset_0_2px_0_var(--tide)]" : ""}`}
      onKeyDown={(event) => {
        // Past the other stops of a line, to the same one of the next.
        if (!(event.ctrlKey || event.metaKey) || (event.key !== "ArrowDown" && event.key !== "ArrowUp")) return;
        const stop = [...event.currentTarget.querySelectorAll("input, textarea")].indexOf(event.target as Element);
        if (stop < 0) return;
        event.preventDefault();
        event.stopPropagation();
        frame.go(line.id, event.key === "ArrowDown" ? 1 : -1, stop === 1 ? "end" : undefined);
        if (stop !== 1) focusStop(event.key === "ArrowDown" ? 1 : -1, line.id, stop);
      }}
      onDragOver={(event) => {
        if (!event.dataTransfer.types.includes(DRAGGED)) return;
        event.preventDefault();
        setDragged(true);
      }}
      onDragLeave={() => setDragged(false)}
      onDrop={(event) => {
        setDragged(false);
        const lines = JSON.parse(event.dataTransfer.getData(DRAGGED) || "[]") as number[];
        if (lines.length) {
          event.preventDefault();
          frame.drop(lines, line.id);
        }
      }}
    >
      <button
        type="button"
        tabIndex={-1}
        aria-label={t("script.chooseLine", { number })}
        aria-pressed={chosen}
        draggable={!frame.readOnly}
        className="text-xs text-soft pt-1 text-end pe-1 cursor-grab rounded-sm hover:bg-sunk select-none"
        onClick={(event) => frame.choose(line.id, howChosen(event))}
        onDragStart={(event) => {
          event.dataTransfer.setData(DRAGGED, JSON.stringify(frame.dragged(line.id)));
          event.dataTransfer.effectAllowed = "move";
        }}
      >
        {number}
      </button>
      <span className="flex items-center gap-1.5 min-w-0">
        {speaker && <SpeakerMark name={speaker.name} position={speaker.position} size={22} />}
        <SpeakerField
          speakers={speakers}
          value={speaker?.name ?? ""}
          label={t("script.speakerOf", { number })}
          disabled={frame.readOnly}
          onChoose={(name) => void frame.actions.give([line.id], name)}
          onLeave={() => frame.go(line.id, 0, "end")}
        />
      </span>
      <div className="min-w-0">
        <Words line={line} number={number} frame={frame} />
        {selected && !frame.readOnly && line.id > 0 ? (
          <NoteField line={line} number={number} actions={frame.actions} />
        ) : (
          line.notes && <p className="text-xs text-soft italic mt-0.5">{line.notes}</p>
        )}
        {findings?.map((finding) => (
          <p key={finding.code + finding.message} className="flex items-center gap-1 text-xs text-alarm mt-0.5">
            <Flag size={11} aria-hidden className="shrink-0" />
            {finding.message}
          </p>
        ))}
      </div>
      <span className="flex items-center justify-end gap-1 text-xs text-soft pt-0.5">
        {line.kind === "on_screen" && (
          <Tip text={t("script.onScreen")}>
            <span role="img" aria-label={t("script.onScreen")} className="size-5 grid place-items-center"><MonitorSmartphone size={14} aria-hidden /></span>
          </Tip>
        )}
        {line.in_sight !== null && (
          <Tip text={t(line.in_sight ? "script.inSight" : "script.outOfSight")}>
            <span role="img" aria-label={t(line.in_sight ? "script.inSight" : "script.outOfSight")} className="size-5 grid place-items-center">
              {line.in_sight ? <Eye size={14} aria-hidden /> : <EyeOff size={14} aria-hidden />}
            </span>
          </Tip>
        )}
        {selected && !frame.readOnly ? (
          <TimesField line={line} number={number} fps={frame.fps} actions={frame.actions} />
        ) : (
          <span className="w-12 text-end">{line.slot ? clock(line.slot[0] ?? 0) : ""}</span>
        )}
        <span className="size-5">{take && <TakeDot line={take} />}</span>
      </span>
    </div>
  );
});

/** Focus a stop of the line before or after, once it is drawn as the chosen one. */
function focusStop(by: 1 | -1, line: number, stop: number): void {
  let tries = 0;
  const look = () => {
    const rows = [...document.querySelectorAll<HTMLElement>("[data-line]")];
    const row = rows[rows.findIndex((one) => one.dataset.line === String(line)) + by];
    const field = row?.querySelectorAll<HTMLElement>("input, textarea")[stop];
    if (row?.getAttribute("aria-current") === "true" && field) field.focus();
    else if (tries++ < 20) requestAnimationFrame(look);
  };
  requestAnimationFrame(look);
}

function Words({ line, number, frame }: { line: EditedLine; number: number; frame: Frame }) {
  const { t } = useTranslation();
  const say = useNotices((state) => state.say);
  const field = useRef<HTMLTextAreaElement>(null);
  const [typed, setTyped] = useState<string | null>(null);
  const [conflict, setConflict] = useState<Conflict | null>(null);
  const [fault, setFault] = useState("");
  const base = useRef(line.revision);
  const sending = useRef(false);
  const [unanswered] = useState(() => new Unanswered());
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  const latest = useRef<{ typed: string | null; line: EditedLine }>({ typed, line });
  useEffect(() => {
    latest.current = { typed, line };
  });
  const text = typed ?? line.words;

  useLayoutEffect(() => {
    const box = field.current;
    if (!box) return;
    box.style.height = "0";
    box.style.height = `${box.scrollHeight}px`;
  }, [text]);

  async function keep(over?: number): Promise<void> {
    clearTimeout(timer.current);
    const asked = latest.current;
    if (asked.typed === null || sending.current || frame.readOnly) return;
    // Where the server does not know the line yet its id is on the way; where it refused, the line is no more. A line
    // that it knows is not waited for: what was typed is gone from the field a moment later.
    const id = asked.line.id < 0 ? await frame.actions.known(asked.line.id) : asked.line.id;
    if (id === null || sending.current) return;
    const now = latest.current.typed === null ? asked : latest.current;
    if (now.typed === null) return;
    const words = now.typed.trim();
    if (words === now.line.words && over === undefined && !unanswered.some) {
      setTyped(null);
      setFault("");
      return;
    }
    sending.current = true;
    let anew: number | undefined;
    try {
      unanswered.send(words);
      const saved = await setWording(frame.production, frame.language, id, words, over ?? base.current);
      unanswered.answered();
      base.current = saved.revision;
      setConflict(null);
      setFault("");
      frame.actions.saved(id, saved.text, saved.revision);
      // What was typed meanwhile stays, and is saved next.
      setTyped((current) => (current !== null && current.trim() !== saved.text ? current : null));
    } catch (error) {
      if (!(error instanceof Fault)) throw error;
      const theirs = error.current as { text?: string; revision?: number } | undefined;
      if (error.code === "conflict" && theirs && unanswered.isOurs(theirs.text)) anew = theirs.revision;
      else if (error.code === "conflict" && theirs) setConflict({ theirs: theirs.text ?? "", revision: theirs.revision ?? 0 });
      else setFault(error.message || t("common.unreachableKept"));
    } finally {
      sending.current = false;
    }
    if (anew !== undefined) {
      // Our own words came through though their answer did not: these go on from there.
      base.current = anew;
      unanswered.answered();
      return keep(anew);
    }
    if (latest.current.typed !== null && latest.current.typed !== now.typed) timer.current = setTimeout(() => void keep(), PAUSE);
  }
  useEffect(
    () => () => {
      // Scrolled away: what was typed is not lost with the field.
      if (latest.current.typed !== null) void keep();
    },
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [],
  );

  /** Several rows are one line once they are pasted into one: they may as well be lines of their own behind it. */
  function offerLines(pasted: string, before: string) {
    const count = pasted.split(/\r?\n/).filter((row) => row.trim()).length;
    if (count < 2 || frame.readOnly) return;
    say({
      tone: "calm",
      text: t("script.pastedInto", { count }),
      action: {
        label: t("script.makeLines", { count }),
        act: () => {
          clearTimeout(timer.current);
          setTyped(before);
          latest.current = { ...latest.current, typed: before };
          void keep().then(() => frame.actions.add(line.id, pasted));
        },
      },
    });
  }

  function press(event: React.KeyboardEvent<HTMLTextAreaElement>) {
    const box = event.currentTarget;
    const { selectionStart: from, selectionEnd: to, value } = box;
    const nothing = from === to;
    const mod = event.ctrlKey || event.metaKey;
    if (event.nativeEvent.isComposing) return;
    if (event.key === "Enter" && !event.shiftKey && !mod && !frame.readOnly) {
      event.preventDefault();
      clearTimeout(timer.current);
      setTyped(null);
      void frame.actions.split(line.id, value, from, base.current);
      frame.go(line.id, 1, "start");
    } else if (event.key === "Backspace" && nothing && from === 0 && !mod && number > 1 && !frame.readOnly) {
      event.preventDefault();
      void keep().then(() => frame.join(line.id));
    } else if (event.altKey && (event.key === "ArrowUp" || event.key === "ArrowDown")) {
      event.preventDefault();
      void keep().then(() => frame.moveChosen(line.id, event.key === "ArrowUp" ? -1 : 1));
    } else if (event.key === "ArrowUp" && !event.shiftKey && !mod && nothing && onFirstRow(box)) {
      event.preventDefault();
      frame.go(line.id, -1, from);
    } else if (event.key === "ArrowDown" && !event.shiftKey && !mod && nothing && onLastRow(box)) {
      event.preventDefault();
      frame.go(line.id, 1, from);
    } else if (event.key === "Escape") {
      event.stopPropagation();
      if (typed !== null) setTyped(null);
      else box.blur();
      frame.choose(line.id, "one");
    } else if (mod && event.key.toLowerCase() === "z" && typed === null) {
      event.preventDefault();
      void (event.shiftKey ? frame.actions.redo() : frame.actions.undo());
    }
  }
  return (
    <>
      <textarea
        ref={field}
        rows={1}
        data-words={line.key}
        aria-label={t("script.wordsOf", { number })}
        aria-invalid={conflict !== null || fault !== ""}
        lang={frame.language}
        dir={frame.direction}
        readOnly={frame.readOnly}
        spellCheck={false}
        className={`block w-full resize-none overflow-hidden rounded-sm bg-transparent px-1.5 py-0.5 -mx-1.5 leading-snug hover:bg-sunk/60 focus:bg-paper ${conflict || fault ? "outline-2 outline-alarm" : ""} ${line.kind === "on_screen" ? "italic" : ""}`}
        value={text}
        onFocus={() => {
          if (typed === null) base.current = line.revision;
          frame.go(line.id, 0);
        }}
        onChange={(event) => {
          if (typed === null) base.current = line.revision;
          setTyped(event.target.value.replace(/\n/g, " "));
          clearTimeout(timer.current);
          if (!conflict) timer.current = setTimeout(() => void keep(), PAUSE);
        }}
        onPaste={(event) => offerLines(event.clipboardData.getData("text/plain"), event.currentTarget.value)}
        onBlur={() => void keep()}
        onKeyDown={press}
      />
      {fault && <p role="alert" className="text-xs text-alarm mt-0.5">{fault} <button type="button" className="underline" onClick={() => void keep()}>{t("common.again")}</button></p>}
      {conflict && (
        <div role="alert" className="mt-1 rounded-md border border-alarm bg-alarm-wash p-2 text-sm">
          <p className="font-semibold">{t("script.conflict")}</p>
          <p className="my-1" dir={frame.direction}>{conflict.theirs || "—"}</p>
          <p className="flex gap-2">
            <Button onClick={() => void keep(conflict.revision)}>{t("script.keepMine")}</Button>
            <Button
              onClick={() => {
                frame.actions.saved(line.id, conflict.theirs, conflict.revision);
                setTyped(null);
                setConflict(null);
              }}
            >
              {t("script.takeTheirs")}
            </Button>
            <Button
              onClick={() => {
                setTyped(`${conflict.theirs} ${typed ?? ""}`.trim());
                base.current = conflict.revision;
                setConflict(null);
                field.current?.focus();
              }}
            >
              {t("script.keepBoth")}
            </Button>
          </p>
        </div>
      )}
    </>
  );
}

/** Whether the caret stands in the field's first or last row, as it is wrapped now: by the height up to it. */
function onFirstRow(box: HTMLTextAreaElement): boolean {
  return box.clientHeight < 2 * rowHeight(box) || heightOf(box, box.value.slice(0, box.selectionStart)) <= rowHeight(box) * 1.5;
}

function onLastRow(box: HTMLTextAreaElement): boolean {
  if (box.clientHeight < 2 * rowHeight(box)) return true;
  return heightOf(box, box.value.slice(0, box.selectionStart)) > heightOf(box, box.value) - rowHeight(box) * 0.5;
}

const rowHeight = (box: HTMLTextAreaElement) => parseFloat(getComputedStyle(box).lineHeight) || 18;

function heightOf(box: HTMLTextAreaElement, text: string): number {
  const twin = document.createElement("div");
  const style = getComputedStyle(box);
  twin.style.cssText = `position:absolute;visibility:hidden;white-space:pre-wrap;overflow-wrap:break-word;width:${box.clientWidth - 12}px;font:${style.font};line-height:${style.lineHeight};letter-spacing:${style.letterSpacing}`;
  twin.textContent = text || " ";
  document.body.append(twin);
  const height = twin.offsetHeight;
  twin.remove();
  return height;
}
