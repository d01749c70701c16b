import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, cleanup, renderHook } from "@testing-library/react";
import type { ReactNode } from "react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { useNews } from "./useNews";

/** Streams as a browser has them; each is opened, answered and broken off by hand. */
class Stream extends EventTarget {
  static readonly CLOSED = 2;
  static all: Stream[] = [];
  readyState = 0;

  constructor() {
    super();
    Stream.all.push(this);
  }

  tell(name: string, data: unknown): void {
    this.dispatchEvent(new MessageEvent(name, { data: JSON.stringify(data) }));
  }

  open(): void {
    this.readyState = 1;
    this.dispatchEvent(new Event("open"));
  }

  /** The browser gives up where the server answered with an error, and tries again by itself where nothing answered. */
  fail(refused: boolean): void {
    this.readyState = refused ? Stream.CLOSED : 0;
    this.dispatchEvent(new Event("error"));
  }

  close(): void {
    this.readyState = Stream.CLOSED;
  }
}

beforeEach(() => {
  vi.useFakeTimers();
  Stream.all = [];
  vi.stubGlobal("EventSource", Stream);
});

afterEach(() => {
  cleanup();
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

function listening() {
  const client = new QueryClient();
  client.setQueryData(["run", 7], { id: 7, status: "running", slip: { rows: 5 } });
  const wrapper = ({ children }: { children: ReactNode }) => (
    <QueryClientProvider client={client}>{children}</QueryClientProvider>
  );
  const hook = renderHook(() => useNews(), { wrapper });
  return { client, news: () => hook.result.current, leave: () => hook.unmount() };
}

describe("news", () => {
  it("bring runs further wherever they are shown, with what was known of them", () => {
    const { client, news } = listening();
    act(() => Stream.all[0]!.tell("run", { id: 7, status: "ready", slip: null }));
    act(() => Stream.all[0]!.tell("notice", { unread: 3 }));
    expect([news().runs[7]?.status, news().unread]).toEqual(["ready", 3]);
    expect(client.getQueryData(["run", 7])).toEqual({ id: 7, status: "ready", slip: { rows: 5 } });
  });

  it("have what follows from the end of a run looked at anew, and not from what ended before", () => {
    const { client } = listening();
    const anew = vi.spyOn(client, "invalidateQueries");
    const keys = () => anew.mock.calls.map(([filters]) => filters!.queryKey![0]);
    act(() => Stream.all[0]!.tell("run", { id: 5, status: "ready" }));
    expect(keys()).toEqual(["run"]);
    act(() => Stream.all[0]!.tell("notice", { unread: 0 }));
    anew.mockClear();
    act(() => Stream.all[0]!.tell("run", { id: 7, status: "ready" }));
    act(() => Stream.all[0]!.tell("run", { id: 7, status: "ready", rows_written: 9 }));
    act(() => Stream.all[0]!.tell("run", { id: 8, status: "failed" }));
    const ended = ["templates", "deliveries", "rounds"];
    expect(keys()).toEqual(["run", ...ended, "run", "run", ...ended]);
  });

  it("are listened to again when a server that starts refused them, at longer and longer intervals", () => {
    listening();
    const opened = () => Stream.all.length;
    for (const wait of [3_000, 6_000, 12_000, 24_000, 48_000, 60_000, 60_000]) {
      const before = opened();
      Stream.all.at(-1)!.fail(true);
      vi.advanceTimersByTime(wait - 1);
      expect(opened()).toBe(before);
      vi.advanceTimersByTime(1);
      expect(opened()).toBe(before + 1);
    }
    Stream.all.at(-1)!.open();
    Stream.all.at(-1)!.fail(true);
    vi.advanceTimersByTime(3_000);
    expect(opened()).toBe(9);
  });

  it("are left to the browser while it tries again by itself", () => {
    listening();
    Stream.all[0]!.fail(false);
    vi.advanceTimersByTime(600_000);
    expect(Stream.all.length).toBe(1);
  });

  it("end with the page, also while they wait to be listened to again", () => {
    const { leave } = listening();
    Stream.all[0]!.fail(true);
    leave();
    vi.advanceTimersByTime(600_000);
    expect(Stream.all.length).toBe(1);
    expect(Stream.all[0]!.readyState).toBe(Stream.CLOSED);
  });
});
