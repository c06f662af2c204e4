const MOST = 6;

/** The first lines in which two speakers or more take turns, a few of them; with one speaker, their first lines. */
export function exchangeOf<T extends { speaker: number; words: string }>(lines: readonly T[]): T[] {
  const spoken = lines.filter((line) => line.words.trim() !== "");
  const turn = spoken.findIndex((line, index) => {
    const next = spoken[index + 1];
    const after = spoken[index + 2];
    return next !== undefined && next.speaker !== line.speaker && (after === undefined || after.speaker !== next.speaker);
  });
  return spoken.slice(Math.max(0, turn), Math.max(0, turn) + MOST);
}
