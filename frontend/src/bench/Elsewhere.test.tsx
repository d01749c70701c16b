import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { ShellFacts } from "../shell/context";
import { ShellContext } from "../shell/context";
import { Elsewhere } from "./components/Elsewhere";

afterEach(cleanup);

/** A house with a source of its settings, which has no key, and one that was taken on. */
const sources = [
  { key: "", title: "Practice yard", environment: "practice" },
  { key: "yard", title: "Yard", environment: "live" },
];
const facts = { session: { sources } } as unknown as ShellFacts;

function shown(own: string, tried: string | null, onTry: (key: string | null) => void = () => undefined) {
  render(
    <ShellContext value={facts}>
      <Elsewhere own={own} tried={tried} onTry={onTry} />
    </ShellContext>,
  );
}

describe("a template beside several sources", () => {
  it("is not said to be tried on the source of the settings while it is looked at on its own", () => {
    shown("yard", null);

    expect(screen.queryByRole("status")).toBeNull();
    expect(screen.getByText("Try it on another source")).toBeTruthy();
  });

  it("can be tried on the source of the settings, and goes back to its own", () => {
    const onTry = vi.fn();
    shown("yard", null, onTry);
    fireEvent.click(screen.getByText("Try it on another source"));
    fireEvent.click(screen.getByText(/Practice yard/));
    expect(onTry).toHaveBeenLastCalledWith("");
    cleanup();
    shown("yard", "", onTry);

    expect(screen.getByRole("status").textContent).toContain("Practice yard");
    fireEvent.click(screen.getByText("Back to its own"));
    expect(onTry).toHaveBeenLastCalledWith(null);
  });
});
