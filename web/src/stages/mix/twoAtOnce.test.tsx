import { QueryClientProvider } from "@tanstack/react-query";
import { act, renderHook, waitFor } from "@testing-library/react";
import type { ReactNode } from "react";
import { expect, it } from "vitest";

import { queryClient } from "../../shared/api/queries";
import { serve } from "../../testing";
import { changed, newLayer, useSoundWorld, type Cue, type SoundWorld } from "./soundWorld";

const AT = "/api/productions/5/sounds/";
const wrapper = ({ children }: { children: ReactNode }) => <QueryClientProvider client={queryClient}>{children}</QueryClientProvider>;
const bell = (id: string): Cue => ({ id, layer: "effects", sound: { made: "bell" }, at: { seconds: 0 } });

/** A server that keeps a sound world with its revision; the first write is held back until it is let go. */
function server() {
  let world: SoundWorld = { layers: [newLayer("effects")], cues: [], revision: "r0" };
  let number = 0;
  let release: () => void = () => undefined;
  let first = true;
  const write = (plan: SoundWorld) => (world = { ...plan, revision: `r${(number += 1)}` });
  const asked = serve({
    [`GET ${AT}`]: () => world,
    [`PUT ${AT}`]: async (one) => {
      if (first) {
        first = false;
        await new Promise<void>((over) => { release = over; });
      }
      const body = one.body as SoundWorld;
      if (body.revision !== world.revision) return Response.json({ code: "conflict", message: "Somebody else was first.", current: world }, { status: 409 });
      return write(body);
    },
  });
  return { asked, release: () => release(), world: () => world, somebodyElse: (change: (plan: SoundWorld) => SoundWorld) => write(change(world)) };
}
const puts = (asked: { method: string }[]) => asked.filter((one) => one.method === "PUT").length;

it("what somebody else has laid meanwhile stays, and so does what was laid here", async () => {
  const { asked, release, world, somebodyElse } = server();
  const { result } = renderHook(() => useSoundWorld(5), { wrapper });
  await waitFor(() => expect(result.current.known).toBe(true));
  act(() => void result.current.set((plan) => ({ ...plan, cues: [...plan.cues, bell("mine")] })));
  await waitFor(() => expect(puts(asked)).toBe(1));
  somebodyElse((plan) => ({ ...plan, cues: [...plan.cues, bell("theirs")] }));
  // Keys go on while the first is on its way: what the page shows is what was pressed.
  act(() => void result.current.set((plan) => changed(plan, "cues", "mine", { gain_db: -3 }, null)));
  act(() => void result.current.set((plan) => changed(plan, "cues", "mine", { pan: 0.5 }, null)));
  await waitFor(() => expect(result.current.plan.cues).toEqual([{ ...bell("mine"), gain_db: -3, pan: 0.5 }]));
  release();
  const both = [bell("theirs"), { ...bell("mine"), gain_db: -3, pan: 0.5 }];
  await waitFor(() => expect(world().cues).toEqual(both));
  await waitFor(() => expect(result.current.plan.cues).toEqual(both));
  expect(puts(asked)).toBe(3);
});

it("what the server has is shown again where it refuses", async () => {
  const asked = serve({ [`GET ${AT}`]: () => ({ layers: [], cues: [], revision: "r0" }), [`PUT ${AT}`]: () => Response.json({ code: "invalid", message: "No." }, { status: 400 }) });
  const { result } = renderHook(() => useSoundWorld(6 - 1), { wrapper });
  await waitFor(() => expect(result.current.known).toBe(true));
  act(() => void result.current.set((plan) => ({ ...plan, mono: true })));
  expect(result.current.set).toBeTypeOf("function");
  await waitFor(() => expect(puts(asked)).toBe(1));
  await waitFor(() => expect(result.current.plan.mono).toBeUndefined());
});
