import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answer, api, useSource } from "../api";
import type { CatalogueEdit, CatalogueInfo } from "../api";

/** The catalogue under edit, one record type of it, and the ways to change it. */
export function useCatalogue() {
  const client = useQueryClient();
  const source = useSource();
  const key = ["catalogue", source];
  const catalogue = useQuery({
    queryKey: key,
    queryFn: () => answer(api.GET("/api/v1/catalogue")),
    staleTime: 0,
  });
  const taken = (info: CatalogueInfo) => {
    client.setQueryData(key, info);
    void client.invalidateQueries({ queryKey: [...key, "table"] });
  };
  const edit = useMutation({
    mutationFn: (edits: CatalogueEdit[]) =>
      answer(
        api.PATCH("/api/v1/catalogue/draft", {
          body: { revision: client.getQueryData<CatalogueInfo>(key)?.revision ?? 0, edits },
        }),
      ),
    // Edits go one after the other: each names the revision that the one before made.
    scope: { id: "catalogue" },
    onSuccess: taken,
    onError: () => void client.invalidateQueries({ queryKey: key }),
  });
  const load = useMutation({
    mutationFn: (text: string) =>
      answer(
        api.PUT("/api/v1/catalogue/document", { body: { revision: catalogue.data?.revision ?? 0, text } }),
      ),
    onSuccess: taken,
  });
  const giveUp = useMutation({
    mutationFn: () => answer(api.DELETE("/api/v1/catalogue/draft")),
    onSuccess: () => void client.invalidateQueries({ queryKey: key }),
  });
  return { key, catalogue, edit, load, giveUp };
}

/** One record type as it is being edited. */
export function useTable(table: string | undefined) {
  const source = useSource();
  return useQuery({
    queryKey: ["catalogue", source, "table", table],
    enabled: table !== undefined,
    queryFn: () => answer(api.GET("/api/v1/catalogue/table", { params: { query: { table: table! } } })),
    placeholderData: (before) => (before?.table === table ? before : undefined),
  });
}
