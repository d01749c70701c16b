import { infiniteQueryOptions, queryOptions, useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { answer, api } from "../../api";
import { useDebounced } from "../../shared";
import { useAsked } from "../tried";
import type { Asked } from "../tried";
import type { Document } from "../types";

/** Rows of the first look, and of each further page. */
const FIRST = 60;
const PAGE = 250;

/** Milliseconds of quiet before the sheet and before the tally are asked for. */
const SHEET_QUIET = 80;
const TALLY_QUIET = 350;

const BENCH = crypto.randomUUID();

/** How often this page counted: of two counts that are under way, the server goes on with the later turn. */
let turns = 0;

/**
 * The sentence and the rows of the document, page by page, while it is worked on. Where the source cannot give the first
 * rows at once, it is any rows until they come.
 */
export function useLook(document: Document, templateId: number, only?: string[][]) {
  const asked = useAsked(templateId);
  const settled = useDebounced(document, SHEET_QUIET);
  const soon = useInfiniteQuery(pages(settled, asked, only, true));
  const waits = soon.data?.pages[0]?.in_order === false && !soon.isPlaceholderData;
  const first = useInfiniteQuery({ ...pages(settled, asked, only, false), enabled: waits });
  const inAnyOrder = waits && !first.data;
  const { data, fetchNextPage, isFetchingNextPage } = waits && first.data ? first : soon;
  return { data, fetchNextPage, isFetchingNextPage, inAnyOrder, error: first.error ?? soon.error };
}

function pages(settled: Document, asked: Asked, only: string[][] | undefined, hurry: boolean) {
  const { elsewhere, template_id, params } = asked;
  return infiniteQueryOptions({
    queryKey: ["look", settled, only, elsewhere, hurry],
    queryFn: ({ pageParam, signal }) =>
      answer(
        api.POST("/api/v1/design/look", {
          body: {
            document: settled,
            limit: pageParam ? PAGE : FIRST,
            offset: pageParam,
            bench: "",
            keys: true,
            template_id,
            only,
            hurry,
          },
          params,
          signal,
        }),
      ),
    initialPageParam: 0,
    getNextPageParam: (last, pages) =>
      last.more && last.in_order ? pages.reduce((n, p) => n + p.rows.length, 0) : undefined,
    // Rows of one source never stand for those of another.
    placeholderData: (known, query) => (hurry && query?.queryKey[3] === elsewhere ? known : undefined),
    staleTime: 30_000,
    gcTime: 60_000,
  });
}

/**
 * The tally of the document. What does not change the count does not count again. Where counting takes a while, it is
 * what the source expects until it is counted.
 */
export function useTally(document: Document, templateId: number) {
  const asked = useAsked(templateId);
  const { records, rows, asks, filter, at_most, only, zone } = document;
  const narrowed = JSON.stringify(filter ?? {});
  // Columns count only where the filter speaks of them; of the others, the records they lead to.
  const all = only === "new_or_changed" || /"(column|formula)":/.test(narrowed);
  const columns = all ? document.columns : leadingColumns(document.columns);
  const counted = useDebounced(
    JSON.stringify({ records, rows, asks, columns, filter, at_most, only, zone }),
    TALLY_QUIET,
  );
  const soon = useQuery(countOf(counted, asked, true));
  const waits = soon.data?.about === true && !soon.isPlaceholderData;
  const exact = useQuery({ ...countOf(counted, asked, false), enabled: waits });
  const { data, isPlaceholderData } = waits && exact.data ? exact : soon;
  return {
    data,
    isPlaceholderData,
    isFetching: soon.isFetching || exact.isFetching,
    error: exact.error ?? soon.error,
  };
}

function countOf(counted: string, asked: Asked, hurry: boolean) {
  const { elsewhere, template_id, params } = asked;
  return queryOptions({
    queryKey: ["tally", counted, elsewhere, hurry],
    queryFn: ({ signal }) =>
      answer(
        api.POST("/api/v1/design/tally", {
          body: {
            document: { format: "bouquet-template/1", name: "tally", ...JSON.parse(counted) },
            limit: 1,
            offset: 0,
            bench: BENCH,
            turn: ++turns,
            keys: false,
            template_id,
            hurry,
          },
          params,
          signal,
        }),
      ),
    placeholderData: (known, query) => (hurry && query?.queryKey[2] === elsewhere ? known : undefined),
    staleTime: 60_000,
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
