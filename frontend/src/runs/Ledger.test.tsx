import { act, cleanup } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Run } from "../api";
import { Within, answering, shown } from "../testing";
import { Ledger } from "./Ledger";

beforeEach(() => void vi.useFakeTimers({ shouldAdvanceTime: true }));
afterEach(() => {
  cleanup();
  vi.useRealTimers();
  vi.restoreAllMocks();
});

const NONE = { arrived: 0, under_way: 0, failed: 0, given_up: 0 };

describe("the ledger", () => {
  it("follows what a run sends that was released since the page was fetched", async () => {
    const held = {
      id: 7,
      status: "held",
      via: "round",
      files: [],
      delivered_to: [],
      asked_at: "2026-11-02T08:00:00Z",
      asked_by: "",
    };
    const ready = { ...held, status: "ready", finished_at: new Date().toISOString() } as unknown as Run;
    const get = answering("GET", {
      "/api/v1/runs": { runs: [held], next: null },
      "/api/v1/runs/totals": { runs: 1, ...NONE },
    });
    const asked = () => get.mock.calls.filter((call: unknown[]) => call[0] === "/api/v1/runs").length;
    shown(
      <Within person={{ may: [] }} told={{ 7: ready }}>
        <Ledger />
      </Within>,
    );
    await act(() => vi.advanceTimersByTimeAsync(1_000));
    expect(asked()).toBe(1);
    await act(() => vi.advanceTimersByTimeAsync(5_000));
    expect(asked()).toBe(2);
  });
});
