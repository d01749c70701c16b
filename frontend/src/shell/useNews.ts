import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import type { Run } from "../api";

/** What the server has told since the page was opened. */
export interface News {
  /** My newest runs, by number. */
  runs: Record<number, Run>;
  unread: number;
}

/** Milliseconds before a stream that was refused is opened again, at first and at most. */
const AGAIN = 3_000;
const LONGEST = 60_000;

/** What is shown of the end of a run elsewhere than on its page. */
const FOLLOWING = ["templates", "deliveries", "rounds"];

/** Listen to the server's events: my runs as they come further, and how many notices are unread. */
export function useNews(): News {
  const client = useQueryClient();
  const [news, setNews] = useState<News>({ runs: {}, unread: 0 });
  useEffect(() => {
    let source: EventSource;
    let again: ReturnType<typeof setTimeout>;
    let wait = AGAIN;
    // What came to be since the page was opened; what had come before is told first, and then how many are unread.
    const statuses = new Map<number, string>();
    let caughtUp = false;
    const isNew = (run: Run) => {
      const before = statuses.get(run.id) ?? client.getQueryData<Run>(["run", run.id])?.status;
      statuses.set(run.id, run.status);
      return before === undefined ? caughtUp : before !== run.status;
    };
    const open = () => {
      source = new EventSource("/api/v1/events");
      source.addEventListener("open", () => {
        wait = AGAIN;
      });
      // A browser opens again what breaks off, and not what is answered with an error, such as while a server starts.
      source.addEventListener("error", () => {
        if (source.readyState !== EventSource.CLOSED) return;
        // It may be that nobody is signed in any more.
        void client.invalidateQueries({ queryKey: ["session"], exact: true });
        again = setTimeout(open, wait);
        wait = Math.min(2 * wait, LONGEST);
      });
      source.addEventListener("run", (event) => {
        const run = JSON.parse(event.data) as Run;
        setNews((known) => ({ ...known, runs: { ...known.runs, [run.id]: run } }));
        const over = !["asked", "running", "releasing"].includes(run.status);
        const ended = isNew(run) && over;
        client.setQueryData<Run>(["run", run.id], (known) =>
          known ? { ...known, ...run, slip: known.slip } : known,
        );
        if (over) void client.invalidateQueries({ queryKey: ["run", run.id] });
        // What follows from the end of a run: its deliveries, and where templates and rounds tell of their last one.
        for (const key of ended ? FOLLOWING : []) void client.invalidateQueries({ queryKey: [key] });
      });
      source.addEventListener("notice", (event) => {
        const { unread } = JSON.parse(event.data) as { unread: number };
        caughtUp = true;
        setNews((known) => ({ ...known, unread }));
        void client.invalidateQueries({ queryKey: ["notices"] });
        void client.invalidateQueries({ queryKey: ["runs"] });
        void client.invalidateQueries({ queryKey: ["run-totals"] });
      });
    };
    open();
    return () => {
      clearTimeout(again);
      source.close();
    };
  }, [client]);
  return news;
}
