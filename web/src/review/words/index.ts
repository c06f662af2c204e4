import en from "./en.json";

export type ReviewWord = keyof typeof en;
type Words = Record<ReviewWord, string>;

const FILES = import.meta.glob<{ default: Words }>("./*.json");

/** The page's words in a language; English where that is not there. */
export async function reviewWords(language: string): Promise<Words> {
  const file = FILES[`./${language}.json`];
  return file ? (await file()).default : en;
}

/** Says a word, with what is to be put into it. */
export const saying = (words: Words) => (name: ReviewWord, more: Record<string, string | number> = {}): string =>
  words[name].replace(/\{\{(\w+)\}\}/g, (_, field: string) => String(more[field] ?? ""));

export type Say = ReturnType<typeof saying>;
export { en as english };
