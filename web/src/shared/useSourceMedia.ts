import { useQuery } from "@tanstack/react-query";

import { api, data, type Schemas } from "./api/client";

export type Media = Schemas["Media"];

/** The production's source recordings, followed while copies of them are made. */
export function useAllSourceMedia(production: number): Media[] | undefined {
  return useQuery({
    queryKey: ["production", production, "media"],
    queryFn: () => data(api.GET("/api/productions/{production_id}/media/", { params: { path: { production_id: production } } })),
    refetchInterval: (query) => (query.state.data?.some((one) => one.state === "making") ? 1_000 : false),
  }).data?.filter((one) => one.purpose === "source");
}

/** The one of them that is played; null where there is none. */
export function useSourceMedia(production: number): Media | null {
  return useAllSourceMedia(production)?.find((one) => one.played) ?? null;
}

/** Its waveform: a byte for each fiftieth of a second; null without sound. */
export function useSourcePeaks(production: number, media: Media | null): Uint8Array | null {
  return (
    useQuery({
      queryKey: ["source-peaks", production, media?.id],
      enabled: media?.state === "ready" && media.has_sound,
      staleTime: Infinity,
      queryFn: async () => {
        const found = await data(api.GET("/api/productions/{production_id}/media/{media_id}/peaks/", { params: { path: { production_id: production, media_id: media?.id ?? 0 } } }));
        return Uint8Array.from(atob(found.peaks), (ch) => ch.charCodeAt(0));
      },
    }).data ?? null
  );
}

/** Named by what it is, so that another recording is never taken for this one. */
export const mediaFile = (production: number, media: Media, file: "sound.flac" | "picture.mp4") =>
  `/api/productions/${production}/media/${media.id}/${file}`;
