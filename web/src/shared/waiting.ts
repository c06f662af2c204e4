import type { TFunction } from "i18next";

import type { Schemas } from "./api/client";

/** Why something has not begun: "" where nothing is before it. */
export function waitsBehind(t: TFunction, ahead: Schemas["Ahead"] | null | undefined): string {
  if (!ahead) return "";
  if (!ahead.lines) return t("voicing.behindOther");
  return ahead.elsewhere ? t("voicing.behindElsewhere", { count: ahead.lines }) : t("voicing.behind", { count: ahead.lines });
}
