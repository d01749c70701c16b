import { useQuery } from "@tanstack/react-query";
import { answer, api } from "../../api";
import { useDebounced } from "../../shared";
import { useAsked } from "../../document/tried";
import type { Document } from "../../document/types";

/** Milliseconds of quiet before the rows that checks object to are counted. */
const QUIET = 500;

const BENCH = crypto.randomUUID();

/** How often this page counted them. */
let turns = 0;

/** How many rows each check of the document objects to, as they are now. */
export function useChecks(document: Document, templateId: number) {
  const settled = useDebounced(document, QUIET);
  const { elsewhere, template_id, params } = useAsked(templateId);
  return useQuery({
    queryKey: ["checks", settled, elsewhere],
    enabled: (settled.checks ?? []).length > 0,
    queryFn: ({ signal }) =>
      answer(
        api.POST("/api/v1/design/checks", {
          body: {
            document: settled,
            limit: 1,
            offset: 0,
            bench: BENCH,
            turn: ++turns,
            keys: false,
            template_id,
          },
          params,
          signal,
        }),
      ),
    placeholderData: (known, query) => (query?.queryKey[2] === elsewhere ? known : undefined),
    staleTime: 60_000,
  });
}
