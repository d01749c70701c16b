import { useInfiniteQuery, useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { answer, api } from "../api";
import type { JournalEntry } from "../api";
import { Icon, Trouble, count, fullMoment, plural, useDebounced } from "../shared";
import { tr } from "../i18n";

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
            aria-label={tr("Search the journal")}
            placeholder={tr("Who, what, or the name of a thing")}
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
        </div>
        <label className="soft small d-flex gap-2 align-items-center">
          {tr("since")}
          <Form.Control size="sm" type="date" value={since} onChange={(e) => setSince(e.target.value)} />
        </label>
        <span className="ms-auto" />
        <Seals />
        <a className="btn btn-quiet" href={address} download>
          <Icon name="download" /> {tr("Export as CSV")}
        </a>
      </div>
      <Trouble error={pages.error} />
      {pages.isSuccess && entries.length === 0 && (
        <div className="nothing slab">{tr("Nothing like that was done.")}</div>
      )}
      {entries.length > 0 && (
        <table className="board">
          <thead>
            <tr>
              <th>{tr("When")}</th>
              <th>{tr("Who")}</th>
              <th>{tr("What")}</th>
              <th>{tr("Which")}</th>
              <th>{tr("More")}</th>
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
          {tr("Show older ones")}
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
          {entry.via === "page" ? "" : tr("by {{via}} ", { via: entry.via })}
          {entry.address && tr("from {{address}}", { address: entry.address })}
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
        <span className="tag ready" title={tr("Newest seal: {{digest}}", { digest: found.digest })}>
          <Icon name="check" />{" "}
          {tr("{{entries}} as they were written", { entries: plural(found.entries, "entry", "entries") })}
          {found.retired > 0 &&
            tr(", {{retired}} older ones let go by the house’s rule", { retired: count(found.retired) })}
        </span>
      )}
      {found && found.wrong.length > 0 && (
        <span className="tag failed" title={found.wrong.join("; ")}>
          <Icon name="exclamation" /> {found.wrong[0]}
        </span>
      )}
      <Trouble error={verify.error} />
      <Button variant="quiet" disabled={verify.isPending} onClick={() => verify.mutate()}>
        {tr("Check the seals")}
      </Button>
    </>
  );
}
