import { notifyManager, QueryClient, useMutation, queryOptions, useQuery, useQueryClient } from "@tanstack/react-query";

import { api, data, editionPath, Fault, type Casting, type EditionLines, type Job, type Mix, type Production, type Schemas } from "./client";
import { withLines } from "../deltas";

// What a key does here is drawn before the next key comes: a caret that moves late lets letters fall into the wrong line.
notifyManager.setScheduler(queueMicrotask);

export const queryClient = new QueryClient({
  defaultOptions: {
    // Whether the server can be reached is found out by asking it: it may well be on this very machine.
    // Away for a moment: what was asked for is asked again by itself, a few times.
    mutations: {
      networkMode: "always",
      retry: (count, error) => error instanceof Fault && error.status === 503 && count < 4,
      retryDelay: (count) => 1_000 * 2 ** count,
    },
    queries: {
      networkMode: "always",
      staleTime: 5_000,
      retry: (count, error) => error instanceof Fault && (error.status === 0 || error.status >= 500) && count < 3,
    },
  },
});

export const useSession = () =>
  useQuery({ queryKey: ["session"], queryFn: () => data(api.GET("/api/session/")), staleTime: 60_000 });

export const useLanguages = () =>
  useQuery({ queryKey: ["languages"], queryFn: () => data(api.GET("/api/languages/")), staleTime: Infinity });

export const useProductions = () =>
  useQuery({ queryKey: ["productions"], queryFn: () => data(api.GET("/api/productions/")) });

export const useProduction = (id: number) =>
  useQuery({
    queryKey: ["production", id],
    queryFn: async () => {
      const look = (brief: boolean) =>
        data(api.GET("/api/productions/{production_id}/", { params: { path: { production_id: id }, query: brief ? { brief } : {} } }));
      if (queryClient.getQueryData(["production", id])) return look(false);
      // At first what opens the page, then how every edition stands: of thousands of lines that takes a moment.
      const found = await look(true);
      setTimeout(() => void queryClient.invalidateQueries({ queryKey: ["production", id], exact: true }), 0);
      return found;
    },
  });

const path = (production: number, language: string) => ({
  params: { path: { production_id: production, language } },
});

export const editionQuery = (production: number, language: string | undefined) =>
  queryOptions({
    queryKey: ["production", production, "edition", language],
    enabled: Boolean(language),
    queryFn: async () => {
      const old = queryClient.getQueryData<EditionLines>(["production", production, "edition", language]);
      const answer = await data(
        api.GET("/api/productions/{production_id}/editions/{language}/", {
          params: { ...path(production, language ?? "").params, query: old ? { after: old.mark } : {} },
        }),
      );
      return answer.whole || !old ? answer : withLines(old, answer);
    },
  });

export const useEdition = (production: number, language: string | undefined) =>
  useQuery({
    ...editionQuery(production, language),
    placeholderData: (previous) => (previous?.edition.language === language ? previous : undefined),
  });

export function fetchCastings(production: number, language: string): Promise<Casting[]> {
  return data(api.GET("/api/productions/{production_id}/editions/{language}/castings/", path(production, language)));
}

export const useCastings = (production: number, language: string) =>
  useQuery({
    queryKey: ["production", production, "castings", language],
    queryFn: () => fetchCastings(production, language),
  });

/** The voices that can be cast in a production: the catalogue's, and those that are kept. */
export const useVoices = (production: number, language: string, all: boolean) =>
  useQuery({
    queryKey: ["voices", production, language, all],
    queryFn: () => data(api.GET("/api/voices/", { params: { query: { language, all, production } } })),
    staleTime: Infinity,
  });

export const useDeliveries = (production: number) =>
  useQuery({
    queryKey: ["production", production, "deliveries"],
    queryFn: () =>
      data(api.GET("/api/productions/{production_id}/deliveries/", { params: { path: { production_id: production } } })),
    // While anything of it is made, it is looked at again.
    refetchInterval: (query) => (query.state.data?.some((row) => row.finishing || row.mix_state === "making") ? 3_000 : false),
  });

/**
 * A change to a production: when it is through, everything of the production is looked at afresh. Changes of one
 * `thing` go one after another, in the order in which they were made: what is said later never arrives first.
 */
export function useChange<Input>(production: number, act: (input: Input) => Promise<unknown>, thing?: string) {
  const client = useQueryClient();
  return useMutation({
    ...(thing ? { scope: { id: `${production}/${thing}` } } : {}),
    mutationFn: act,
    // Waited for, so that the old state does not show again between the two.
    onSuccess: () => client.invalidateQueries({ queryKey: ["production", production] }),
    // Not waited for: the server may be away, and the person is to be told at once.
    onError: () => void client.invalidateQueries({ queryKey: ["production", production] }),
  });
}

export function startVoicing(
  production: number,
  language: string,
  kind: "take" | "finish" = "take",
  lines?: number[],
): Promise<Job> {
  return data(
    api.POST("/api/productions/{production_id}/editions/{language}/voicings/", {
      ...path(production, language),
      body: lines ? { lines, kind } : { kind },
    }),
  );
}

/** Jobs that run for a production, the newest first; looked for again while any does. */
export const useJobs = (production: number) =>
  useQuery({
    queryKey: ["production", production, "jobs"],
    queryFn: () => data(api.GET("/api/productions/{production_id}/jobs/", { params: { path: { production_id: production } } })),
    refetchInterval: (query) => (query.state.data?.length ? 1_000 : false),
  });

/** A job, followed by its id until it has ended. */
export const useJobById = (id: number | null, every = 400) =>
  useQuery({
    queryKey: ["job", id],
    enabled: id !== null,
    queryFn: () => data(api.GET("/api/jobs/{job_id}/", { params: { path: { job_id: id ?? 0 } } })),
    refetchInterval: (query) => (query.state.data && query.state.data.state !== "running" ? false : every),
  }).data;

export function stopJob(id: number): Promise<Job> {
  return data(api.DELETE("/api/jobs/{job_id}/", { params: { path: { job_id: id } } }));
}

/** Have the voices of a language measured that nobody has measured yet: until then they are guessed at. */
export function haveMeasured(production: number, language: string): Promise<unknown> {
  return data<unknown>(api.POST("/api/productions/{production_id}/editions/{language}/measures/", path(production, language)));
}

/** As it stands now, with sketches where nothing finished is there yet; or by itself, once everything is finished. */
export function askForMix(production: number, language: string, when: "now" | "finished" = "now"): Promise<Mix> {
  return data(api.POST("/api/productions/{production_id}/editions/{language}/mixes/", { ...path(production, language), body: { when } }));
}

export function awaitNoMix(production: number, language: string): Promise<unknown> {
  return data<unknown>(api.DELETE("/api/productions/{production_id}/editions/{language}/mixes/", path(production, language)));
}

export function fetchMix(production: number, language: string, recipe: string): Promise<Mix> {
  return data(
    api.GET("/api/productions/{production_id}/editions/{language}/mixes/{recipe}/", {
      params: { path: { production_id: production, language, recipe } },
    }),
  );
}

/** The mix of exactly how the edition stands, followed while it is made. */
export const useCurrentMix = (production: number, language: string, recipe: string | undefined) =>
  useQuery({
    queryKey: ["production", production, "mix", language, recipe],
    enabled: Boolean(recipe),
    queryFn: () =>
      data(api.GET("/api/productions/{production_id}/editions/{language}/mixes/", path(production, language))),
    refetchInterval: (query) => (query.state.data?.state === "making" ? 400 : query.state.data?.awaited ? 1000 : false),
  }).data;

export const mixSound = (production: number, language: string, recipe: string) =>
  `${editionPath(production, language)}/mixes/${recipe}/sound.wav`;

export function setCasting(
  production: number,
  language: string,
  speaker: number,
  body: Schemas["CastingChangeRequest"],
): Promise<Casting[]> {
  return data(
    api.PUT("/api/productions/{production_id}/editions/{language}/castings/{speaker_id}/", {
      params: { path: { production_id: production, language, speaker_id: speaker } },
      body,
    }),
  );
}

export function castRest(production: number, language: string): Promise<Casting[]> {
  return data(api.POST("/api/productions/{production_id}/editions/{language}/castings/", path(production, language)));
}

export async function setWording(production: number, language: string, line: number, text: string, revision: number) {
  const saved = await data(
    api.PUT("/api/productions/{production_id}/editions/{language}/wordings/{line_id}/", {
      params: { path: { production_id: production, language, line_id: line } },
      body: { text, revision, reopen: false },
    }),
  );
  lookWhatCanBeUndone(production);
  return saved;
}

/** Milliseconds: typing goes on meanwhile, and is one change. */
const AFTER_TYPING = 600;
const looking = new Map<number, ReturnType<typeof setTimeout>>();

/** What undo and redo would do is looked at again; how every line stands is not. */
export function lookWhatCanBeUndone(production: number): void {
  clearTimeout(looking.get(production));
  looking.set(production, setTimeout(() => {
    looking.delete(production);
    const key = ["production", production];
    if (!queryClient.getQueryData(key)) return;
    void data(api.GET("/api/productions/{production_id}/", { params: { path: { production_id: production }, query: { brief: true } } })).then(
      ({ undo, redo }) => queryClient.setQueryData<Production>(key, (old) => old && { ...old, undo, redo }),
      () => undefined, // it is looked at again with the next change
    );
  }, AFTER_TYPING));
}
