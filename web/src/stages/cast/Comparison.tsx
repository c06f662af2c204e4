import { X } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { useSample } from "../../shared/player";
import type { Speaker, Voice } from "../../shared/api/client";
import { Button, IconButton, Tick } from "../../shared/ui/controls";
import { RowButton } from "./CastStage";
import { SampleButton } from "../../shared/ui/SampleButton";

/** Two to four voices side by side: the same line in turn, with their names, or blind until one is chosen. */
export function Comparison({
  voices,
  speaker,
  address,
  readOnly,
  onChoose,
  onDone,
}: {
  voices: readonly Voice[];
  speaker: Speaker;
  address: (voice: string) => string;
  readOnly: boolean;
  onChoose: (voice: string) => void;
  onDone: () => void;
}) {
  const { t } = useTranslation();
  const [blind, setBlind] = useState(false);
  const [order, setOrder] = useState<readonly number[]>([]);
  const [shown, setShown] = useState<string | null>(null);
  const playing = useSample((state) => state.address);
  const row = blind && order.length === voices.length ? order.flatMap((at) => voices[at] ?? []) : voices;
  function hide(next: boolean) {
    setBlind(next);
    setShown(null);
    // In another order than they were marked in, or nothing would be hidden.
    setOrder(next ? shuffled(voices.length) : []);
  }
  return (
    <section className="shrink-0 m-3 rounded-md border border-tide p-2.5 flex flex-col gap-2" aria-label={t("cast.compare")}>
      <h3 className="flex items-center gap-2 text-sm font-semibold">
        <span className="grow">{t("cast.compare")}</span>
        <Tick label={t("cast.blind")} checked={blind} onChange={hide} className="font-normal" />
        {voices.length > 1 && <RowButton name={t("cast.hearInTurn")} row={`compare ${row.map((voice) => voice.id).join()}`} addresses={() => row.map((voice) => address(voice.id))} />}
        <IconButton name={t("common.close")} onClick={onDone}><X size={14} aria-hidden /></IconButton>
      </h3>
      <ol className="grid gap-1">
        {row.map((voice, index) => {
          const letter = String.fromCharCode(65 + index);
          const named = !blind || shown !== null;
          const label = named ? voice.name : t("cast.unknown", { letter });
          return (
            <li key={voice.id} className={`flex items-center gap-1 rounded-sm ${playing === address(voice.id) ? "bg-lamp-wash" : shown === voice.id ? "bg-tide-wash" : ""}`}>
              <SampleButton small name={t("cast.hear", { voice: label, speaker: speaker.name })} address={address(voice.id)} />
              <span className="grow truncate text-sm">{label}</span>
              {!readOnly && (
                <Button
                  look="quiet"
                  className="h-7"
                  onClick={() => {
                    setShown(voice.id);
                    onChoose(voice.id);
                  }}
                >
                  {t("cast.take")}
                </Button>
              )}
            </li>
          );
        })}
      </ol>
      {voices.length === 1 && <p className="text-xs text-soft">{t("cast.markMore")}</p>}
    </section>
  );
}

function shuffled(count: number): number[] {
  const order = Array.from({ length: count }, (_, index) => index);
  for (let at = count - 1; at > 0; at--) {
    const other = Math.floor(Math.random() * (at + 1));
    [order[at], order[other]] = [order[other] ?? 0, order[at] ?? 0];
  }
  return order;
}
