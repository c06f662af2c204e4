import { cleanup, fireEvent, render } from "@testing-library/react";
import { afterEach, expect, it, vi } from "vitest";

import { useKeys, useLetGo } from "./useKeys";

function Bench({ keys }: { keys: Record<string, () => void> }) {
  useKeys(keys);
  useLetGo();
  return (
    <>
      <input aria-label="words" />
      <button type="button">act</button>
      <p>text</p>
    </>
  );
}

afterEach(cleanup);

it("acts on keys, but never while something is typed nor for Space on a button", () => {
  const space = vi.fn();
  const undo = vi.fn();
  const view = render(<Bench keys={{ " ": space, "Mod+z": undo }} />);
  fireEvent.keyDown(view.getByText("text"), { key: " " });
  fireEvent.keyDown(view.getByText("text"), { key: "z", ctrlKey: true });
  expect([space.mock.calls.length, undo.mock.calls.length]).toEqual([1, 1]);
  fireEvent.keyDown(view.getByLabelText("words"), { key: " " });
  fireEvent.keyDown(view.getByLabelText("words"), { key: "z", ctrlKey: true });
  fireEvent.keyDown(view.getByText("act"), { key: " " });
  expect([space.mock.calls.length, undo.mock.calls.length]).toEqual([1, 1]);
  fireEvent.keyDown(view.getByText("act"), { key: "z", ctrlKey: true });
  expect(undo).toHaveBeenCalledTimes(2);
});

it("a button pressed with the mouse lets go, one pressed by keyboard keeps the focus", () => {
  const view = render(<Bench keys={{}} />);
  const button = view.getByText("act");
  button.focus();
  fireEvent.click(button, { detail: 1 });
  expect(document.activeElement).not.toBe(button);
  button.focus();
  fireEvent.click(button, { detail: 0 });
  expect(document.activeElement).toBe(button);
});

it("a list that is part of the page takes no keys, one that lies over it does", () => {
  const space = vi.fn();
  const view = render(<><Bench keys={{ " ": space }} /><div role="listbox"><button type="button" role="option" aria-selected>line</button></div></>);
  fireEvent.keyDown(view.getByText("text"), { key: " " });
  expect(space).toHaveBeenCalledTimes(1);
  view.rerender(<><Bench keys={{ " ": space }} /><div data-radix-popper-content-wrapper=""><div role="listbox" /></div></>);
  fireEvent.keyDown(view.getByText("text"), { key: " " });
  expect(space).toHaveBeenCalledTimes(1);
});

it("what keys go on doing something with keeps the focus after a click", () => {
  const view = render(<><Bench keys={{}} /><div data-keyed><button type="button">word</button></div></>);
  const word = view.getByText("word");
  word.focus();
  fireEvent.click(word, { detail: 1 });
  expect(document.activeElement).toBe(word);
});

it("on what is chosen Space plays and arrows go on, on what is not it is chosen", () => {
  const space = vi.fn();
  const down = vi.fn();
  const view = render(<><Bench keys={{ " ": space, ArrowDown: down }} /><div data-keyed><button type="button" aria-current="true">here</button><button type="button">there</button></div></>);
  for (const name of ["here", "there"]) for (const key of [" ", "ArrowDown", "Enter"]) fireEvent.keyDown(view.getByText(name), { key });
  expect([space.mock.calls.length, down.mock.calls.length]).toEqual([1, 2]);
});

it("a button that keeps its click from the row it lies in lets go all the same", () => {
  const view = render(<><Bench keys={{}} /><div><button type="button" onClick={(event) => event.stopPropagation()}>2</button></div></>);
  const button = view.getByRole("button", { name: "2" });
  button.focus();
  fireEvent.click(button, { detail: 1 });
  expect(document.activeElement).toBe(document.body);
});
