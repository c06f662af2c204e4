import { Slider } from "radix-ui";
import { useTranslation } from "react-i18next";

import type { Line } from "../shared/api/client";
import { clock } from "../shared/format";
import { spokenWords, wordAt } from "../shared/lines";
import { usePlayer } from "../shared/player";

// What goes by the time that is playing. Each looks at just as much of it as it shows, and is drawn when that changes.

/** Where it is in the whole; dragged, or moved by the arrow keys. */
export function SeekBar({ total, loaded }: { total: number; loaded: boolean }) {
  const { t } = useTranslation();
  // In steps of a tenth of a second, as the slider has them.
  const at = usePlayer((state) => (loaded ? Math.round(state.time * 10) / 10 : 0));
  const seek = usePlayer((state) => state.seek);
  return (
    <Slider.Root
      className="absolute inset-x-0 -top-1.5 h-3 flex items-center touch-none"
      min={0}
      max={Math.max(total, 0.1)}
      step={0.1}
      value={[Math.min(at, total)]}
      disabled={!loaded}
      onValueChange={([value]) => seek(value ?? 0)}
    >
      <Slider.Track className="relative grow h-1 bg-quay-soft/40">
        <Slider.Range className="absolute h-full bg-lamp" />
      </Slider.Track>
      <Slider.Thumb aria-label={t("transport.seek")} aria-valuetext={clock(at)} className="block size-3 rounded-full bg-lamp data-disabled:hidden" />
    </Slider.Root>
  );
}

export function Clock({ loaded }: { loaded: boolean }) {
  return <span className="text-quay-ink">{usePlayer((state) => clock(loaded ? state.time : 0))}</span>;
}

/** A line's words, the one that is being said marked. */
export function Spoken({ line, sounding }: { line: Line; sounding: boolean }) {
  // The word's own bounds as text: the same ones are the same value.
  const word = usePlayer((state) => (sounding ? (wordAt(line, state.time - line.start)?.join() ?? null) : null));
  const words = spokenWords(line);
  if (word === null) return <>{words}</>;
  const [from = 0, to = 0] = word.split(",").map(Number);
  // Long lines keep the spoken word in view.
  const cut = from > 70 ? words.lastIndexOf(" ", from - 40) + 1 : 0;
  return (
    <>
      {cut > 0 && "… "}
      {words.slice(cut, from)}
      <mark className="bg-lamp text-lamp-ink rounded-sm px-0.5 -mx-0.5">{words.slice(from, to)}</mark>
      {words.slice(to)}
    </>
  );
}
