import { afterEach, expect, it, vi } from "vitest";

import { dropTyped, keepTyped, keptTyped } from "./kept";

afterEach(() => {
  vi.restoreAllMocks();
  vi.useRealTimers();
  localStorage.clear();
});

it("what was typed is there again, with the revision that it was typed over, until the server has it", () => {
  keepTyped("es-MX/7", { text: "Bajo el piso", base: 3 });
  expect(keptTyped("es-MX/7")).toEqual({ text: "Bajo el piso", base: 3 });
  expect(keptTyped("es-MX/8")).toBeNull();
  dropTyped("es-MX/7");
  expect(keptTyped("es-MX/7")).toBeNull();
});

it("an emptied field is something that was typed", () => {
  keepTyped("es-MX/7", { text: "", base: 1 });
  expect(keptTyped("es-MX/7")).toEqual({ text: "", base: 1 });
});

it("what nobody came back for in a month is let go", () => {
  vi.useFakeTimers({ now: new Date("2024-03-01") });
  keepTyped("es-MX/7", { text: "Old", base: 1 });
  vi.setSystemTime(new Date("2024-04-02"));
  expect(keptTyped("es-MX/7")).toBeNull();
  expect(localStorage).toHaveLength(0);
});

it("what is damaged is nothing, and a full store is no fault", () => {
  localStorage.setItem("janoglot.typed/es-MX/7", "{");
  expect(keptTyped("es-MX/7")).toBeNull();
  vi.spyOn(Storage.prototype, "setItem").mockImplementation(() => {
    throw new DOMException("full", "QuotaExceededError");
  });
  expect(() => keepTyped("es-MX/7", { text: "a", base: 1 })).not.toThrow();
});
