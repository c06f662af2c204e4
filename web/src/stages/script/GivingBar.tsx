import { X } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import type { Speaker } from "../../shared/api/client";
import { IconButton } from "../../shared/ui/controls";
import { UNNAMED } from "../../shared/script/scriptState";
import { SpeakerMark } from "../../shared/ui/SpeakerMark";
import { SpeakerField } from "../../shared/ui/SpeakerField";

export const GIVING_KEYS = "123456789qwertyuiop";

/** Gives the chosen line to a speaker with one key, and goes on to the next line. */
export function GivingBar({
  speakers,
  onGive,
  onMove,
  onDone,
}: {
  speakers: readonly Speaker[];
  onGive: (name: string) => void;
  onMove: (by: 1 | -1) => void;
  onDone: () => void;
}) {
  const { t } = useTranslation();
  const bar = useRef<HTMLDivElement>(null);
  const [hint, setHint] = useState("");
  const offered = speakers.filter((one) => one.name !== UNNAMED).slice(0, GIVING_KEYS.length);
  /** Back to the keys, wherever the hand was: the next name or key never enters the words. */
  function leave() {
    (document.activeElement as HTMLElement | null)?.blur();
    bar.current?.focus();
  }
  useEffect(() => {
    function press(event: KeyboardEvent) {
      if (event.ctrlKey || event.metaKey || event.altKey || (event.target as HTMLElement | null)?.closest("input, textarea, select, [role=dialog]")) return;
      const key = event.key.toLowerCase();
      const speaker = event.key.length === 1 ? offered[GIVING_KEYS.indexOf(key)] : undefined;
      if (speaker) onGive(speaker.name);
      else if (event.key.length === 1 && (GIVING_KEYS.includes(key) || /\p{L}|\p{N}/u.test(key))) {
        // A key that is nobody's: whoever that is to be is named, beginning with what was typed.
        const field = bar.current?.querySelector("input");
        setHint(t("script.givingNobody", { key: key.toUpperCase() }));
        field?.focus();
        // A letter begins the name.
        if (!/\d/.test(key)) return;
      } else if (event.key === "ArrowDown" || event.key === "ArrowUp") onMove(event.key === "ArrowDown" ? 1 : -1);
      else if (event.key === "Escape") onDone();
      else return;
      // While lines are given, these keys mean speakers and nothing else.
      event.preventDefault();
      event.stopPropagation();
    }
    document.addEventListener("keydown", press, { capture: true });
    return () => document.removeEventListener("keydown", press, { capture: true });
  });
  return (
    <div ref={bar} tabIndex={-1} role="toolbar" aria-label={t("script.giving")} className="flex flex-wrap items-center gap-x-3 gap-y-1.5 px-4 py-2 border-t border-rule bg-lamp-wash">
      <span className="text-sm font-semibold">{t("script.giving")}</span>
      {offered.map((speaker, index) => (
        <button key={speaker.id} type="button" className="flex items-center gap-1.5 text-sm rounded-sm px-1 hover:bg-paper" onClick={() => onGive(speaker.name)}>
          <kbd className="min-w-5 text-center rounded-sm border border-rule bg-paper font-sans text-xs">{GIVING_KEYS[index]?.toUpperCase()}</kbd>
          <SpeakerMark name={speaker.name} position={speaker.position} size={20} />
          <span className="max-w-36 truncate">{speaker.name}</span>
        </button>
      ))}
      <span className="w-40 rounded-md border border-rule bg-paper">
        <SpeakerField speakers={speakers} label={t("script.givingOther")} placeholder={t("script.givingOther")} className="h-7 font-normal" autoFocus={offered.length === 0} onChoose={(name) => { setHint(""); onGive(name); }} onLeave={leave} />
      </span>
      {hint && <span role="status" className="text-xs text-soft">{hint}</span>}
      <span className="ms-auto"><IconButton name={t("script.givingDone")} onClick={onDone}><X size={15} aria-hidden /></IconButton></span>
    </div>
  );
}
