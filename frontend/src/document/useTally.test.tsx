import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, cleanup, renderHook } from "@testing-library/react";
import type { ReactNode } from "react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { api, isAskedAgain } from "../api";
import { useTally } from "./hooks/useLook";
import type { Document } from "./types";

type Said = { rows: number; about: boolean } | { status: number };
let answers: Said[];
let hurries: boolean[];
let turns: number[];

beforeEach(() => {
  vi.useFakeTimers();
  hurries = [];
  turns = [];
  vi.spyOn(api, "POST").mockImplementation(((_: string, asked: never) => {
    const { body } = asked as { body: { hurry: boolean; turn: number } };
    hurries.push(body.hurry);
    turns.push(body.turn);
    const said = answers.shift();
    if (!said) return new Promise(() => undefined);
    if ("status" in said)
      return Promise.resolve({
        error: { detail: "Not now." },
        response: new Response(null, { status: said.status }),
      });
    return Promise.resolve({ data: { about: said.about, steps: [said] }, response: new Response() });
  }) as never);
});

afterEach(() => {
  cleanup();
  vi.useRealTimers();
  vi.restoreAllMocks();
});

const document = (more: object = {}) =>
  ({
    name: "T",
    records: "tree",
    columns: [{ id: "a", heading: "A", value: { field: "tag" } }],
    filter: { all: [] },
    ...more,
  }) as unknown as Document;

/** The tally as it is told after some seconds. */
function tallied(first: Document = document()) {
  const client = new QueryClient({ defaultOptions: { queries: { retry: isAskedAgain } } });
  const wrapper = ({ children }: { children: ReactNode }) => (
    <QueryClientProvider client={client}>{children}</QueryClientProvider>
  );
  const hook = renderHook(({ seen }) => useTally(seen, 1), { wrapper, initialProps: { seen: first } });
  return {
    see: (seen: Document) => hook.rerender({ seen }),
    pass: async (seconds: number) => {
      for (let n = 0; n < seconds * 10; n++) await act(() => vi.advanceTimersByTimeAsync(100));
    },
    now: () => hook.result.current,
  };
}

describe("a tally", () => {
  it("is told as it is expected first where counting takes a while, and then as it was counted", async () => {
    answers = [{ rows: 1000, about: true }];
    const { pass, now } = tallied();
    await pass(1);
    expect([hurries, now().data?.about]).toEqual([[true, false], true]);
    // Requests may overtake each other: each says its turn.
    expect(turns[1]).toBeGreaterThan(turns[0]!);
    cleanup();
    answers = [
      { rows: 1000, about: true },
      { rows: 987, about: false },
    ];
    const whole = tallied();
    await whole.pass(1);
    expect([whole.now().data?.about, whole.now().data?.steps[0]?.rows]).toEqual([false, 987]);
  });

  it("is asked again when the server had too much to do, as it says", async () => {
    answers = [{ status: 503 }, { rows: 5, about: false }];
    const { pass, now } = tallied();
    await pass(3);
    expect([hurries.length, now().data?.steps[0]?.rows, now().error]).toEqual([2, 5, null]);
  });

  it("is not asked again when it took too long, or gave way to a newer one", async () => {
    for (const status of [504, 409]) {
      answers = [{ status }];
      hurries = [];
      const { pass, now } = tallied();
      await pass(10);
      expect([hurries.length, now().error !== null]).toEqual([1, true]);
      cleanup();
    }
  });

  it("is not counted again for a heading or a column of the record’s own", async () => {
    answers = [{ rows: 5, about: false }];
    const { see, pass } = tallied();
    await pass(1);
    see(document({ columns: [{ id: "a", heading: "Tree", value: { field: "tag" } }] }));
    await pass(1);
    see(document({ columns: [{ id: "b", heading: "B", value: { field: "girth" } }] }));
    await pass(1);
    expect(hurries.length).toBe(1);
    see(document({ columns: [{ id: "c", heading: "C", value: { field: "site.name" } }] }));
    await pass(1);
    expect(hurries.length).toBe(2);
  });
});
