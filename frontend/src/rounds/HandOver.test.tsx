import { cleanup, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { RoundInfo } from "../api";
import { answering, shown } from "../testing";
import { HandOver } from "./HandOver";

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
} as RoundInfo;
const PEOPLE = [
  { id: 7, name: "Ines Harrow" },
  { id: 8, name: "Kim Hale" },
];

describe("handing a round over", () => {
  it("says for whom it runs, and offers everybody else", async () => {
    answering("GET", { "/api/v1/people/names": { people: PEOPLE, groups: [] } });
    shown(<HandOver round={ROUND} onClose={() => undefined} />);
    expect(screen.getByText(/runs every day at 06:00 for Ines Harrow/)).toBeTruthy();
    await screen.findByRole("option", { name: "Kim Hale" });
    expect(screen.queryByRole("option", { name: "Ines Harrow" })).toBeNull();
    expect(screen.getByRole<HTMLButtonElement>("button", { name: "Hand over" }).disabled).toBe(true);
  });

  it("asks the server, and closes when it is done", async () => {
    answering("GET", { "/api/v1/people/names": { people: PEOPLE, groups: [] } });
    const handed = answering("POST", { "/api/v1/rounds/{round_id}/hand-over": ROUND });
    const onClose = vi.fn();
    shown(<HandOver round={ROUND} onClose={onClose} />);
    await screen.findByRole("option", { name: "Kim Hale" });
    await userEvent.selectOptions(screen.getByLabelText("From now on it runs for"), "Kim Hale");
    await userEvent.click(screen.getByRole("button", { name: "Hand over" }));
    await waitFor(() => expect(onClose).toHaveBeenCalled());
    expect(handed.mock.lastCall![1]).toMatchObject({ params: { path: { round_id: 3 } }, body: { to: 8 } });
  });
});
