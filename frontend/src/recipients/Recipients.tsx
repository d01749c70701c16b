import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link, useNavigate } from "react-router";
import { resources } from "../api";
import type { RecipientInfo } from "../api";
import { useMayAddress } from "../shell";
import { Icon, SortHead, Trouble, plural, shortMoment } from "../shared";
import type { Sorting } from "../shared";
import { RecipientForm } from "./RecipientForm";
import { STATES, WAY_ICONS, WAY_WORDS } from "./states";
import "./recipients.scss";
import { tr } from "../i18n";

type SortBy = "name" | "way" | "rounds" | "newest";

/** Who receives what, in which form, and what came of the newest delivery. */
export function Recipients() {
  const go = useNavigate();
  const mayChange = useMayAddress();
  const [creating, setCreating] = useState(false);
  const [text, setText] = useState("");
  const [sorting, setSorting] = useState<Sorting<SortBy>>({ by: "name", ascending: true });
  const sorts = { sorting, onSort: setSorting };
  const [looking, setLooking] = useState(false);
  const recipients = useQuery({ ...resources.recipients(), refetchInterval: 15_000 });
  const room = useQuery(resources.postRoom());
  const all = recipients.data ?? [];
  const odd = all.filter(needsALook);
  const words = text.trim().toLowerCase();
  const shown = sorted(
    (looking ? odd : all).filter((r) => !words || holds(r, words)),
    sorting,
  );
  return (
    <>
      <div className="strip">
        <h1>{tr("Recipients")}</h1>
        <span className="soft">
          {all.length}
          {odd.length > 0 &&
            tr(" · {{odd}} to look at", { odd: plural(odd.length, "delivery", "deliveries") })}
        </span>
        <span className="fill" />
        {room.data?.there && (
          <Link className="btn btn-quiet" to="/recipients/post-room">
            <Icon name="mailbox" /> {tr("Post room")}
          </Link>
        )}
        {mayChange && (
          <Button onClick={() => setCreating(true)}>
            <Icon name="plus" /> {tr("New recipient")}
          </Button>
        )}
      </div>
      <main className="body">
        <Trouble error={recipients.error} />
        {recipients.isSuccess && all.length === 0 ? (
          <div className="nothing slab">
            {tr(
              "A recipient is a person or a program that gets files: what they can take and how it reaches them is written down once. Add the first one.",
            )}
          </div>
        ) : (
          <>
            <div className="d-flex gap-2 mb-2 flex-wrap">
              <Form.Control
                type="search"
                className="recipient-search"
                aria-label={tr("Search recipients")}
                placeholder={tr("Name, heading or template")}
                value={text}
                onChange={(e) => setText(e.target.value)}
              />
              <Button variant="quiet" active={looking} onClick={() => setLooking(!looking)}>
                {tr("Needs a look: {{odd}}", { odd: odd.length })}
              </Button>
            </div>
            <table className="board recipients">
              <thead>
                <tr>
                  <SortHead name="name" {...sorts}>
                    {tr("Recipient")}
                  </SortHead>
                  <th>{tr("What they accept")}</th>
                  <SortHead name="way" {...sorts}>
                    {tr("Goes by")}
                  </SortHead>
                  <SortHead name="rounds" down {...sorts}>
                    {tr("Rounds")}
                  </SortHead>
                  <SortHead name="newest" down {...sorts}>
                    {tr("Newest delivery")}
                  </SortHead>
                </tr>
              </thead>
              <tbody>
                {shown.map((r) => (
                  <Line key={r.id} recipient={r} />
                ))}
              </tbody>
            </table>
            {shown.length === 0 && <p className="soft mt-2">{tr("None of that name.")}</p>}
          </>
        )}
      </main>
      {creating && (
        <RecipientForm
          onDone={(made) => void go(`/recipients/${made.id}`)}
          onClose={() => setCreating(false)}
        />
      )}
    </>
  );
}

/** The recipients by one of the headings; those that are equal by their names. */
function sorted(recipients: RecipientInfo[], { by, ascending }: Sorting<SortBy>): RecipientInfo[] {
  const value = (r: RecipientInfo): string | number =>
    ({
      name: r.name.toLowerCase(),
      way: WAY_WORDS[r.kind] ?? r.kind,
      rounds: r.rounds.length,
      newest: r.last_at ?? "",
    })[by];
  const turn = ascending ? 1 : -1;
  return [...recipients].sort((a, b) => {
    const [x, y] = [value(a), value(b)];
    return (x < y ? -1 : x > y ? 1 : 0) * turn || a.name.localeCompare(b.name);
  });
}

function needsALook(recipient: RecipientInfo): boolean {
  return recipient.last_state === "trying" || recipient.last_state === "failed";
}

function holds(recipient: RecipientInfo, words: string): boolean {
  const told = [
    recipient.name,
    recipient.about,
    recipient.sentence,
    ...recipient.rounds,
    ...headings(recipient),
  ];
  return told.some((t) => t.toLowerCase().includes(words));
}

function headings(recipient: RecipientInfo): string[] {
  return ((recipient.acceptance.columns ?? []) as { heading: string }[]).map((c) => c.heading);
}

function Line({ recipient: r }: { recipient: RecipientInfo }) {
  return (
    <tr>
      <td className="name">
        <Link to={`/recipients/${r.id}`}>{r.name}</Link>
        {r.about && <div className="soft small">{r.about}</div>}
        {!r.for_all && <span className="tag">{tr("for some only")}</span>}
      </td>
      <td className="small">{r.takes}</td>
      <td className="small text-nowrap">
        <Icon name={WAY_ICONS[r.kind] ?? "send"} /> {WAY_WORDS[r.kind] ?? r.kind}
      </td>
      <td className="small">{r.rounds.length === 0 ? tr("none") : r.rounds.join(", ")}</td>
      <td>
        {r.last_state ? (
          <>
            <span className={`tag ${STATES[r.last_state].look}`}>{STATES[r.last_state].words}</span>{" "}
            <span className="soft small text-nowrap">{r.last_at && shortMoment(r.last_at)}</span>
          </>
        ) : (
          <span className="soft small">{tr("nothing sent yet")}</span>
        )}
      </td>
    </tr>
  );
}
