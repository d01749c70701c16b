import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Dropdown, Form } from "react-bootstrap";
import { Link } from "react-router";
import { answer, api, resources } from "../api";
import type { DeliveryInfo } from "../api";
import { useMay } from "../shell";
import { FormDialog, Icon, Trouble, fullMoment, plural, shortMoment } from "../shared";
import { STATES } from "./states";
import { tr } from "../i18n";

interface Props {
  /** Whose deliveries: a recipient's, a run's, or a round's. */
  recipient?: number;
  run?: number;
  round?: number;
}

/** What became of deliveries, and what can be done about each. */
export function Deliveries({ recipient, run, round }: Props) {
  const found = useQuery({
    queryKey: ["deliveries", { recipient, run, round }],
    queryFn: () => answer(api.GET("/api/v1/deliveries", { params: { query: { recipient, run, round } } })),
    refetchInterval: ({ state }) => {
      const deliveries = state.data?.deliveries ?? [];
      if (deliveries.some((d) => d.next_at !== null || d.state === "sending")) return 2_000;
      return deliveries.some((d) => d.state === "offered") ? 5_000 : 30_000;
    },
  });
  if (found.data?.deliveries.length === 0) {
    return run === undefined ? <p className="soft m-0">{tr("Nothing was sent yet.")}</p> : null;
  }
  return (
    <section aria-label={tr("Deliveries")}>
      {run !== undefined && <h2>{tr("Deliveries")}</h2>}
      <Trouble error={found.error} />
      <ul className="deliveries">
        {found.data?.deliveries.map((d) => (
          <DeliveryLine key={d.id} delivery={d} named={recipient === undefined} />
        ))}
      </ul>
    </section>
  );
}

function DeliveryLine({ delivery: d, named }: { delivery: DeliveryInfo; named: boolean }) {
  const state = STATES[d.state];
  const mayDesign = useMay("design");
  return (
    <li>
      <div className="d-flex gap-2 align-items-center">
        <span className={`tag ${state.look}`}>{state.words}</span>
        {named ? (
          <Link to={`/recipients/${d.recipient_id}`} className="fw-semibold one-line">
            {d.recipient}
          </Link>
        ) : (
          <Link to={`/runs/${d.run_id}`} className="fw-semibold one-line">
            {d.run}
          </Link>
        )}
        <span className="fill" />
        {mayDesign && <Acts delivery={d} />}
      </div>
      <div className="d-flex gap-2">
        <span className="soft small">{shortMoment(d.arrived_at ?? d.tried_at ?? d.entered_at)}</span>
        <span className="soft small">{d.means}</span>
        {d.tries > 1 && <span className="soft small">{tr("try {{tries}}", { tries: d.tries })}</span>}
      </div>
      {d.why && <div className="small">{d.why}</div>}
      {d.state === "trying" && d.next_at && (
        <div className="soft small">
          {tr("tried again at {{next_at}}", { next_at: fullMoment(d.next_at) })}
        </div>
      )}
      {d.state === "offered" && mayDesign && d.may_send && <TheLink delivery={d.id} />}
      <details className="small soft">
        <summary>
          {d.files.length === 1 ? d.files[0] : tr("{{files}} files", { files: d.files.length })}
          {d.files.length > 0 && `, ${plural(d.rows ?? 0, "row")}`}, {d.where}
        </summary>
        <ol className="delivery-events">
          {d.events.map((event, n) => (
            <li key={n}>
              <span className="mono">{fullMoment(event.at)}</span>{" "}
              {STATES[event.state as DeliveryInfo["state"]]?.words ?? event.state}
              {event.by && tr(", by {{by}}", { by: event.by })}
              {event.says && `: ${event.says}`}
            </li>
          ))}
        </ol>
      </details>
    </li>
  );
}

/** The address of a link, to be passed on. */
function TheLink({ delivery }: { delivery: number }) {
  const [shown, setShown] = useState(false);
  const link = useQuery({
    queryKey: ["deliveries", delivery, "link"],
    queryFn: () =>
      answer(
        api.GET("/api/v1/deliveries/{delivery_id}/link", { params: { path: { delivery_id: delivery } } }),
      ),
    enabled: shown,
  });
  if (!shown) {
    return (
      <Button variant="quiet" size="sm" onClick={() => setShown(true)}>
        <Icon name="link" /> {tr("Show the link")}
      </Button>
    );
  }
  return (
    <>
      <Trouble error={link.error} />
      {link.data && (
        <div className="small">
          <input
            className="form-control form-control-sm mono"
            readOnly
            aria-label={tr("The link")}
            value={link.data.address}
            onFocus={(e) => e.target.select()}
          />
          <span className="soft">
            {tr("holds until {{expires_at}}", { expires_at: fullMoment(link.data.expires_at) })}
            {link.data.passphrase && tr(", asks for the passphrase")}
          </span>
        </div>
      )}
    </>
  );
}

type Act = "now" | "again" | "waive" | "withdraw";

function Acts({ delivery: d }: { delivery: DeliveryInfo }) {
  const client = useQueryClient();
  const [asking, setAsking] = useState<"waive" | "withdraw" | "elsewhere" | null>(null);
  const act = useMutation({
    mutationFn: (body: { act: Act; reason: string; recipient_id?: number }) =>
      answer(api.POST("/api/v1/deliveries/{delivery_id}", { params: { path: { delivery_id: d.id } }, body })),
    onSuccess: () => {
      setAsking(null);
      void client.invalidateQueries({ queryKey: ["deliveries"] });
      void client.invalidateQueries({ queryKey: ["recipients"] });
    },
  });
  const waits = d.state === "waiting" || d.state === "trying";
  const over = ["arrived", "failed", "waived", "withdrawn"].includes(d.state);
  const canTakeBack =
    d.state !== "withdrawn" && d.state !== "sending" && (d.state !== "arrived" || d.withdraws);
  return (
    <>
      <Dropdown align="end">
        <Dropdown.Toggle
          variant="quiet"
          size="sm"
          aria-label={tr("What to do about this delivery to {{recipient}}", { recipient: d.recipient })}
        >
          …
        </Dropdown.Toggle>
        <Dropdown.Menu>
          {waits && d.may_send && (
            <Dropdown.Item as="button" onClick={() => act.mutate({ act: "now", reason: "" })}>
              {tr("Send it now")}
            </Dropdown.Item>
          )}
          {over && d.may_send && (
            <Dropdown.Item as="button" onClick={() => act.mutate({ act: "again", reason: "" })}>
              {tr("Send it again")}
            </Dropdown.Item>
          )}
          <Dropdown.Item as="button" onClick={() => setAsking("elsewhere")}>
            {tr("Send it to somebody else…")}
          </Dropdown.Item>
          {(waits || d.state === "failed" || d.state === "offered") && (
            <Dropdown.Item as="button" onClick={() => setAsking("waive")}>
              {tr("Do without it…")}
            </Dropdown.Item>
          )}
          {canTakeBack && (
            <Dropdown.Item as="button" onClick={() => setAsking("withdraw")}>
              {tr("Take it back…")}
            </Dropdown.Item>
          )}
        </Dropdown.Menu>
      </Dropdown>
      {act.error && !asking && <Trouble error={act.error} />}
      {(asking === "waive" || asking === "withdraw") && (
        <Reason
          act={asking}
          to={d.recipient}
          busy={act.isPending}
          error={act.error}
          onAct={(reason) => act.mutate({ act: asking, reason })}
          onClose={() => setAsking(null)}
        />
      )}
      {asking === "elsewhere" && (
        <Elsewhere
          but={d.recipient_id}
          busy={act.isPending}
          error={act.error}
          onAct={(recipient_id) => act.mutate({ act: "again", reason: "", recipient_id })}
          onClose={() => setAsking(null)}
        />
      )}
    </>
  );
}

interface ReasonProps {
  act: "waive" | "withdraw";
  to: string;
  busy: boolean;
  error: unknown;
  onAct: (reason: string) => void;
  onClose: () => void;
}

function Reason({ act, to, onAct, ...rest }: ReasonProps) {
  const [reason, setReason] = useState("");
  const waive = act === "waive";
  return (
    <FormDialog
      title={
        waive ? tr("Do without the delivery to {{to}}?", { to }) : tr("Take it back from {{to}}?", { to })
      }
      act={waive ? tr("Do without it") : tr("Take it back")}
      ready={reason.trim() !== ""}
      onAct={() => onAct(reason.trim())}
      {...rest}
    >
      <Form.Group controlId="delivery-reason">
        <Form.Label>{tr("Why? It stands in the ledger, with your name.")}</Form.Label>
        <Form.Control autoFocus maxLength={500} value={reason} onChange={(e) => setReason(e.target.value)} />
      </Form.Group>
    </FormDialog>
  );
}

interface ElsewhereProps {
  but: number;
  busy: boolean;
  error: unknown;
  onAct: (recipient: number) => void;
  onClose: () => void;
}

function Elsewhere({ but, onAct, ...rest }: ElsewhereProps) {
  const [to, setTo] = useState(0);
  const recipients = useQuery(resources.recipients());
  return (
    <FormDialog
      title={tr("Send it to somebody else")}
      act={tr("Send it")}
      ready={to > 0}
      onAct={() => onAct(to)}
      {...rest}
    >
      <Form.Group controlId="delivery-elsewhere">
        <Form.Label>{tr("To")}</Form.Label>
        <Form.Select value={to} onChange={(e) => setTo(Number(e.target.value))}>
          <option value={0}>{tr("choose a recipient")}</option>
          {recipients.data
            ?.filter((r) => r.id !== but && r.may_send)
            .map((r) => (
              <option key={r.id} value={r.id}>
                {r.name}
              </option>
            ))}
        </Form.Select>
      </Form.Group>
    </FormDialog>
  );
}
