import { cleanup, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { RoundInfo } from "../api";
import { Within, answering, shown } from "../testing";
import { RoundMenu } from "./RoundMenu";

afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

const ROUND = {
  id: 3,
  template: "Wards",
  words: "every day at 06:00",
  owner_id: 7,
  owner: "Ines Harrow",
  trigger: "calendar",
  next: ["2026-11-30T06:00:00Z"],
  shared_with: [] as unknown,
} as RoundInfo;

function menu(round: Partial<RoundInfo>, may: string[]) {
  shown(
    <Within person={{ id: 8, may }}>
      <RoundMenu round={{ ...ROUND, ...round }} />
    </Within>,
  );
}

async function offered(): Promise<string[]> {
  await userEvent.click(screen.getByLabelText("More for Wards"));
  const items = screen.getAllByRole<HTMLButtonElement>("button").filter((b) => b.closest(".dropdown-menu"));
  return items
    .filter((b) => b.getAttribute("aria-disabled") !== "true")
    .map((b) => b.textContent.replace(/ \(.*/, ""));
}

describe("what can be done with a round", () => {
  it("is nothing for whoever only sees it", () => {
    menu({ looked_after: false, mine: false }, ["run", "design"]);
    expect(screen.queryByRole("button")).toBeNull();
  });

  it("is to run, skip and pause it for whoever looks after it", async () => {
    menu({ looked_after: true, mine: false }, ["run"]);
    expect(await offered()).toEqual(["Run now", "Skip the next", "Pause"]);
  });

  it("is for its owner to say who else does", async () => {
    answering("GET", { "/api/v1/people/names": { people: [{ id: 9, name: "Kim Hale" }], groups: [] } });
    const saved = answering("PATCH", { "/api/v1/rounds/{round_id}": ROUND });
    menu({ looked_after: true, mine: true }, ["run", "design"]);
    expect(await offered()).toContain("Remove…");
    await userEvent.click(screen.getByText("Who looks after it…"));
    await userEvent.click(await screen.findByLabelText("Kim Hale"));
    await userEvent.click(screen.getByRole("button", { name: "Save" }));
    await waitFor(() => expect(screen.queryByLabelText("Kim Hale")).toBeNull());
    expect(saved.mock.lastCall![1]).toMatchObject({ body: { shared_with: [{ person: 9 }] } });
  });
});
