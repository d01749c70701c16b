import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { answer, api } from "../api";
import type { DeliveryInfo, RoundInfo, Run } from "../api";
import { Memory } from "../document/components/Memory";
import { STATES } from "../recipients";
import { STATUS_WORDS } from "../runs";
import { Icon, NothingHere, clock, count, plural, shortMoment } from "../shared";
import "../recipients/recipients.scss";
import { RoundMenu } from "./RoundMenu";
import { otherwise, pausedWords, sentTo } from "./words";
import { tr } from "../i18n";

/** One round: in words, what came of it recipient by recipient, what is next, and what it remembers. */
export function RoundPage() {
  const id = Number(useParams().id);
  const found = useQuery({
    queryKey: ["rounds", id],
    queryFn: () => answer(api.GET("/api/v1/rounds/{round_id}", { params: { path: { round_id: id } } })),
    refetchInterval: 10_000,
  });
  const sent = useQuery({
    queryKey: ["deliveries", { round: id }],
    queryFn: () => answer(api.GET("/api/v1/deliveries", { params: { query: { round: id } } })),
    refetchInterval: 5_000,
  });
  const round = found.data;
  if (!round) return <NothingHere error={found.error} back="/rounds" words={tr("Back to the rounds")} />;
  const deliveries = sent.data?.deliveries ?? [];
  return (
    <>
      <div className="strip">
        <Link to="/rounds" aria-label={tr("All rounds")}>
          <Icon name="chevronLeft" />
        </Link>
        <h1>{round.template}</h1>
        <span className="tag">
          {tr("round {{id}} · for {{mine}}", { id: round.id, mine: round.mine ? tr("you") : round.owner })}
        </span>
        {round.paused && <span className="tag held">{pausedWords(round).replace(" · ", "")}</span>}
        <span className="fill" />
        <a
          className="btn btn-quiet"
          href={`/api/v1/rounds/${round.id}/document`}
          download={`round-${round.id}.json`}
        >
          {tr("As a document")}
        </a>
        {round.kind === "template" && (
          <Link className="btn btn-quiet" to={`/templates/${round.template_id}`}>
            {tr("Open the template")}
          </Link>
        )}
        <RoundMenu round={round} />
      </div>
      <p className="round-sentence">{sentence(round)}</p>
      <main className="body round-page">
        <Occurrences round={round} deliveries={deliveries} />
        <aside className="d-grid gap-3 align-content-start">
          <section className="slab">
            <h2>{tr("Next")}</h2>
            {round.next.length === 0 && <p className="soft m-0">{tr("No moment is planned.")}</p>}
            {round.next.map((at, n) => (
              <div key={at} className="py-1 d-flex gap-2 justify-content-between">
                <span>{shortMoment(at)}</span>
                {round.covers[n] && (
                  <span className="soft small">{tr("covers {{covers}}", { covers: round.covers[n] })}</span>
                )}
              </div>
            ))}
          </section>
          <Memories round={round} />
        </aside>
      </main>
    </>
  );
}

/** What went before, to each recipient, or into the folder and by mail. */
function Memories({ round }: { round: RoundInfo }) {
  const readers = round.recipients
    .filter((r) => r.remembers)
    .map((r) => ({ id: r.recipient_id, name: r.name }));
  if (round.remembers) readers.unshift({ id: 0, name: otherwise(round) });
  return (
    <>
      {readers.map(({ id, name }) => (
        <section key={id} className="slab">
          <h2>{tr("What was sent before{{name}}", { name: name && tr(" to {{name}}", { name }) })}</h2>
          <Memory template={round.template_id} round={round.id} recipient={id} />
        </section>
      ))}
    </>
  );
}

function sentence(round: RoundInfo): string {
  const when = round.words.charAt(0).toUpperCase() + round.words.slice(1);
  const empty = round.when_empty === "skip" ? tr("; nothing is sent when there are no rows") : "";
  const purpose = round.purpose
    ? tr(" Personal data is taken out for: {{purpose}}.", { purpose: round.purpose })
    : "";
  return tr("{{when}} ({{zone}}), send {{template}} to {{round}}{{empty}}.{{purpose}}", {
    when,
    zone: round.zone,
    template: round.template,
    round: sentTo(round) || "nobody",
    empty,
    purpose,
  });
}

function Occurrences({ round, deliveries }: { round: RoundInfo; deliveries: DeliveryInfo[] }) {
  const trying = deliveries.filter((d) => d.state === "trying").length;
  const names = [...new Map(deliveries.map((d) => [d.recipient_id, d.recipient])).entries()];
  return (
    <section className="slab" aria-label={tr("What came of it")}>
      <h2>
        {tr("What came of it")}{" "}
        <span className="soft fw-normal">
          {tr("last {{runs}}", { runs: plural(round.runs.length, "run") })}
          {trying > 0 &&
            tr(" · {{trying}} trying again", { trying: plural(trying, "delivery", "deliveries") })}
        </span>
      </h2>
      {round.runs.length === 0 && <p className="soft m-0">{tr("It has not run yet.")}</p>}
      {round.runs.length > 0 && (
        <div className="occurrences">
          <table className="board plain">
            <thead>
              <tr>
                <th>{tr("Planned for")}</th>
                <th>{tr("Status")}</th>
                <th className="num">{tr("Rows")}</th>
                {names.map(([number, name]) => (
                  <th key={number}>
                    <Link to={`/recipients/${number}`}>{name}</Link>
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {round.runs.map((run) => (
                <Occurrence
                  key={run.id}
                  run={run}
                  recipients={names.map(([number]) => number)}
                  deliveries={deliveries.filter((d) => d.run_id === run.id)}
                />
              ))}
            </tbody>
          </table>
        </div>
      )}
    </section>
  );
}

interface OccurrenceProps {
  run: Run;
  recipients: number[];
  deliveries: DeliveryInfo[];
}

function Occurrence({ run, recipients, deliveries }: OccurrenceProps) {
  const newest = (recipient: number) => deliveries.find((d) => d.recipient_id === recipient);
  return (
    <tr>
      <td className="text-nowrap">
        <b>{shortMoment(run.as_of)}</b>
      </td>
      <td>
        <Link to={`/runs/${run.id}`}>
          <span className={`tag ${run.status}`}>{STATUS_WORDS[run.status]}</span>
        </Link>
      </td>
      <td className="num">{count(run.rows_written)}</td>
      {recipients.map((recipient) => {
        const delivery = newest(recipient);
        return (
          <td key={recipient}>
            {delivery && (
              <span className={`tag ${STATES[delivery.state].look}`} title={delivery.why || delivery.reply}>
                {delivery.arrived_at ? clock(delivery.arrived_at) : STATES[delivery.state].words}
              </span>
            )}
          </td>
        );
      })}
    </tr>
  );
}
