import { keepPreviousData, useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { answer, api } from "../../api";
import { useDebounced } from "../../shared";
import type { Document } from "../types";

/** Rows of the first look, and of each further page. */
const FIRST = 60;
const PAGE = 250;

/** Milliseconds of quiet before the sheet and before the tally are asked for. */
const SHEET_QUIET = 80;
const TALLY_QUIET = 350;

const BENCH = crypto.randomUUID();

/** The sentence and the rows of the document, page by page, while it is worked on. */
export function useLook(document: Document, templateId: number, only?: string[][]) {
  const settled = useDebounced(document, SHEET_QUIET);
  return useInfiniteQuery({
    queryKey: ["look", settled, only],
    queryFn: ({ pageParam, signal }) =>
      answer(
        api.POST("/api/v1/design/look", {
          body: {
            document: asBody(settled),
            limit: pageParam ? PAGE : FIRST,
            offset: pageParam,
            bench: "",
            keys: true,
            template_id: templateId,
            only,
          },
          signal,
        }),
      ),
    initialPageParam: 0,
    getNextPageParam: (last, pages) => (last.more ? pages.reduce((n, p) => n + p.rows.length, 0) : undefined),
    placeholderData: keepPreviousData,
    staleTime: 30_000,
    gcTime: 60_000,
  });
}

/** The tally of the document. What does not change the count does not count again. */
export function useTally(document: Document, templateId: number) {
  const { records, rows, asks, filter, at_most, only, zone } = document;
  const narrowed = JSON.stringify(filter ?? {});
  // Columns count only where the filter speaks of them; of the others, the records they lead to.
  const all = only === "new_or_changed" || /"(column|formula)":/.test(narrowed);
  const columns = all ? document.columns : leadingColumns(document.columns);
  const counted = useDebounced(
    JSON.stringify({ records, rows, asks, columns, filter, at_most, only, zone }),
    TALLY_QUIET,
  );
  return useQuery({
    queryKey: ["tally", counted],
    queryFn: ({ signal }) =>
      answer(
        api.POST("/api/v1/design/tally", {
          body: {
            document: { format: "bouquet-template/1", name: "tally", ...JSON.parse(counted) },
            limit: 1,
            offset: 0,
            bench: BENCH,
            keys: false,
            template_id: templateId,
          },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
    staleTime: 60_000,
    retry: false,
  });
}

/**
 * One column for each record that columns lead to: the tally counts where such a record is missing, and nothing else of
 * a column changes what is counted.
 */
export function leadingColumns(columns: Document["columns"]): Document["columns"] {
  const paths = (columns ?? []).flatMap((c) => ("field" in c.value ? [c.value.field] : []));
  const ways = new Map(paths.map((p) => [p.slice(0, Math.max(0, p.lastIndexOf("."))), p]));
  ways.delete("");
  return [...ways.keys()].sort().map((way, n) => {
    return { id: `r${n}`, heading: `r${n}`, value: { field: ways.get(way) ?? "" } };
  });
}

function asBody(document: Document): Record<string, never> {
  return document as unknown as Record<string, never>;
}
