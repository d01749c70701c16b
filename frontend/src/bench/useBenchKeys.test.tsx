import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import { useBenchKeys } from "./hooks/useBenchKeys";

const ACTS = ["undo", "redo", "save", "run", "keys", "search", "trace", "ask", "narrow", "rows"] as const;
let done: string[] = [];

function Bench() {
  useBenchKeys(
    Object.fromEntries(ACTS.map((act) => [act, () => done.push(act)])) as unknown as Parameters<
      typeof useBenchKeys
    >[0],
  );
  return (
    <>
      <main aria-label="bench" />
      <input aria-label="field" />
      <div role="dialog">
        <button type="button">in a dialog</button>
      </div>
    </>
  );
}

/** What keys do, pressed at a place. */
function pressed(place: HTMLElement, ...keys: object[]): string[] {
  done = [];
  keys.forEach((key) => fireEvent.keyDown(place, key));
  return done;
}

afterEach(cleanup);

describe("the keys of the bench", () => {
  it("are single letters where nothing is typed", () => {
    render(<Bench />);
    const keys = ["/", "?", "t", "a", "n", "r"].map((key) => ({ key }));
    expect(pressed(screen.getByLabelText("bench"), ...keys)).toEqual([
      "search",
      "keys",
      "trace",
      "ask",
      "narrow",
      "rows",
    ]);
  });

  it("leave letters, and taking back what was typed, to a field", () => {
    render(<Bench />);
    const field = screen.getByLabelText("field");
    expect(pressed(field, { key: "n" }, { key: "z", ctrlKey: true })).toEqual([]);
    expect(pressed(field, { key: "s", ctrlKey: true }, { key: "Enter", ctrlKey: true })).toEqual([
      "save",
      "run",
    ]);
  });

  it("take back and do again, with either key that systems have for it", () => {
    render(<Bench />);
    const bench = screen.getByLabelText("bench");
    const keys = [
      { key: "z", ctrlKey: true },
      { key: "Z", ctrlKey: true, shiftKey: true },
      { key: "z", metaKey: true },
    ];
    expect(pressed(bench, ...keys)).toEqual(["undo", "redo", "undo"]);
  });

  it("do nothing behind a dialog, and nothing that a browser’s own keys mean", () => {
    render(<Bench />);
    expect(pressed(screen.getByRole("button"), { key: "n" }, { key: "s", ctrlKey: true })).toEqual([]);
    expect(
      pressed(screen.getByLabelText("bench"), { key: "r", ctrlKey: true }, { key: "a", altKey: true }),
    ).toEqual([]);
  });
});
