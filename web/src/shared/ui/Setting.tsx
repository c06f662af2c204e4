import { Slider } from "radix-ui";
import { useState } from "react";

/** A number that is set by a slider, with its name and how it reads. */
export function Setting({
  name,
  label = name,
  value,
  min,
  max,
  step,
  show,
  disabled,
  onSet,
  onMove,
}: {
  name: string;
  /** How it is called where what it belongs to is not seen. */
  label?: string;
  value: number;
  min: number;
  max: number;
  step: number;
  show: (value: number) => string;
  disabled: boolean;
  onSet: (value: number) => void;
  /** Told while it is moved, before it is set. */
  onMove?: (value: number) => void;
}) {
  // Where it is moved to, as long as nobody else has said anything since: keys tell of a move after they have set it.
  const [moved, setMoved] = useState<{ from: number; to: number } | null>(null);
  const shown = moved?.from === value ? moved.to : value;
  return (
    <div className="grid grid-cols-[4.5rem_1fr_4rem] items-center gap-2 text-sm">
      <span>{name}</span>
      <Slider.Root
        className="relative flex items-center h-6 touch-none"
        min={min}
        max={max}
        step={step}
        value={[shown]}
        disabled={disabled}
        onValueChange={([next]) => {
          setMoved(next === undefined ? null : { from: value, to: next });
          if (next !== undefined) onMove?.(next);
        }}
        onValueCommit={([next]) => {
          if (next !== undefined) onSet(Math.round(next * 1000) / 1000);
        }}
      >
        <Slider.Track className="relative grow h-1 rounded-full bg-rule">
          <Slider.Range className="absolute h-full rounded-full bg-tide" />
        </Slider.Track>
        <Slider.Thumb aria-label={label} aria-valuetext={show(shown)} className="block size-4 rounded-sm bg-tide" />
      </Slider.Root>
      <span className="text-end text-soft">{show(shown)}</span>
    </div>
  );
}
