import { CircleCheck, CircleDashed, CircleDot, CircleSlash, History, MonitorSmartphone, TableProperties, UserX } from "lucide-react";
import { useTranslation } from "react-i18next";

import type { Line } from "../api/client";
import { Tip } from "./controls";

const LOOK = {
  sketch: { icon: CircleDot, tone: "text-soft" },
  current: { icon: CircleCheck, tone: "text-tide" },
  out_of_date: { icon: History, tone: "text-alarm" },
  unvoiced: { icon: CircleDashed, tone: "text-soft" },
  uncast: { icon: UserX, tone: "text-alarm" },
  on_screen: { icon: MonitorSmartphone, tone: "text-soft" },
  template: { icon: TableProperties, tone: "text-soft" },
  empty: { icon: CircleSlash, tone: "text-soft" },
} as const;

/** Whether a line's take still matches what it would be made from, as a shape and as words. */
export function TakeDot({ line }: { line: Line }) {
  const { t } = useTranslation();
  const look = line.state === "current" && line.quality === "sketch" ? "sketch" : line.state;
  const { icon: Icon, tone } = LOOK[look];
  const words = t(`take.${look}`);
  return (
    <Tip text={words}>
      <span className={`inline-grid place-items-center size-5 ${tone}`} role="img" aria-label={words}>
        <Icon size={15} aria-hidden />
      </span>
    </Tip>
  );
}
