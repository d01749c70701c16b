import { useInfiniteQuery, useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { answer, api } from "../api";
import type { JournalEntry } from "../api";
import { Icon, Trouble, count, fullMoment, plural, useDebounced } from "../shared";

/** Who did what, the newest first; narrowed, exported, and held against its seals. */
export function Journal() {
  const [text, setText] = useState("");
  const [since, setSince] = useState("");
  const search = useDebounced(text, 250);
  const query = {
    ...(search ? { search } : {}),
    ...(since ? { since: new Date(`${since}T00:00:00`).toISOString() } : {}),
  };
  const pages = useInfiniteQuery({
    queryKey: ["journal", query],
    queryFn: ({ pageParam }) =>
      answer(
        api.GET("/api/v1/journal", {
          params: { query: { ...query, ...(pageParam ? { before: pageParam } : {}) } },
        }),
      ),
    initialPageParam: 0,
    getNextPageParam: (page) => page.next ?? undefined,
    staleTime: 0,
  });
  const entries = pages.data?.pages.flatMap((page) => page.entries) ?? [];
  const address = `/api/v1/journal/export?${new URLSearchParams(query as Record<string, string>)}`;
  return (
    <>
      <div className="d-flex gap-3 align-items-center mb-2 flex-wrap">
        <div className="search mb-0" style={{ width: 300 }}>
          <Icon name="search" />
          <input
            aria-label="Search the journal"
            placeholder="Who, what, or the name of a thing"
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
        </div>
        <label className="soft small d-flex gap-2 align-items-center">
          since
          <Form.Control size="sm" type="date" value={since} onChange={(e) => setSince(e.target.value)} />
        </label>
        <span className="ms-auto" />
        <Seals />
        <a className="btn btn-quiet" href={address} download>
          <Icon name="download" /> Export as CSV
        </a>
      </div>
      <Trouble error={pages.error} />
      {pages.isSuccess && entries.length === 0 && (
        <div className="nothing slab">Nothing like that was done.</div>
      )}
      {entries.length > 0 && (
        <table className="board">
          <thead>
            <tr>
              <th>When</th>
              <th>Who</th>
              <th>What</th>
              <th>Which</th>
              <th>More</th>
            </tr>
          </thead>
          <tbody>
            {entries.map((entry) => (
              <Line key={entry.id} entry={entry} />
            ))}
          </tbody>
        </table>
      )}
      {pages.hasNextPage && (
        <Button variant="quiet" className="mt-2" onClick={() => void pages.fetchNextPage()}>
          Show older ones
        </Button>
      )}
    </>
  );
}

function Line({ entry }: { entry: JournalEntry }) {
  return (
    <tr>
      <td className="text-nowrap">{fullMoment(entry.at)}</td>
      <td>
        {entry.who}
        <div className="soft small">
          {entry.via === "page" ? "" : `by ${entry.via} `}
          {entry.address && `from ${entry.address}`}
        </div>
      </td>
      <td>{entry.act}</td>
      <td>
        {(entry.name !== entry.who && entry.name) || (entry.thing_id && `${entry.thing} ${entry.thing_id}`)}
        {entry.name && entry.name !== entry.who && entry.thing && (
          <div className="soft small">
            {entry.thing} {entry.thing_id}
          </div>
        )}
      </td>
      <td className="soft small">
        {Object.entries(entry.facts).map(([name, value]) => (
          <div key={name}>
            {name.replaceAll("_", " ")}: {typeof value === "string" ? value : JSON.stringify(value)}
          </div>
        ))}
      </td>
    </tr>
  );
}

/** Whether the journal is as it was written. */
function Seals() {
  const verify = useMutation({ mutationFn: () => answer(api.GET("/api/v1/journal/verify")) });
  const found = verify.data;
  return (
    <>
      {found && found.wrong.length === 0 && (
        <span className="tag ready" title={`Newest seal: ${found.digest}`}>
          <Icon name="check" /> {plural(found.entries, "entry", "entries")} as they were written
          {found.retired > 0 && `, ${count(found.retired)} older ones let go by the house’s rule`}
        </span>
      )}
      {found && found.wrong.length > 0 && (
        <span className="tag failed" title={found.wrong.join("; ")}>
          <Icon name="exclamation" /> {found.wrong[0]}
        </span>
      )}
      <Trouble error={verify.error} />
      <Button variant="quiet" disabled={verify.isPending} onClick={() => verify.mutate()}>
        Check the seals
      </Button>
    </>
  );
}
