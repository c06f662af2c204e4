/** Whether a voice may be used commercially, in a word. */
export function rights(commercial: boolean | null): "yes" | "no" | "unknown" {
  return commercial === null ? "unknown" : commercial ? "yes" : "no";
}
