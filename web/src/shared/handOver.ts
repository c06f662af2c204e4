import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { api, data, Fault, type Schemas } from "./api/client";
import { useNotices } from "./notices";

export type HandOver = Schemas["HandOver"];
export type EditionFile = Schemas["EditionFileRequest"];
export type ProductionFile = Schemas["ProductionFileRequest"];

/** Milliseconds between looks at a file that is made: soon at first, for most are there at once. */
const LOOKS = [80, 120, 200, 300, 500, 1_000] as const;

/** Have a file made, and wait for it. Throws a Fault with what stands in its way. */
export async function made(production: number, asked: Promise<HandOver>): Promise<HandOver> {
  let file = await asked;
  for (let look = 0; file.state === "making"; look += 1) {
    await new Promise((done) => setTimeout(done, LOOKS[Math.min(look, LOOKS.length - 1)]));
    file = await data(api.GET("/api/productions/{production_id}/files/{file_id}/", { params: { path: { production_id: production, file_id: file.id } } }));
  }
  if (file.state !== "ready") throw new Fault("not_ready", file.fault, 400);
  return file;
}

/** `mix` names just the mix that was shown; `sketch` and `unread` ask for what is not finished, or not read. */
export const askForEditionFile = (production: number, language: string, asked: Pick<EditionFile, "file"> & Partial<EditionFile>) =>
  data(api.POST("/api/productions/{production_id}/editions/{language}/files/", {
    params: { path: { production_id: production, language } },
    body: { mix: "", sketch: false, unread: false, ...asked },
  }));

export const askForProductionFile = (production: number, body: ProductionFile) =>
  data(api.POST("/api/productions/{production_id}/files/", { params: { path: { production_id: production } }, body }));

export const contentOf = (production: number, file: HandOver) => `/api/productions/${production}/files/${file.id}/content`;

/** Taking a file away: whether one is being made, and how to ask for one. Where it cannot be had the page says why. */
export function useHandOver(production: number): { waiting: boolean; take: (ask: () => Promise<HandOver>) => Promise<void> } {
  const { t } = useTranslation();
  const client = useQueryClient();
  const say = useNotices((state) => state.say);
  const [waiting, setWaiting] = useState(false);
  async function take(ask: () => Promise<HandOver>) {
    if (waiting) return;
    setWaiting(true);
    try {
      const file = await made(production, ask());
      const link = document.createElement("a");
      link.href = contentOf(production, file);
      link.download = "";
      link.click();
    } catch (error) {
      say({ tone: "bad", text: (error instanceof Fault && error.message) || t("common.unreachable") });
    } finally {
      setWaiting(false);
      void client.invalidateQueries({ queryKey: ["production", production, "files"] });
      void client.invalidateQueries({ queryKey: ["production", production, "deliveries"] });
    }
  }
  return { waiting, take };
}
