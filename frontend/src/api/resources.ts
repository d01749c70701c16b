import { queryOptions } from "@tanstack/react-query";
import { answer, api } from "./client";
import type { Session } from "./client";

/** Milliseconds that the fields of a record type are not asked for again; who changes them has them read anew. */
const OF_FIELDS = 300_000;

/** Days of occurrences ahead that rounds are asked with. */
export const DAYS_AHEAD = 14;

/** How each resource that several places show is asked for, and kept: once, so that what one of them knows all know. */
export const resources = {
  bundles: () => queryOptions({ queryKey: ["bundles"], queryFn: () => answer(api.GET("/api/v1/bundles")) }),
  means: () => queryOptions({ queryKey: ["means"], queryFn: () => answer(api.GET("/api/v1/means")) }),
  picks: (records: string) =>
    queryOptions({
      queryKey: ["picks", records],
      queryFn: () => answer(api.GET("/api/v1/picks", { params: { query: { records } } })),
    }),
  postRoom: () =>
    queryOptions({ queryKey: ["post-room"], queryFn: () => answer(api.GET("/api/v1/post-room")) }),
  purposes: () =>
    queryOptions({ queryKey: ["purposes"], queryFn: () => answer(api.GET("/api/v1/purposes")) }),
  recipients: () =>
    queryOptions({ queryKey: ["recipients"], queryFn: () => answer(api.GET("/api/v1/recipients")) }),
  // Of the source that the tab is about, where none is given.
  recordType: (name: string, source?: string) =>
    queryOptions({
      queryKey: ["record-type", name, source],
      queryFn: () =>
        answer(api.GET("/api/v1/record-types/{name}", { params: { path: { name }, query: { source } } })),
      staleTime: OF_FIELDS,
      enabled: name !== "",
    }),
  recordTypes: (source?: string) =>
    queryOptions({
      queryKey: ["record-types", source],
      queryFn: () => answer(api.GET("/api/v1/record-types", { params: { query: { source } } })),
    }),
  rounds: () =>
    queryOptions({
      queryKey: ["rounds"],
      queryFn: () => answer(api.GET("/api/v1/rounds", { params: { query: { ahead: DAYS_AHEAD } } })),
    }),
  session: () =>
    queryOptions({
      queryKey: ["session"],
      queryFn: async ({ client }) => {
        const session = await answer(api.GET("/api/v1/session"));
        const before = client.getQueryData<Session>(["session"]);
        // Somebody else signed in, in another tab: what was read for one is nothing for another.
        if (before && before.person.id !== session.person.id)
          client.removeQueries({ predicate: (query) => query.queryKey[0] !== "session" });
        return session;
      },
      staleTime: 60_000,
    }),
  templates: () =>
    queryOptions({ queryKey: ["templates"], queryFn: () => answer(api.GET("/api/v1/templates")) }),
  ways: () => queryOptions({ queryKey: ["ways"], queryFn: () => answer(api.GET("/api/v1/means/ways")) }),
  waysIn: () =>
    queryOptions({
      queryKey: ["session", "ways"],
      queryFn: () => answer(api.GET("/api/v1/session/ways")),
      staleTime: Infinity,
    }),
};
