import { cleanup, screen, waitFor } from "@testing-library/react";
import type { ReactNode } from "react";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { NewRound, RecordType, Session } from "../api";
import { ClosesFields } from "../rounds/EventFields";
import { BundleDialog } from "../runs/BundleDialog";
import { ShellContext } from "../shell/context";
import { answering, shown } from "../testing";
import { RunOnDialog } from "./dialogs";

afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

/** A house of two sources that have a record type of the same name; the tab is about the first. */
const session = {
  person: { may: ["run", "design"] },
  preferences: {},
  sources: [
    { key: "", title: "Practice yard", environment: "practice" },
    { key: "quay", title: "Quay yard", environment: "live" },
  ],
} as unknown as Session;
const TEMPLATES = [
  { id: 1, name: "Trees to prune", records: "tree", source: "", asks: 0 },
  { id: 2, name: "Trees of the quay", records: "tree", source: "quay", asks: 0 },
];
const TREES = { name: "tree", label: "tree", plural: "trees", key: ["id"] } as unknown as RecordType;

function inHouse(part: ReactNode) {
  const asked = answering("GET", {
    "/api/v1/templates": TEMPLATES,
    "/api/v1/record-types": [TREES],
    "/api/v1/vocabulary": { formats: [] },
  });
  shown(<ShellContext value={{ session, news: { runs: {}, unread: 0 } }}>{part}</ShellContext>);
  return asked;
}

describe("in a house of several sources", () => {
  it("only templates of the same source are run on ticked records", async () => {
    inHouse(<RunOnDialog records={TREES} keys={[["5"]]} onClose={() => undefined} />);

    expect(await screen.findByLabelText("Trees to prune")).toBeTruthy();
    expect(screen.queryByLabelText("Trees of the quay")).toBeNull();
  });

  it("a bundle is made of one source, and one that is kept is changed with those of its own", async () => {
    inHouse(<BundleDialog onClose={() => undefined} />);
    expect(await screen.findByLabelText("Trees to prune")).toBeTruthy();
    expect(screen.queryByLabelText("Trees of the quay")).toBeNull();
    cleanup();

    const kept = { id: 3, source: "quay", contents: { name: "Quay", templates: [], records: [] } };
    const asked = inHouse(<BundleDialog bundle={kept as never} onClose={() => undefined} />);
    expect(await screen.findByLabelText("Trees of the quay")).toBeTruthy();
    expect(screen.queryByLabelText("Trees to prune")).toBeNull();
    expect(asked).toHaveBeenCalledWith("/api/v1/record-types", { params: { query: { source: "quay" } } });
  });

  it("a round waits for records of the source that its template reads", async () => {
    const draft = { template_id: 2, trigger: "closes", event: { records: "tree" } } as unknown as NewRound;
    const asked = inHouse(<ClosesFields draft={draft} source="quay" onChange={() => undefined} />);

    await waitFor(() => expect(asked).toHaveBeenCalledTimes(2));
    for (const [, said] of asked.mock.calls as unknown as [string, object][])
      expect(said).toMatchObject({ params: { query: { source: "quay" } } });
  });
});
