import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, cleanup, renderHook } from "@testing-library/react";
import type { ReactNode } from "react";
import { MemoryRouter, useLocation, useNavigate } from "react-router";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { currentSource, recordsAt, turnTo } from "../api";
import type { Session } from "../api";
import { useAddressedSource } from "./useAddressedSource";

const client = new QueryClient();
const sources = [
  { key: "", title: "Practice yard", environment: "practice" },
  { key: "Quay yard", title: "Quay yard", environment: "live" },
] as Session["sources"];

beforeEach(() => turnTo(client, ""));
afterEach(cleanup);

function opened(address: string) {
  const wrapper = ({ children }: { children: ReactNode }) => (
    <QueryClientProvider client={client}>
      <MemoryRouter initialEntries={[address]}>{children}</MemoryRouter>
    </QueryClientProvider>
  );
  const { result } = renderHook(
    () => {
      const there = useAddressedSource(sources);
      const { pathname, search } = useLocation();
      return { there, at: pathname + search, go: useNavigate() };
    },
    { wrapper },
  );
  return result;
}

describe("an address of what is of one source", () => {
  it("turns the tab to the source that it names, and to the first where it names none", () => {
    expect(opened("/records/tree/5?source=Quay+yard").current.there).toBe(true);
    expect(currentSource()).toBe("Quay yard");
    cleanup();

    expect(opened("/records/tree/5").current.there).toBe(true);
    expect(currentSource()).toBe("");
  });

  it("leaves the source alone where it is none of those, and says so", () => {
    turnTo(client, "Quay yard");

    expect(opened("/records/tree/5?source=Jetty").current.there).toBe(false);
    expect(currentSource()).toBe("Quay yard");
  });

  it("comes to name the source of a tab that goes on to it, and names it where it is a link", () => {
    turnTo(client, "Quay yard");
    const page = opened("/templates");
    act(() => void page.current.go("/records/tree?view=3"));

    expect(page.current).toMatchObject({ there: true, at: "/records/tree?view=3&source=Quay+yard" });
    expect(recordsAt("tree", ["a/b", "7"])).toBe("/records/tree/a%2Fb/7?source=Quay+yard");
  });

  it("takes the tab back to the source that it was of", () => {
    const page = opened("/records/tree");
    act(() => void page.current.go("/records/tree?source=Quay+yard"));
    expect(currentSource()).toBe("Quay yard");
    act(() => void page.current.go(-1));

    expect([page.current.at, currentSource()]).toEqual(["/records/tree", ""]);
  });
});
