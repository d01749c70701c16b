import type { QueryClient } from "@tanstack/react-query";
import { useQueryClient } from "@tanstack/react-query";
import { useLayoutEffect, useSyncExternalStore } from "react";

/** The built-in source: Bouquet's own runs. */
export const LEDGER = "ledger";

const KEPT = "bouquet-source";

let current = sessionStorage.getItem(KEPT) ?? "";
const listeners = new Set<() => void>();

/** The key of the source that this tab is about; empty for the house's first. */
export function currentSource(): string {
  return current;
}

/** The same, for a component that shows it. */
export function useSource(): string {
  return useSyncExternalStore((heard) => {
    listeners.add(heard);
    return () => listeners.delete(heard);
  }, currentSource);
}

/** What is the same whatever the source. */
const OF_NO_SOURCE = [
  "session",
  "first-start",
  "sources",
  "templates",
  "template",
  "runs",
  "rounds",
  "removed",
  "vocabulary",
];

/** Turn to another source: what was read of the last one is read anew. */
export function turnTo(client: QueryClient, key: string): void {
  if (key === current) return;
  current = key;
  sessionStorage.setItem(KEPT, key);
  for (const heard of listeners) heard();
  void client.resetQueries({ predicate: (query) => !OF_NO_SOURCE.includes(String(query.queryKey[0])) });
}

/** Be about the source that a template or a run reads, as long as it is looked at. */
export function useSourceOf(key: string | undefined): void {
  const client = useQueryClient();
  useLayoutEffect(() => {
    if (key !== undefined) turnTo(client, key);
  }, [client, key]);
}

/** Where records of a type are looked at, or one of them by its key; `more` goes along. It names the tab's source. */
export function recordsAt(
  name: string,
  key: (string | null)[] = [],
  more: Record<string, string> = {},
): string {
  const path = ["/records", name, ...key.map((part) => encodeURIComponent(part ?? ""))].join("/");
  const asked = new URLSearchParams(current ? { ...more, source: current } : more).toString();
  return asked ? `${path}?${asked}` : path;
}

/** An address with the source it is about. */
export function aboutSource(address: string): string {
  const url = new URL(address, window.location.origin);
  if (current && !url.searchParams.has("source")) url.searchParams.set("source", current);
  return url.toString();
}
