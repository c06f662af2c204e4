import { initials } from "../format";

const COLOURS = ["#1f5f8b", "#9a4a1f", "#57468f", "#2f6b3a", "#8a2f55", "#6b5a17", "#1d6a66", "#5c4a42"];
/** Outlines as rounded corners: with the initials they tell speakers apart without colour. */
const SHAPES = ["50%", "22%", "50% 50% 50% 8%", "8% 50% 50% 50%", "50% 8% 50% 8%", "4%"];

export function speakerColour(position: number): string {
  return COLOURS[position % COLOURS.length] ?? "#444";
}

/** For thin lines on the page's own ground, such as waveforms: lifted where that is dark (WCAG 2.2, 1.4.11). */
export function speakerLine(position: number): string {
  return `color-mix(in oklab, ${speakerColour(position)} var(--speaker-own), var(--ink))`;
}

export function SpeakerMark({ name, position, size = 28 }: { name: string; position: number; size?: number }) {
  return (
    <span
      aria-hidden
      className="inline-grid place-items-center shrink-0 font-semibold text-white select-none"
      style={{
        width: size,
        height: size,
        fontSize: size * 0.38,
        background: speakerColour(position),
        borderRadius: SHAPES[position % SHAPES.length],
      }}
    >
      {initials(name)}
    </span>
  );
}
