import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, cleanup, renderHook } from "@testing-library/react";
import type { ReactNode } from "react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { api } from "../api";
import type { TemplateInfo } from "../api";
import { useDraft } from "./hooks/useDraft";
import type { Document } from "../document/types";

const document = (name: string) => ({ name, records: "tree", columns: [] }) as unknown as Document;
const template = (name: string, revision: number) =>
  ({ id: 5, revision, document: document(name) }) as unknown as TemplateInfo;

/** What the server answers to the next draft: its revision, or a status and what goes with it. */
type Said = { revision: number } | { status: number; revision?: number };
let said: Said;
let sent: { name: string; revision: string }[];

beforeEach(() => {
  vi.useFakeTimers();
  sent = [];
  vi.spyOn(api, "PUT").mockImplementation(((_: string, asked: never) => {
    const { body, params } = asked as { body: Document; params: { header: { "If-Match": string } } };
    sent.push({ name: body.name, revision: params.header["If-Match"] });
    if (!("status" in said))
      return Promise.resolve({ data: template(body.name, said.revision), response: new Response() });
    if (said.status === 0) return Promise.reject(new TypeError("network"));
    const problem = { detail: "No.", status: said.status, revision: said.revision };
    return Promise.resolve({ error: problem, response: new Response(null, { status: said.status }) });
  }) as never);
});

afterEach(() => {
  cleanup();
  vi.useRealTimers();
  vi.restoreAllMocks();
});

function bench() {
  const client = new QueryClient();
  const wrapper = ({ children }: { children: ReactNode }) => (
    <QueryClientProvider client={client}>{children}</QueryClientProvider>
  );
  const loaded = template("A", 1);
  const onTemplate = vi.fn();
  const hook = renderHook(({ name }) => useDraft(loaded, document(name), onTemplate), {
    wrapper,
    initialProps: { name: "A" },
  });
  return {
    type: (name: string) => hook.rerender({ name }),
    /** Time goes by in steps, since effects take place between them. */
    pass: async (milliseconds: number) => {
      for (let n = 0; n < milliseconds; n += 100) await act(() => vi.advanceTimersByTimeAsync(100));
    },
    state: () => hook.result.current.keeping.state,
    draft: () => hook.result.current,
    leave: () => hook.unmount(),
  };
}

describe("a draft", () => {
  it("is sent after a moment of quiet, once for all that was typed", async () => {
    said = { revision: 2 };
    const { type, pass, state } = bench();
    type("AB");
    await pass(300);
    type("ABC");
    await pass(300);
    expect([sent, state()]).toEqual([[], "sending"]);
    await pass(300);
    expect([sent, state()]).toEqual([[{ name: "ABC", revision: '"1"' }], "kept"]);
    type("ABCD");
    await pass(600);
    expect(sent[1]).toEqual({ name: "ABCD", revision: '"2"' });
  });

  it("is tried again while the server is away, and is kept when it is back", async () => {
    said = { status: 0 };
    const { type, pass, state } = bench();
    type("B");
    await pass(600);
    expect(state()).toBe("away");
    await pass(3_100);
    expect([sent.length, state()]).toEqual([2, "away"]);
    said = { revision: 2 };
    await pass(3_100);
    expect([sent.length, state()]).toEqual([3, "kept"]);
  });

  it("waits for whoever has to sign in again", async () => {
    said = { status: 401 };
    const { type, pass, state } = bench();
    type("B");
    await pass(600);
    said = { revision: 2 };
    await pass(3_100);
    expect(state()).toBe("kept");
  });

  it("that is refused is not sent again before it is another", async () => {
    said = { status: 422 };
    const { type, pass, state } = bench();
    type("B");
    await pass(20_000);
    expect([sent.length, state()]).toEqual([1, "refused"]);
    said = { revision: 2 };
    type("C");
    await pass(600);
    expect([sent.length, state()]).toEqual([2, "kept"]);
  });

  it("that somebody overtook is sent over theirs only when that is wanted", async () => {
    said = { status: 412, revision: 7 };
    const { type, pass, state, draft } = bench();
    type("B");
    await pass(20_000);
    expect([sent.length, state()]).toEqual([1, "overtaken"]);
    said = { revision: 8 };
    await act(() => draft().overwrite());
    expect([sent[1], state()]).toEqual([{ name: "B", revision: '"7"' }, "kept"]);
  });

  it("gives way to somebody else’s where that is wanted", async () => {
    said = { status: 412, revision: 7 };
    const { type, pass, state, draft, leave } = bench();
    type("B");
    await pass(600);
    vi.spyOn(api, "GET").mockResolvedValue({
      data: template("Theirs", 7),
      response: new Response(),
    } as never);
    await act(() => draft().adopt());
    type("Theirs");
    await pass(20_000);
    leave();
    expect([sent.length, state()]).toEqual([1, "kept"]);
  });

  it("is sent when the bench is left within the moment of quiet", () => {
    said = { revision: 2 };
    const { type, leave } = bench();
    type("B");
    leave();
    expect(sent).toEqual([{ name: "B", revision: '"1"' }]);
  });

  it("is sent when the bench is left while an earlier one is on its way, once that is there", async () => {
    let arrive = () => {};
    const { type, pass, leave } = bench();
    vi.spyOn(api, "PUT").mockImplementationOnce(((_: string, asked: never) => {
      sent.push({ name: (asked as { body: Document }).body.name, revision: '"1"' });
      return new Promise((resolve) => {
        arrive = () => resolve({ data: template("B", 2), response: new Response() } as never);
      });
    }) as never);
    said = { revision: 3 };
    type("B");
    await pass(600);
    type("C");
    leave();
    expect(sent.length).toBe(1);
    arrive();
    await pass(100);
    expect(sent).toEqual([
      { name: "B", revision: '"1"' },
      { name: "C", revision: '"2"' },
    ]);
  });

  it("whose answer never came is sent again as it was, before what was typed since", async () => {
    const { type, pass } = bench();
    said = { status: 0 };
    type("B");
    await pass(600);
    type("C");
    await pass(200);
    said = { revision: 2 };
    await pass(3_000);
    expect(sent).toEqual([
      { name: "B", revision: '"1"' },
      { name: "B", revision: '"1"' },
      { name: "C", revision: '"2"' },
    ]);
  });
});
