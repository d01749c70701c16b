import { cleanup, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { SharedWith as Entry } from "../api";
import { Within, answering, shown } from "../testing";
import { SharedWith } from "./SharedWith";

afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

const NAMES = {
  people: [
    { id: 7, name: "Ines Harrow" },
    { id: 8, name: "Kim Hale" },
  ],
  groups: [{ id: 1, name: "Parks office" }],
};

function Sharing({ onEntries }: { onEntries: (entries: Entry[]) => void }) {
  const [entries, setEntries] = useState<Entry[]>([{ person: 8, group: null }]);
  const change = (next: Entry[]) => {
    setEntries(next);
    onEntries(next);
  };
  return <SharedWith legend="And shared with" entries={entries} onChange={change} />;
}

describe("with whom something is shared", () => {
  it("is anybody but oneself, and groups", async () => {
    answering("GET", { "/api/v1/people/names": NAMES });
    const onEntries = vi.fn<(entries: Entry[]) => void>();
    shown(
      <Within person={{ id: 7 }}>
        <Sharing onEntries={onEntries} />
      </Within>,
    );
    const kim = await screen.findByLabelText<HTMLInputElement>("Kim Hale");
    expect(screen.queryByLabelText("Ines Harrow")).toBeNull();
    expect(kim.checked).toBe(true);
    await userEvent.click(screen.getByLabelText("Parks office (group)"));
    expect(onEntries.mock.lastCall![0]).toEqual([{ person: 8, group: null }, { group: 1 }]);
    await userEvent.click(kim);
    expect(onEntries.mock.lastCall![0]).toEqual([{ group: 1 }]);
  });
});
