import { useQuery } from "@tanstack/react-query";

import { api, data, type Schemas } from "../../shared/api/client";
import type { Stage } from "../../shared/place";

export type Package = Schemas["Package"];
export type PackageItem = Schemas["PackageItem"];
export type ItemKind = Schemas["ItemKind"];
export type Parcel = Schemas["Parcel"];
export type Standing = Schemas["EditionStanding"];
export type Point = Schemas["OpenPoint"];
export type Choices = Record<string, string | number | boolean | null>;

/** Where what stands open is mended. */
export const STAGE_OF_POINT: Record<Point["code"], Stage> = {
  uncast: "cast", unvoiced: "adapt", out_of_date: "adapt", unrecorded: "direct", no_words: "adapt", sketch: "direct", draft: "adapt",
  over: "time", doubtful: "adapt", not_heard: "direct", unclear: "mix", not_approved: "adapt", no_right: "deliver", review_open: "adapt",
};

export const usePackages = () => useQuery({ queryKey: ["packages"], queryFn: () => data(api.GET("/api/packages/")) }).data;

export const useParcels = (production: number) =>
  useQuery({
    queryKey: ["production", production, "parcels"],
    queryFn: () => data(api.GET("/api/productions/{production_id}/parcels/", { params: { path: { production_id: production } } })),
    refetchInterval: (query) => (query.state.data?.some((one) => ["mixing", "making", "packing"].includes(one.state)) ? 600 : false),
  }).data;

export const useStanding = (production: number, chosen: Package | undefined, languages: readonly string[]) =>
  useQuery({
    queryKey: ["production", production, "standing", chosen, languages],
    enabled: chosen !== undefined && languages.length > 0,
    placeholderData: (previous) => previous,
    queryFn: () => data(api.POST("/api/productions/{production_id}/standing/", {
      params: { path: { production_id: production } },
      body: { package: asked(chosen as Package), languages: [...languages], reason: "" },
    })),
  });

export const asked = (one: Package) => ({ name: one.name, commercial: one.commercial, items: one.items });

export const parcelAddress = (production: number, parcel: Parcel) => `/api/productions/${production}/parcels/${parcel.id}/content`;
export const fileAddress = (production: number, parcel: Parcel, path: string) =>
  `/api/productions/${production}/parcels/${parcel.id}/files/${path.split("/").map(encodeURIComponent).join("/")}`;

/** A size as people say it. */
export function bytes(size: number): string {
  if (size < 1_000) return `${size} B`;
  if (size < 1_000_000) return `${Math.round(size / 1_000)} kB`;
  if (size < 1_000_000_000) return `${(size / 1_000_000).toFixed(1)} MB`;
  return `${(size / 1_000_000_000).toFixed(2)} GB`;
}
