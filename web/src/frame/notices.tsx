import { X } from "lucide-react";
import { useTranslation } from "react-i18next";
import { create } from "zustand";

import { IconButton, Notice } from "../shared/ui/controls";

export interface NoticeText {
  tone: "bad" | "calm";
  text: string;
}

interface Notices {
  shown: (NoticeText & { id: number })[];
  say: (notice: NoticeText) => void;
  drop: (id: number) => void;
}

let next = 1;
export const useNotices = create<Notices>((set) => ({
  shown: [],
  say: (notice) => {
    const id = next++;
    set((state) => ({ shown: [...state.shown.filter((one) => one.text !== notice.text).slice(-3), { ...notice, id }] }));
    // What went wrong stays until it is read; what went well goes by itself.
    if (notice.tone === "calm") setTimeout(() => useNotices.getState().drop(id), 5000);
  },
  drop: (id) => set((state) => ({ shown: state.shown.filter((one) => one.id !== id) })),
}));

export function Notices() {
  const { t } = useTranslation();
  const { shown, drop } = useNotices();
  return (
    <div className="fixed bottom-20 end-4 z-50 flex flex-col gap-2 w-96 max-w-[90vw]">
      {shown.map((notice) => (
        <div key={notice.id} className="flex shadow-lg bg-paper rounded-sm items-start">
          <div className="grow">
            <Notice tone={notice.tone}>{notice.text}</Notice>
          </div>
          <IconButton name={t("common.close")} onClick={() => drop(notice.id)}>
            <X size={15} aria-hidden />
          </IconButton>
        </div>
      ))}
    </div>
  );
}
