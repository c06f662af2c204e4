/** Languages whose scripts have thousands of signs. */
const EASTERN = /^(ja|zh|ko|yue|cmn|wuu)\b/;

let asked: Promise<unknown> | null = null;

/** Have the letters of Chinese, Japanese and Korean brought in where one of these languages is seen. */
export function bringEasternLetters(languages: readonly string[]): void {
  if (languages.some((one) => EASTERN.test(one))) asked ??= import("./eastern.css");
}
