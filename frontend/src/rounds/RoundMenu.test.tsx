import { cleanup, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { RoundInfo } from "../api";
import { answering, shown } from "../testing";
import { RoundMenu } from "./RoundMenu";

const may = vi.hoisted(() => ({ acts: ["run"] }));
vi.mock("../shell", () => ({
  useShell: () => ({ session: { person: { id: 8 } } }),
  useMay: (act: string) => may.acts.includes(act),
}));

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

async function offered(): Promise<string[]> {
  await userEvent.click(screen.getByLabelText("More for Wards"));
  const items = screen.getAllByRole<HTMLButtonElement>("button").filter((b) => b.closest(".dropdown-menu"));
  return items
    .filter((b) => b.getAttribute("aria-disabled") !== "true")
    .map((b) => b.textContent.replace(/ \(.*/, ""));
}

describe("what can be done with a round", () => {
  it("is nothing for whoever only sees it", () => {
    may.acts = ["run", "design"];
    shown(<RoundMenu round={{ ...ROUND, looked_after: false, mine: false }} />);
    expect(screen.queryByRole("button")).toBeNull();
  });

  it("is to run, skip and pause it for whoever looks after it", async () => {
    may.acts = ["run"];
    shown(<RoundMenu round={{ ...ROUND, looked_after: true, mine: false }} />);
    expect(await offered()).toEqual(["Run now", "Skip the next", "Pause"]);
  });

  it("is for its owner to say who else does", async () => {
    may.acts = ["run", "design"];
    answering("GET", { "/api/v1/people/names": { people: [{ id: 9, name: "Kim Hale" }], groups: [] } });
    const saved = answering("PATCH", { "/api/v1/rounds/{round_id}": ROUND });
    shown(<RoundMenu round={{ ...ROUND, looked_after: true, mine: true }} />);
    expect(await offered()).toContain("Remove…");
    await userEvent.click(screen.getByText("Who looks after it…"));
    await userEvent.click(await screen.findByLabelText("Kim Hale"));
    await userEvent.click(screen.getByRole("button", { name: "Save" }));
    await waitFor(() => expect(screen.queryByLabelText("Kim Hale")).toBeNull());
    expect(saved.mock.lastCall![1]).toMatchObject({ body: { shared_with: [{ person: 9 }] } });
  });
});
