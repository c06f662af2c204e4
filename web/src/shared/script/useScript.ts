import { useQuery, useQueryClient, type QueryClient } from "@tanstack/react-query";
import { useEffect, useMemo } from "react";
import { useTranslation } from "react-i18next";

import { useNotices } from "../notices";
import { api, data, Fault, written, type Schemas, type ScriptPart } from "../api/client";
import { cutHere, merged, type EditedLine, type ScriptState } from "./scriptState";

const EVERY = 2_500;
/** Behind an edit, the rest of the production is looked at again when the typing rests for so long. */
const REST = 900;

const keyOf = (production: number) => ["script", production];

const asked = (production: number, after?: number) => ({
  path: { production_id: production },
  query: after === undefined ? {} : { after },
});

/** The script of a production. */
export function useScript(production: number): ScriptState | undefined {
  return useQuery({
    queryKey: keyOf(production),
    enabled: production > 0,
    staleTime: Infinity,
    queryFn: async () => merged(undefined, await data(api.GET("/api/productions/{production_id}/script/", { params: asked(production) }))),
  }).data;
}

/** Keeps the script up with what others change. */
export function useLiveScript(production: number): void {
  const client = useQueryClient();
  const there = useScript(production) !== undefined;
  useEffect(() => {
    if (!there) return undefined;
    const timer = setInterval(() => {
      if (document.visibilityState === "visible") void lookAgain(client, production);
    }, EVERY);
    return () => clearInterval(timer);
  }, [client, production, there]);
}

/** What has changed since, by whomever. The server being away is no news here: what is done next will say so. */
export async function lookAgain(client: QueryClient, production: number): Promise<void> {
  const stamp = client.getQueryData<ScriptState>(keyOf(production))?.stamp;
  if (stamp === undefined) return;
  try {
    const answer = await data(api.GET("/api/productions/{production_id}/script/", { params: asked(production, stamp) }));
    take(client, production, answer);
  } catch (error) {
    if (!(error instanceof Fault)) throw error;
  }
}

/** Lines that were cut here and are not the server's yet, by the ids that they have until then. */
const coming = new Map<number, Promise<number | null>>();

let rest: ReturnType<typeof setTimeout> | undefined;

function take(client: QueryClient, production: number, answer: ScriptPart, keys?: ReadonlyMap<number, string>): void {
  const before = client.getQueryData<ScriptState>(keyOf(production));
  // An answer that was overtaken by a later one is left.
  if (before && answer.stamp < before.stamp) return;
  if (before && answer.stamp === before.stamp && !answer.whole) return;
  client.setQueryData<ScriptState>(keyOf(production), (old) => merged(old, answer, keys));
  clearTimeout(rest);
  rest = setTimeout(() => void client.invalidateQueries({ queryKey: ["production", production] }), REST);
}

/** By line: what marks on their way will have made of it. */
const marked = new Map<number, { looks: Partial<Pick<EditedLine, "kind" | "in_sight">>; sent: number }>();
/** By production: the last marks that were sent. */
const marking = new Map<number, Promise<unknown>>();

type Marks = Omit<Schemas["MarkRequest"], "lines">;

function shownMarks({ kind, in_sight }: Marks): Partial<Pick<EditedLine, "kind" | "in_sight">> {
  return { ...(kind === undefined ? {} : { kind }), ...(in_sight === undefined ? {} : { in_sight }) };
}

/** Everything that can be done to a script. Each tells of its own fault; gives back whether it was done. */
export function useScriptActions(production: number) {
  const client = useQueryClient();
  const { t } = useTranslation();
  const say = useNotices((state) => state.say);
  return useMemo(() => {
    const state = () => client.getQueryData<ScriptState>(keyOf(production));
    const params = () => asked(production, state()?.stamp ?? 0);
    const query = () => ({ query: params().query });
    async function run(call: () => Promise<ScriptPart>, keys?: (answer: ScriptPart) => ReadonlyMap<number, string>): Promise<ScriptPart | null> {
      try {
        const answer = await call();
        take(client, production, answer, keys?.(answer));
        return answer;
      } catch (error) {
        if (!(error instanceof Fault)) throw error;
        say({ tone: "bad", text: error.message || t("common.unreachable") });
        return null;
      }
    }
    // A line that was made here a moment ago: the server's id for it, once it has one; null where it was refused.
    const known = (line: number): Promise<number | null> => (line < 0 ? (coming.get(line) ?? Promise.resolve(null)) : Promise.resolve(line));
    const at = "/api/productions/{production_id}/script";
    const showMarked = () => client.setQueryData<ScriptState>(keyOf(production), (old) => old && { ...old, lines: old.lines.map((one) => (marked.has(one.id) ? { ...one, ...marked.get(one.id)?.looks } : one)) });
    const giveThem = (lines: number[], speaker: string) => run(() => data(api.POST(`${at}/give/`, { params: params(), body: { lines, speaker } })));
    return {
      known,
      move: (lines: number[], behind: number | null) => run(() => data(api.POST(`${at}/move/`, { params: params(), body: { lines, behind } }))),
      give: (lines: number[], speaker: string) => {
        const known = state()?.speakers.find((one) => one.name === speaker);
        const some = new Set(lines);
        // Shown at once: who gives lines with a key each does not wait.
        if (known) client.setQueryData<ScriptState>(keyOf(production), (old) => old && { ...old, lines: old.lines.map((one) => (some.has(one.id) ? { ...one, speaker: known.id } : one)) });
        return giveThem(lines, speaker);
      },
      giveAllOf: (one: number, speaker: string) => run(() => data(api.POST(`${at}/give/`, { params: params(), body: { all_of: one, speaker } }))),
      add: (behind: number | null, text: string) => run(() => data(api.POST(`${at}/add/`, { params: params(), body: { behind, text } }))),
      remove: (lines: number[]) => run(() => data(api.POST(`${at}/remove/`, { params: params(), body: { lines } }))),
      /** Shown at once, sent in order: each key goes by what the one before it did, however late the answers are. */
      mark: async (lines: number[], marks: Marks) => {
        const before = new Map(state()?.lines.filter((one) => lines.includes(one.id)).map(({ id, kind, in_sight }) => [id, { kind, in_sight }]));
        for (const id of lines) {
          const waiting = marked.get(id);
          marked.set(id, { looks: { ...waiting?.looks, ...shownMarks(marks) }, sent: (waiting?.sent ?? 0) + 1 });
        }
        showMarked();
        const asking = (marking.get(production) ?? Promise.resolve()).catch(() => undefined).then(() => run(() => data(api.POST(`${at}/mark/`, { params: params(), body: { lines, ...marks } }))));
        marking.set(production, asking);
        const answer = await asking;
        for (const id of lines) {
          const waiting = marked.get(id);
          if (waiting && waiting.sent > 1) marked.set(id, { ...waiting, sent: waiting.sent - 1 });
          else marked.delete(id);
        }
        if (!answer) client.setQueryData<ScriptState>(keyOf(production), (old) => old && { ...old, lines: old.lines.map((one) => (before.has(one.id) ? { ...one, ...before.get(one.id) } : one)) });
        showMarked();
        return answer;
      },
      beginPart: (line: number, name: string) => run(() => data(api.POST(`${at}/parts/`, { params: params(), body: { line, name } }))),
      mergeLabels: (into: number, speakers: number[]) =>
        run(() => data(api.POST(`${at}/labels/merge/`, { params: params(), body: { into, speakers } }))),
      changePart: (part: number, body: Schemas["PatchedPartChangeRequest"]) =>
        run(() => data(api.PATCH("/api/parts/{part_id}/", { params: { path: { part_id: part }, ...query() }, body }))),
      endPart: (part: number) => run(() => data(api.DELETE("/api/parts/{part_id}/", { params: { path: { part_id: part }, ...query() } }))),
      /** What was done a moment ago is written, and known here: undo and redo take it into account. */
      async settled(): Promise<ScriptState | undefined> {
        if (await written()) await lookAgain(client, production);
        return state();
      },
      /** One's own last change; where somebody else's lies on top, that is said, and theirs offered with it. */
      async undo(withOthers = false): Promise<ScriptPart | null> {
        try {
          const answer = await data(api.POST("/api/productions/{production_id}/undo/", { params: params(), body: { with_others: withOthers } }));
          take(client, production, answer);
          return answer;
        } catch (error) {
          if (!(error instanceof Fault)) throw error;
          const action = error.code === "later_change" ? { label: t("frame.undoTheirs"), act: () => void this.undo(true) } : undefined;
          say({ tone: "bad", text: error.message || t("common.unreachable"), ...(action ? { action } : {}) });
          return null;
        }
      },
      redo: () => run(() => data(api.POST("/api/productions/{production_id}/redo/", { params: params() }))),
      back: (record: number) => run(() => data(api.POST("/api/productions/{production_id}/back/", { params: params(), body: { record } }))),
      async join(line: number): Promise<ScriptPart | null> {
        const id = await known(line);
        if (id === null) return null;
        return run(() => data(api.POST("/api/lines/{line_id}/join/", { params: { path: { line_id: id }, ...query() } })));
      },
      lookAgain: () => lookAgain(client, production),
      /** Cut here at once, then on the server; where that refuses, the line is whole again. */
      async split(line: number, words: string, place: number, revision: number): Promise<boolean> {
        const temporary = -Date.now();
        const before = state();
        client.setQueryData<ScriptState>(keyOf(production), (old) => old && cutHere(old, line, place, words, temporary));
        const asking = known(line).then((id) =>
          id === null
            ? null
            : run(
                () =>
                  data(
                    api.POST("/api/lines/{line_id}/split/", {
                      params: { path: { line_id: id }, query: { ...params().query } },
                      body: { text: words, at: place, revision },
                    }),
                  ),
                (made) => new Map([[Number(made.done), `new${temporary}`]]),
              ),
        );
        coming.set(temporary, asking.then((made) => (made ? Number(made.done) : null)));
        const answer = await asking;
        if (answer?.recordings)
          say({ tone: "bad", text: t("script.splitRecording", { count: answer.recordings }), action: { label: t("script.splitBack"), act: () => void this.undo() } });
        if (!answer) {
          const whole = before?.lines.find((one) => one.id === line);
          client.setQueryData<ScriptState>(keyOf(production), (old) =>
            old && { ...old, lines: old.lines.filter((one) => one.id !== temporary).map((one) => (one.id === line && whole ? { ...whole, words } : one)) });
        }
        return answer !== null;
      },
      /** What was saved, shown before the next look. */
      saved(line: number, words: string, revision: number): void {
        client.setQueryData<ScriptState>(keyOf(production), (old) =>
          old && { ...old, lines: old.lines.map((one) => (one.id === line ? { ...one, words, revision } : one)) });
        void lookAgain(client, production);
      },
    };
  }, [client, production, say, t]);
}
export type ScriptActions = ReturnType<typeof useScriptActions>;
