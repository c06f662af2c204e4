import type { EditionLines, Production } from "./api/client";

/** What every stage is given: the production, the edition that is worked at, and the source. */
export interface StageProps {
  production: Production;
  edition: EditionLines;
  source: EditionLines;
}
