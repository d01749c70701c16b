import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { api } from "../api";
import type { FieldGroup, Look } from "../api";
import { TriedContext } from "../document/tried";
import { PerUnit } from "../document/components/PerUnit";
import { useLook, useTally } from "../document/hooks/useLook";
import type { Document } from "../document/types";
import type { ShellFacts } from "../shell/context";
import { ShellContext } from "../shell/context";
import { Elsewhere } from "./components/Elsewhere";
import { FileTab } from "./components/FileTab";
import { TracePanel } from "./components/TracePanel";
import type { Tracing } from "./components/TracePanel";
import { useChecks } from "./hooks/useChecks";

afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

/** A house with a source of its settings, which has no key, and one that was taken on. */
const sources = [
  { key: "", title: "Practice yard", environment: "practice" },
  { key: "yard", title: "Yard", environment: "live" },
];
const facts = { session: { sources } } as unknown as ShellFacts;

function shown(own: string, tried: string | null, onTry: (key: string | null) => void = () => undefined) {
  render(
    <ShellContext value={facts}>
      <TriedContext value={{ elsewhere: tried, tryOn: onTry }}>
        <Elsewhere own={own} />
      </TriedContext>
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

  it("is asked about there in all that stands on the bench: rows, counts, checks, traces and first lines", async () => {
    const asked = vi
      .spyOn(api, "POST")
      .mockImplementation((() => new Promise(() => undefined)) as unknown as typeof api.POST);
    const trace = (tracing: Tracing) => (
      <TracePanel
        {...{ document, tracing, templateId: 7, counts: undefined, editable: true }}
        {...{ onTracing: idle, onEdit: idle, onClose: idle }}
      />
    );
    render(
      <ShellContext value={facts}>
        <QueryClientProvider client={clientKnowing()}>
          <TriedContext value={{ elsewhere: "", tryOn: idle }}>
            <Counts />
            {trace({ record: "T-1" })}
            {trace({ leftOut: "filter.all[0]" })}
            <PerUnit document={document} templateId={7} groups={groups} />
            <FileTab
              {...{ document, templateId: 7, look, problems: [], groups: [], ways: [] }}
              {...{ editable: true, dispatch: idle }}
            />
          </TriedContext>
        </QueryClientProvider>
      </ShellContext>,
    );

    fireEvent.click(screen.getByText("per unit"));
    await waitFor(() => expect(asked.mock.calls.length).toBe(7), { timeout: 3000 });
    for (const [address, said] of asked.mock.calls as unknown as [string, Said][]) {
      expect([address, said.params.query]).toEqual([address, { source: "" }]);
      // What was sent of it before was of its own source.
      expect([address, said.body.template_id]).toEqual([address, null]);
    }
  });
});

interface Said {
  params: { query: object };
  body: { template_id: number | null };
}

/** A client that knows the formats of files. */
function clientKnowing() {
  const client = new QueryClient();
  client.setQueryData(["vocabulary"], { formats: [{ name: "csv", label: "CSV", sized: true }] });
  return client;
}

const groups = [
  {
    path: "site",
    label: "Site",
    fields: [{ path: "site.name", label: "Name", kind: "text", everyday: true }],
  },
] as unknown as FieldGroup[];
const look = { rows: [["T-1"]], columns: [], notes: [] } as unknown as Look;
const idle = () => undefined;
const document = {
  name: "Trees",
  records: "tree",
  columns: [{ id: "a", heading: "Tag", value: { field: "tag" } }],
  filter: { all: [{ path: "tag", is: "not_blank" }] },
  checks: [{ column: "a", must: "be_unique" }],
} as unknown as Document;

function Counts() {
  useLook(document, 7);
  useTally(document, 7);
  useChecks(document, 7);
  return null;
}
