import { Slider } from "radix-ui";
import { useRef, useState } from "react";

/**
 * A value set by a slider, its name above it; `onMove` is told while it is moved, and null when it rests. What was set is
 * shown until `onSet` has ended, so that key after key moves it on.
 */
export function Range({ name, value, min, max, step, show, disabled, onMove, onSet }: {
  name: string; value: number; min: number; max: number; step: number; show: (value: number) => string; disabled: boolean;
  onMove?: (value: number | null) => void; onSet: (value: number) => Promise<unknown>;
}) {
  const [moving, setMoving] = useState<number | null>(null);
  const set = useRef<number | null>(null);
  const shown = moving ?? value;
  return (
    <div className="grid grid-cols-[1fr_auto] items-center gap-x-2 text-xs">
      <span className="truncate" title={name}>{name}</span>
      <span className="text-end text-soft">{show(shown)}</span>
      <Slider.Root
        className="relative flex items-center h-4 touch-none col-span-2"
        min={min}
        max={max}
        step={step}
        value={[shown]}
        disabled={disabled}
        onValueChange={([next]) => {
          // By keyboard the value is told once more after it was set.
          if (next === undefined || next === set.current) return;
          set.current = null;
          setMoving(next);
          onMove?.(next);
        }}
        onValueCommit={([next]) => {
          onMove?.(null);
          if (next === undefined) return;
          set.current = next;
          setMoving(next);
          void onSet(Math.round(next * 1000) / 1000).then(() => setMoving((now) => (now === next ? null : now)));
        }}
      >
        <Slider.Track className="relative grow h-1 rounded-full bg-rule">
          <Slider.Range className="absolute h-full rounded-full bg-tide" />
        </Slider.Track>
        <Slider.Thumb aria-label={name} aria-valuetext={show(shown)} className="block size-3.5 rounded-sm bg-tide" />
      </Slider.Root>
    </div>
  );
}
