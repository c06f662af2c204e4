import { useQuery } from "@tanstack/react-query";

import { api, data, type Schemas } from "./api/client";

export type Remark = Schemas["Remark"];

/** What reviewers have said of a production's editions; looked at again now and then, for they say it elsewhere. */
export const useRemarks = (production: number) =>
  useQuery({
    queryKey: ["production", production, "remarks"],
    refetchInterval: 30_000,
    queryFn: () => data(api.GET("/api/productions/{production_id}/remarks/", { params: { path: { production_id: production } } })),
  }).data;

/** Those of them that are open at a stage of an edition. */
export const openAt = (remarks: readonly Remark[] | undefined, stage: string, language: string): Remark[] =>
  (remarks ?? []).filter((one) => one.state === "open" && one.kind !== "fine" && one.stage === stage && one.language === language);
