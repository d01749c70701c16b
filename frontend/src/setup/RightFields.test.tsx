import { QueryClient } from "@tanstack/react-query";
import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import { api, turnTo } from "../api";
import type { RightScope, Session } from "../api";
import { ShellContext } from "../shell/context";
import { answering, shown } from "../testing";
import { RightFields } from "./RightFields";

afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

const TYPES = [
  { name: "ward", plural: "wards" },
  { name: "tree", plural: "trees" },
];

const session = {
  sources: [
    { key: "", title: "Practice yard" },
    { key: "yard", title: "Quay yard" },
  ],
} as unknown as Session;

function inHouse(scope: RightScope | null) {
  const onScope = vi.fn<(scope: RightScope | null) => void>();
  shown(
    <ShellContext value={{ session, news: { runs: {}, unread: 0 } }}>
      <RightFields scope={scope} onScope={onScope} />
    </ShellContext>,
  );
  return onScope;
}

/** The fields, and what lets the list of record types arrive. */
function fields() {
  let arrive: (answer: unknown) => void = () => undefined;
  const types = new Promise((done) => (arrive = done));
  vi.spyOn(api, "GET").mockImplementation(((path: string) =>
    path === "/api/v1/record-types" ? types : new Promise(() => undefined)) as never);
  const onScope = inHouse(null);
  return { onScope, arrive: () => arrive({ data: TYPES, response: new Response() }) };
}

describe("which record types are somebody's", () => {
  it("cannot be said before it is known which there are, and then begins with all of them", async () => {
    const { onScope, arrive } = fields();
    const all = screen.getByLabelText<HTMLInputElement>("all record types");
    await userEvent.click(all);
    expect(onScope).not.toHaveBeenCalled();
    arrive();
    await waitFor(() => expect(all.disabled).toBe(false));
    await userEvent.click(all);
    expect(onScope.mock.lastCall![0]?.types).toEqual(["ward", "tree"]);
  });
});

describe("whose records somebody sees", () => {
  it("stay those of their source, also where the tab is about another one", () => {
    vi.spyOn(api, "GET").mockImplementation((() => new Promise(() => undefined)) as never);
    turnTo(new QueryClient(), "yard");
    const scope = { source: "", records: "ward", field: "code", values: ["03"] } as unknown as RightScope;
    const onScope = inHouse(scope);
    fireEvent.change(screen.getByLabelText("Values, separated by commas"), { target: { value: "03, 07" } });
    turnTo(new QueryClient(), "");

    expect(onScope.mock.lastCall![0]).toMatchObject({ source: "", records: "ward" });
  });

  it("are chosen among the record types of the source that the right speaks of", async () => {
    const asked = answering("GET", { "/api/v1/record-types": TYPES });
    const scope = { source: "yard", records: "ward", field: "code", values: ["03"] } as unknown as RightScope;
    const onScope = inHouse(scope);
    await screen.findByRole("option", { name: "Quay yard" });
    for (const [, said] of asked.mock.calls as unknown as [string, object][])
      if (said) expect(said).toMatchObject({ params: { query: { source: "yard" } } });
    fireEvent.change(screen.getByLabelText("Source"), { target: { value: "" } });

    // What was said of the wards of one says nothing of those of the other.
    expect(onScope.mock.lastCall![0]).toMatchObject({ source: "", records: "", values: [], types: null });
  });
});
