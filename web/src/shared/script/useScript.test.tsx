import { QueryClientProvider } from "@tanstack/react-query";
import { renderHook, waitFor } from "@testing-library/react";
import type { ReactNode } from "react";
import { afterEach, expect, it, vi } from "vitest";

import { api } from "../api/client";
import { queryClient } from "../api/queries";
import type { ScriptState } from "./scriptState";
import { useScriptActions } from "./useScript";

const around = ({ children }: { children: ReactNode }) => <QueryClientProvider client={queryClient}>{children}</QueryClientProvider>;
const line = (id: number, words: string) => ({ id, key: String(id), place: `V${id}`, part: null, speaker: 1, kind: "spoken", in_sight: null, slot: null, notes: "", words, revision: 1 });
const answer = (stamp: number, lines: object[], done: unknown) => ({ stamp, whole: false, lines, removed: [], speakers: null, parts: null, undo: null, redo: null, others: false, done });

afterEach(() => vi.restoreAllMocks());

it("a line that was cut a moment ago can be joined again before the server has said what it is", async () => {
  const asked: string[] = [];
  let cut: (said: object) => void = () => undefined;
  const told = (said: object) => ({ data: said, response: Response.json(said) });
  vi.spyOn(api, "POST").mockImplementation(((path: string, given: { params: { path: { line_id: number } } }) => {
    asked.push(path.replace("{line_id}", String(given.params.path.line_id)));
    if (path.includes("/split/")) return new Promise((resolve) => (cut = (said) => resolve(told(said))));
    return Promise.resolve(told(answer(3, [line(1, "Mind the step.")], 1)));
  }) as never);
  queryClient.setQueryData<ScriptState>(["script", 5], { stamp: 1, lines: [line(1, "Mind the step.")], speakers: [], parts: [], undo: null, redo: null } as unknown as ScriptState);
  const { result } = renderHook(() => useScriptActions(5), { wrapper: around });
  const splitting = result.current.split(1, "Mind the step.", 5, 1);
  await waitFor(() => expect(queryClient.getQueryData<ScriptState>(["script", 5])?.lines).toHaveLength(2));
  const made = queryClient.getQueryData<ScriptState>(["script", 5])?.lines.find((one) => one.id < 0);
  const joining = result.current.join(made?.id ?? 0);
  await waitFor(() => expect(asked).toEqual(["/api/lines/1/split/"]));
  cut(answer(2, [line(1, "Mind"), line(9, "the step.")], 9));
  expect(await splitting).toBe(true);
  expect((await joining)?.stamp).toBe(3);
  expect(asked).toEqual(["/api/lines/1/split/", "/api/lines/9/join/"]);
});
