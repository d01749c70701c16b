import { cleanup, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { Account } from "../api";
import { answering, shown } from "../testing";
import { Belongings } from "./Belongings";

afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

const account = (id: number, name: string, disabled_at: string | null = null) =>
  ({ id, name, disabled_at }) as Account;

const OWNED = [
  { kind: "template", id: 1, name: "Wards" },
  { kind: "round", id: 2, name: "Wards" },
];

const belongings = (owned: unknown) => {
  answering("GET", { "/api/v1/people/{person_id}/belongings": owned });
  shown(
    <Belongings
      person={account(7, "Ines Harrow")}
      people={[account(7, "Ines Harrow"), account(8, "Kim Hale"), account(9, "Jo Gone", "2026-01-01")]}
      onClose={() => undefined}
    />,
  );
};

describe("what belongs to somebody", () => {
  it("is handed to somebody who is still here, and what stays is said with why", async () => {
    const why = "Kim Hale may not set rounds, so this cannot be theirs.";
    const done = { handed: OWNED.slice(0, 1), stays: [{ ...OWNED[1], why }] };
    const handed = answering("POST", { "/api/v1/people/{person_id}/hand-over": done });
    belongings(OWNED);
    expect(await screen.findByText("1 round")).toBeTruthy();
    const choices = screen.getAllByRole("option").map((o) => o.textContent);
    await userEvent.selectOptions(screen.getByLabelText("Hand it all over to"), "Kim Hale");
    await userEvent.click(screen.getByRole("button", { name: "Hand over" }));
    expect(await screen.findByText(why)).toBeTruthy();
    expect(screen.getByText("Kim Hale has 1 thing of Ines Harrow now")).toBeTruthy();
    expect(screen.getByText(/round “Wards”/)).toBeTruthy();
    expect(choices).toEqual(["choose somebody", "Kim Hale"]);
    expect(handed.mock.lastCall![1]).toMatchObject({ params: { path: { person_id: 7 } }, body: { to: 8 } });
  });

  it("can be nothing", async () => {
    belongings([]);
    expect(await screen.findByText(/^Nothing: they made/)).toBeTruthy();
    expect(screen.queryByLabelText("Hand it all over to")).toBeNull();
  });
});
