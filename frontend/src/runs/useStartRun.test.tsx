import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, cleanup, renderHook } from "@testing-library/react";
import type { ReactNode } from "react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { api } from "../api";
import { useStartRun } from "./useStartRun";
import type { StartRun } from "./useStartRun";

afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

/** The keys under which runs were asked for one after the other, the server being reached or not. */
async function keysOf(...asked: [StartRun, boolean][]): Promise<string[]> {
  const keys: string[] = [];
  let reached = true;
  vi.spyOn(api, "POST").mockImplementation(((_: string, sent: never) => {
    keys.push((sent as { params: { header: Record<string, string> } }).params.header["Idempotency-Key"]!);
    return reached
      ? Promise.resolve({ data: {}, response: new Response() })
      : Promise.reject(new TypeError());
  }) as never);
  const wrapper = ({ children }: { children: ReactNode }) => (
    <QueryClientProvider client={new QueryClient()}>{children}</QueryClientProvider>
  );
  const hook = renderHook(() => useStartRun(), { wrapper });
  for (const [body, is] of asked) {
    reached = is;
    await act(() => hook.result.current.mutateAsync(body).catch(() => undefined));
  }
  return keys;
}

const QUAY: StartRun = { template_id: 1, use: "saved", answers: { ward: "Quay" } };
const SALTER: StartRun = { template_id: 1, use: "saved", answers: { ward: "Salter" } };

describe("a run that is asked for", () => {
  it("has the same key while it is not known whether it was heard", async () => {
    const [first, again] = await keysOf([QUAY, false], [QUAY, true]);
    expect(again).toBe(first);
  });

  it("has another key when it is another, since the first may have been heard", async () => {
    const [first, other] = await keysOf([QUAY, false], [SALTER, true]);
    expect(other).not.toBe(first);
  });

  it("has another key when it is wanted once more", async () => {
    const [first, second] = await keysOf([QUAY, true], [QUAY, true]);
    expect(second).not.toBe(first);
  });
});
