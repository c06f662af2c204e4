import { X } from "lucide-react";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";
import { create } from "zustand";

import { Button, IconButton, Notice } from "./ui/controls";

export interface NoticeText {
  tone: "bad" | "calm";
  text: string;
  /** What can be done about it, by a button. */
  action?: { label: string; act: () => void };
}

interface Shown extends NoticeText {
  id: number;
  /** How often it was said. */
  count: number;
}

interface Notices {
  shown: Shown[];
  say: (notice: NoticeText) => void;
  drop: (id: number) => void;
}

const MOST = 4;
/** Milliseconds for which it has been in sight before it goes by itself; what offers something stays longer. */
const SEEN = { calm: 5_000, bad: 12_000, action: 25_000 } as const;
const TICK = 250;

let next = 1;
export const useNotices = create<Notices>((set) => ({
  shown: [],
  say: (notice) =>
    set((state) => {
      const same = state.shown.find((one) => one.text === notice.text && one.tone === notice.tone);
      const rest = state.shown.filter((one) => one !== same).slice(-(MOST - 1));
      // Said again, it is one notice that counts.
      return { shown: [...rest, { ...notice, id: next++, count: (same?.count ?? 0) + 1 }] };
    }),
  drop: (id) => set((state) => ({ shown: state.shown.filter((one) => one.id !== id) })),
}));

/** What went well or wrong, told beside the work: under every dialog, and gone by itself once it has been seen. */
export function Notices() {
  const { shown } = useNotices();
  return (
    <div className="fixed bottom-20 end-4 z-20 flex flex-col gap-2 w-96 max-w-[90vw] pointer-events-none">
      {shown.map((notice) => (
        <One key={notice.id} notice={notice} />
      ))}
    </div>
  );
}

function One({ notice }: { notice: Shown }) {
  const { t } = useTranslation();
  const drop = useNotices((state) => state.drop);
  const [held, setHeld] = useState(false);
  const most = notice.action ? SEEN.action : SEEN[notice.tone];
  useEffect(() => {
    let seen = 0;
    const timer = setInterval(() => {
      // In sight: the page is looked at, and no dialog lies over it.
      if (held || document.visibilityState !== "visible" || document.querySelector("[role=dialog]")) return;
      seen += TICK;
      if (seen >= most) drop(notice.id);
    }, TICK);
    return () => clearInterval(timer);
  }, [drop, held, most, notice.id]);
  return (
    <div
      className="flex shadow-lg bg-paper rounded-sm items-start pointer-events-auto"
      onPointerEnter={() => setHeld(true)}
      onPointerLeave={() => setHeld(false)}
      onFocus={() => setHeld(true)}
      onBlur={() => setHeld(false)}
    >
      <div className="grow">
        <Notice tone={notice.tone}>
          {notice.text}
          {notice.count > 1 && <span className="ms-1.5 text-xs font-semibold" aria-label={t("common.times", { count: notice.count })}>×{notice.count}</span>}
          {notice.action && (
            <span className="block mt-1.5">
              <Button
                onClick={() => {
                  drop(notice.id);
                  notice.action?.act();
                }}
              >
                {notice.action.label}
              </Button>
            </span>
          )}
        </Notice>
      </div>
      <IconButton name={t("common.close")} onClick={() => drop(notice.id)}>
        <X size={15} aria-hidden />
      </IconButton>
    </div>
  );
}
