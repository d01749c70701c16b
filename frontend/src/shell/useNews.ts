import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import type { Run, RunPage } from "../api";

/** What the server has told since the page was opened. */
export interface News {
  /** My newest runs, by number. */
  runs: Record<number, Run>;
  unread: number;
}

/** Listen to the server's events: my runs as they come further, and how many notices are unread. */
export function useNews(): News {
  const client = useQueryClient();
  const [news, setNews] = useState<News>({ runs: {}, unread: 0 });
  useEffect(() => {
    const source = new EventSource("/api/v1/events");
    source.addEventListener("run", (event) => {
      const run = JSON.parse(event.data) as Run;
      setNews((known) => ({ ...known, runs: { ...known.runs, [run.id]: run } }));
      const over = !["asked", "running", "releasing"].includes(run.status);
      client.setQueryData<Run>(["run", run.id], (known) =>
        known ? { ...known, ...run, slip: known.slip } : known,
      );
      client.setQueriesData<RunPage>({ queryKey: ["runs"] }, (page) =>
        Array.isArray(page?.runs)
          ? { ...page, runs: page.runs.map((r) => (r.id === run.id ? run : r)) }
          : page,
      );
      if (over) {
        void client.invalidateQueries({ queryKey: ["run", run.id] });
        void client.invalidateQueries({ queryKey: ["templates"] });
      }
    });
    source.addEventListener("notice", (event) => {
      const { unread } = JSON.parse(event.data) as { unread: number };
      setNews((known) => ({ ...known, unread }));
      void client.invalidateQueries({ queryKey: ["notices"] });
      void client.invalidateQueries({ queryKey: ["runs"] });
      void client.invalidateQueries({ queryKey: ["run-totals"] });
    });
    return () => source.close();
  }, [client]);
  return news;
}
