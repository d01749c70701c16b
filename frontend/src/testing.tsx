import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render } from "@testing-library/react";
import type { ReactNode } from "react";
import { MemoryRouter } from "react-router";
import { vi } from "vitest";
import { api } from "./api";
import type { Run, Session } from "./api";
import { ShellContext } from "./shell/context";

type Method = "GET" | "POST" | "PUT" | "PATCH" | "DELETE";

/** Answers of the server by their addresses; what nothing is given for is never answered. */
export function answering(method: Method, answers: Record<string, unknown>) {
  return vi
    .spyOn(api, method)
    .mockImplementation(((path: string) =>
      path in answers
        ? Promise.resolve({ data: answers[path], response: new Response() })
        : new Promise(() => undefined)) as never);
}

interface WithinProps {
  person: Partial<Session["person"]>;
  /** What was told of runs since. */
  told?: Record<number, Run>;
  children: ReactNode;
}

/** Within the shell, as somebody who is signed in: of them, what a test is about. */
export function Within({ person, told = {}, children }: WithinProps) {
  const session = { person, sources: [], preferences: {} } as unknown as Session;
  return <ShellContext value={{ session, news: { runs: told, unread: 0 } }}>{children}</ShellContext>;
}

/** A component in a place of its own, with a cache of its own. */
export function shown(children: ReactNode, at = "/") {
  return render(
    <MemoryRouter initialEntries={[at]}>
      <QueryClientProvider client={new QueryClient({ defaultOptions: { queries: { retry: false } } })}>
        {children}
      </QueryClientProvider>
    </MemoryRouter>,
  );
}
