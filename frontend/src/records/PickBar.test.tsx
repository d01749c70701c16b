import { cleanup, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import { Within } from "../testing";
import { PickBar } from "./PickBar";
import type { RecordsDialog } from "./RecordsDialogs";

afterEach(cleanup);

function bar(picked: number, total: number | undefined, acts = ["run", "design"]) {
  const onDialog = vi.fn<(dialog: RecordsDialog) => void>();
  const onClear = vi.fn();
  render(
    <Within person={{ may: acts }}>
      <PickBar picked={picked} total={total} onDialog={onDialog} onClear={onClear} />
    </Within>,
  );
  const names = screen.getAllByRole("button").map((b) => b.getAttribute("aria-label") ?? b.textContent);
  return { onDialog, onClear, names };
}

describe("what can be done with the records that are ticked", () => {
  it("is offered by what somebody may", () => {
    expect(bar(2, undefined).names).toEqual([
      "Keep as picks…",
      "Run a template on these",
      "Try on one",
      "Clear selection",
    ]);
    cleanup();
    expect(bar(2, undefined, []).names).toEqual(["Try on one", "Clear selection"]);
  });

  it("is done with all that match only where more match than are ticked", async () => {
    const { onDialog } = bar(2, 1200);
    await userEvent.click(screen.getByRole("button", { name: "keep all 1,200 as a list" }));
    expect(onDialog).toHaveBeenCalledWith("pick-all");
    cleanup();
    expect(bar(2, 2).names).not.toContain("keep all 2 as a list");
  });

  it("ends with none ticked", async () => {
    const { onClear } = bar(1, 5);
    await userEvent.click(screen.getByRole("button", { name: "Clear selection" }));
    expect(onClear).toHaveBeenCalled();
  });
});
