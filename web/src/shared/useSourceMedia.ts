import { useQuery } from "@tanstack/react-query";

import { api, data, type Schemas } from "./api/client";

export type SourceMedia = Schemas["SourceMedia"];

const path = (production: number) => ({ params: { path: { production_id: production } } });

/** The production's source recording, followed while its copies are made. */
export function useSourceMedia(production: number): SourceMedia | undefined {
  return useQuery({
    queryKey: ["production", production, "source-media"],
    queryFn: () => data(api.GET("/api/productions/{production_id}/source-media/", path(production))),
    refetchInterval: (query) => (query.state.data?.state === "making" ? 1_000 : false),
  }).data;
}

/** Its waveform: a byte for each fiftieth of a second; null without sound. */
export function useSourcePeaks(production: number, media: SourceMedia | undefined): Uint8Array | null {
  return (
    useQuery({
      queryKey: ["source-peaks", production, media?.key],
      enabled: media?.state === "ready" && media.has_sound,
      staleTime: Infinity,
      queryFn: async () => {
        const found = await data(api.GET("/api/productions/{production_id}/source-media/peaks/", path(production)));
        return Uint8Array.from(atob(found.peaks), (ch) => ch.charCodeAt(0));
      },
    }).data ?? null
  );
}

/** Named by what it is, so that another recording is never taken for this one. */
export const mediaFile = (production: number, media: SourceMedia, ending: "flac" | "mp4") =>
  `/api/productions/${production}/source-media/source.${ending}?of=${media.key}`;
