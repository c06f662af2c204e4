import type { Schemas } from "../../shared/api/client";

export type Stave = Schemas["Stave"];
export type Mark = Schemas["DirectionMark"];
export type Kind = Mark["kind"];

/** By kind: from where to where it goes, in which steps, and the amount that changes nothing. */
export const DIALS = {
  pace: { min: 0.5, max: 2, step: 0.05, neutral: 1 },
  stress: { min: -1, max: 2, step: 0.25, neutral: 0 },
  lift: { min: -8, max: 8, step: 0.5, neutral: 0 },
  turn: { min: -8, max: 8, step: 0.5, neutral: 0 },
  range: { min: 0, max: 3, step: 0.1, neutral: 1 },
  level: { min: -18, max: 12, step: 1, neutral: 0 },
} as const;
export type Dial = keyof typeof DIALS;

export const READINGS = ["alias", "ipa", "cardinal", "ordinal", "digits", "characters", "telephone", "date", "time", "currency", "unit"] as const satisfies readonly Kind[];
/** What values can be read as, without anybody writing how. */
export const THINGS = READINGS.slice(2);
export type ReadingKind = (typeof READINGS)[number];

const covers = (mark: Mark, word: number) => mark.word <= word && word < mark.word + (mark.count ?? 1);

/** What is directed of a word by one dial; its neutral amount where that is nothing. */
export function amountOf(marks: readonly Mark[], dial: Dial, word: number): number {
  return marks.find((mark) => mark.kind === dial && covers(mark, word))?.amount ?? DIALS[dial].neutral;
}

/** `marks` with one dial set for `count` words from `word` on. What another mark of its kind says of them gives way; its other words keep it. */
export function turned(marks: readonly Mark[], dial: Dial, word: number, count: number, amount: number): Mark[] {
  const end = word + count;
  const kept = marks.flatMap((mark) => {
    const upto = mark.word + (mark.count ?? 1);
    if (mark.kind !== dial || upto <= word || mark.word >= end) return [mark];
    return [
      ...(mark.word < word ? [{ ...mark, count: word - mark.word }] : []),
      ...(upto > end ? [{ ...mark, word: end, count: upto - end }] : []),
    ];
  });
  return amount === DIALS[dial].neutral ? kept : [...kept, { kind: dial, word, count, amount }];
}

/** What a word is read as; undefined where it is read as it is written. */
export function readingOf(marks: readonly Mark[], word: number): { kind: ReadingKind; said: string } | undefined {
  const mark = marks.find((one) => (READINGS as readonly Kind[]).includes(one.kind) && covers(one, word));
  return mark && { kind: mark.kind as ReadingKind, said: mark.said ?? "" };
}

/** `marks` with `count` words from `word` on read in one way; null reads them as they are written. */
export function readAs(marks: readonly Mark[], word: number, count: number, kind: ReadingKind | null, said: string): Mark[] {
  const kept = marks.filter((mark) => !(READINGS as readonly Kind[]).includes(mark.kind) || mark.word + (mark.count ?? 1) <= word || mark.word >= word + count);
  return kind === null ? kept : [...kept, { kind, word, count, amount: 1, ...(said ? { said } : {}) }];
}

/** `marks` with the silence before a word set in seconds; null leaves it to the voice. */
export function parted(marks: readonly Mark[], word: number, seconds: number | null): Mark[] {
  const kept = marks.filter((mark) => mark.word !== word || (mark.kind !== "gap" && mark.kind !== "pause"));
  return seconds === null ? kept : [...kept, { kind: "gap", word, count: 1, amount: Math.round(Math.max(0, seconds) * 1000) / 1000 }];
}

/** The seconds between each word and the one before it, as they are set, or else as they will be heard; of the first, none. */
export function gaps(stave: Stave, marks: readonly Mark[] = []): number[] {
  return stave.words.map((word, index) =>
    index === 0 ? 0 : (marks.find((mark) => mark.kind === "gap" && mark.word === index)?.amount ?? Math.max(0, word.start - (stave.words[index - 1]?.end ?? 0))));
}

/** The middle of what is sung, in Hz; 0 where nothing is. */
export function middle(stave: Stave): number {
  const sung = stave.hz.filter((hz) => hz > 0).sort((one, other) => one - other);
  return sung[Math.floor(sung.length / 2)] ?? 0;
}

/** The melody as a path of SVG, `width` pixels for the whole line and `height` for two octaves about its middle; broken where nothing is voiced. */
export function melodyPath(stave: Stave, width: number, height: number): string {
  const centre = middle(stave);
  if (!centre || !stave.seconds) return "";
  let path = "";
  let drawing = false;
  stave.hz.forEach((hz, index) => {
    if (hz <= 0) {
      drawing = false;
      return;
    }
    const x = ((index * stave.step) / stave.seconds) * width;
    const y = height / 2 - (Math.max(-12, Math.min(12, 12 * Math.log2(hz / centre))) / 24) * height;
    path += `${drawing ? "L" : "M"}${x.toFixed(1)} ${y.toFixed(1)}`;
    drawing = true;
  });
  return path;
}
