import { QueryClient } from "@tanstack/react-query";
import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import { api, turnTo } from "../api";
import type { RightScope } from "../api";
import { shown } from "../testing";
import { RightFields } from "./RightFields";

afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

const TYPES = [
  { name: "ward", plural: "wards" },
  { name: "tree", plural: "trees" },
];

/** The fields, and what lets the list of record types arrive. */
function fields() {
  let arrive: (answer: unknown) => void = () => undefined;
  const types = new Promise((done) => (arrive = done));
  vi.spyOn(api, "GET").mockImplementation(((path: string) =>
    path === "/api/v1/record-types" ? types : new Promise(() => undefined)) as never);
  const onScope = vi.fn<(scope: RightScope | null) => void>();
  shown(<RightFields scope={null} onScope={onScope} />);
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
    const onScope = vi.fn<(scope: RightScope | null) => void>();
    const scope = { source: "", records: "ward", field: "code", values: ["03"] } as unknown as RightScope;
    shown(<RightFields scope={scope} onScope={onScope} />);
    fireEvent.change(screen.getByLabelText("Values, separated by commas"), { target: { value: "03, 07" } });
    turnTo(new QueryClient(), "");

    expect(onScope.mock.lastCall![0]).toMatchObject({ source: "", records: "ward" });
  });
});
