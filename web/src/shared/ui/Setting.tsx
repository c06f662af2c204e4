import { Slider } from "radix-ui";
import { useState } from "react";

/** A number that is set by a slider, with its name and how it reads. */
export function Setting({
  name,
  value,
  min,
  max,
  step,
  show,
  disabled,
  onSet,
}: {
  name: string;
  value: number;
  min: number;
  max: number;
  step: number;
  show: (value: number) => string;
  disabled: boolean;
  onSet: (value: number) => void;
}) {
  const [moving, setMoving] = useState<number | null>(null);
  const shown = moving ?? value;
  return (
    <div className="grid grid-cols-[4.5rem_1fr_4rem] items-center gap-2 text-sm">
      <span>{name}</span>
      <Slider.Root
        className="relative flex items-center h-5 touch-none"
        min={min}
        max={max}
        step={step}
        value={[shown]}
        disabled={disabled}
        onValueChange={([next]) => setMoving(next ?? null)}
        onValueCommit={([next]) => {
          setMoving(null);
          if (next !== undefined) onSet(Math.round(next * 1000) / 1000);
        }}
      >
        <Slider.Track className="relative grow h-1 rounded-full bg-rule">
          <Slider.Range className="absolute h-full rounded-full bg-tide" />
        </Slider.Track>
        <Slider.Thumb aria-label={name} aria-valuetext={show(shown)} className="block size-4 rounded-sm bg-tide" />
      </Slider.Root>
      <span className="text-end text-soft">{show(shown)}</span>
    </div>
  );
}
