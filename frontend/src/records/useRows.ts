import { keepPreviousData, useInfiniteQuery } from "@tanstack/react-query";
import { useEffect, useMemo } from "react";
import { useSearchParams } from "react-router";
import { answer, api } from "../api";
import type { RecordTypeFields } from "../api";
import type { Document } from "../document/types";
import { onScreen } from "./view";

/** Rows that are read first, and at each further step. */
const FIRST = 60;
const PAGE = 250;

/** The rows of a document page by page, each with its key and its title. */
export function useRows(seen: Document, type: RecordTypeFields) {
  const look = useInfiniteQuery({
    queryKey: ["records", seen],
    queryFn: ({ pageParam, signal }) =>
      answer(
        api.POST("/api/v1/design/look", {
          body: {
            // On screen dates and numbers are as people write them; a file is written for programs.
            document: onScreen(seen, type),
            limit: pageParam ? PAGE : FIRST,
            offset: pageParam,
            bench: "",
            keys: true,
          },
          signal,
        }),
      ),
    initialPageParam: 0,
    getNextPageParam: (last, pages) => (last.more ? pages.reduce((n, p) => n + p.rows.length, 0) : undefined),
    placeholderData: keepPreviousData,
  });
  const pages = look.data?.pages;
  const rows = useMemo(() => pages?.flatMap((p) => p.rows) ?? [], [pages]);
  const keys = useMemo(() => pages?.flatMap((p) => (p.keys ?? []) as string[][]) ?? [], [pages]);
  const titleAt =
    seen.columns?.findIndex((c) => "field" in c.value && c.value.field === type.record_type.title) ?? -1;
  const titleOf = (n: number) => (titleAt < 0 ? null : rows[n]![titleAt]) ?? keys[n]!.join(", ");
  return { look, first: pages?.[0], rows, keys, titleOf };
}

/** Keeps what is seen in the address, so that it can be sent to a colleague. Whether it differs from the start. */
export function useAddress(
  document: Document,
  start: Document,
  wanted: string,
  everywhere: boolean,
): boolean {
  const [, setParams] = useSearchParams();
  const address = JSON.stringify([document.columns, document.filter, document.order]);
  const original = JSON.stringify([start.columns, start.filter, start.order]);
  useEffect(() => {
    setParams(
      (known) => {
        const next = new URLSearchParams(known);
        if (wanted) next.set("q", wanted);
        else next.delete("q");
        if (wanted && everywhere) next.set("in", "all");
        else next.delete("in");
        if (address !== original) next.set("see", address);
        else next.delete("see");
        return next;
      },
      { replace: true },
    );
  }, [address, original, wanted, everywhere, setParams]);
  return address !== original;
}
