import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link, useParams } from "react-router";
import { answer, api } from "../../api";
import type { Schemas } from "../../api";
import { Confirm, FormDialog, Trouble, plural, shortMoment } from "../../shared";
import type { Document } from "../types";
import { Help } from "../../guide";
import { tr } from "../../i18n";

type Only = NonNullable<Document["only"]>;

export const CHOICES: Record<Only, string> = {
  everything: tr("everything, each time"),
  new: tr("only what was not sent before"),
  new_or_changed: tr("what is new, and what changed since it was sent"),
};

interface Props {
  document: Document;
  onChange: (only: Only | undefined) => void;
}

/** Which records a run holds: everything, or only what earlier ones did not; and what they did. */
export function OnlyEditor({ document, onChange }: Props) {
  const id = Number(useParams().id);
  const only = document.only ?? "everything";
  return (
    <fieldset className="mt-2">
      <legend className="form-label">
        {tr("Each run holds")} <Help topic="only-what-is-new#what-is-remembered" />
      </legend>
      {(Object.keys(CHOICES) as Only[]).map((choice) => (
        <Form.Check
          key={choice}
          type="radio"
          name="only"
          id={`only-${choice}`}
          label={CHOICES[choice]}
          checked={choice === only}
          onChange={() => onChange(choice === "everything" ? undefined : choice)}
        />
      ))}
      {only !== "everything" && <Memory template={id} />}
    </fieldset>
  );
}

interface MemoryProps {
  template: number;
  round?: number;
  /** Of a round, what one of its recipients was sent; what went otherwise, if none is given. */
  recipient?: number;
}

/** What a template has sent, by hand or by one of its rounds; looked at, and sent again. */
export function Memory({ template: id, round = 0, recipient = 0 }: MemoryProps) {
  const client = useQueryClient();
  const [act, setAct] = useState<"all" | "back" | "mark" | null>(null);
  const whose = { round_id: round, recipient_id: recipient };
  const path = { params: { path: { template_id: id }, query: whose } };
  const memory = useQuery({
    queryKey: ["memory", id, round, recipient],
    queryFn: () => answer(api.GET("/api/v1/templates/{template_id}/memory", path)),
    staleTime: 0,
  });
  const look = useMutation({
    mutationFn: (text: string) =>
      answer(
        api.POST("/api/v1/templates/{template_id}/memory/look", { ...path, body: { key: [text.trim()] } }),
      ),
  });
  const forget = useMutation({
    mutationFn: (keys: string[][] | null) =>
      answer(api.POST("/api/v1/templates/{template_id}/memory/forget", { ...path, body: { keys } })),
    onSuccess: () => renew(),
  });
  const renew = () => {
    setAct(null);
    look.reset();
    for (const name of ["memory", "tally", "look"]) void client.invalidateQueries({ queryKey: [name] });
  };
  const back = useMutation({
    mutationFn: (since: string) =>
      answer(api.POST("/api/v1/templates/{template_id}/memory/forget", { ...path, body: { since } })),
    onSuccess: renew,
  });
  const mark = useMutation({
    mutationFn: (keys: string[][]) =>
      answer(api.POST("/api/v1/templates/{template_id}/memory/mark", { ...path, body: { keys } })),
    onSuccess: renew,
  });
  const undo = useMutation({
    mutationFn: (change: number) =>
      answer(
        api.POST("/api/v1/templates/{template_id}/memory/undo/{change_id}", {
          params: { path: { template_id: id, change_id: change }, query: whose },
        }),
      ),
    onSuccess: renew,
  });
  const known = memory.data;
  const found = look.data;
  return (
    <div className="memory">
      <Trouble error={memory.error ?? look.error ?? forget.error ?? undo.error} />
      {known && (
        <p className="mb-1">
          {known.records === 0
            ? tr("Nothing was sent yet: the next run holds everything.")
            : tr("{{records}} sent, last {{last_sent}}.", {
                records: plural(known.records, "record"),
                last_sent: shortMoment(known.last_sent!),
              })}
        </p>
      )}
      {(known?.changes ?? []).map((change) => (
        <p key={change.id} className="mb-1">
          {tr("{{records}} {{kind}} by {{who}}, {{at}}.", {
            records: plural(change.records, "record"),
            kind: change.kind === "forgotten" ? tr("to be sent again") : tr("marked as sent"),
            who: change.who,
            at: shortMoment(change.at),
          })}{" "}
          <Button size="sm" variant="quiet" disabled={undo.isPending} onClick={() => undo.mutate(change.id)}>
            {tr("Undo")}
          </Button>
        </p>
      ))}
      {known !== undefined && known.records > 0 && (
        <>
          <WasItSent
            found={found}
            onLook={(text) => look.mutate(text)}
            onOther={look.reset}
            onForget={(text) => forget.mutate([[text]])}
          />
          <div className="d-flex gap-2 mt-2">
            <Button size="sm" variant="quiet" onClick={() => setAct("back")}>
              {tr("Go back to a day…")}
            </Button>
            <Button size="sm" variant="quiet" onClick={() => setAct("all")}>
              {tr("Forget all…")}
            </Button>
          </div>
        </>
      )}
      {known !== undefined && (
        <Button size="sm" variant="quiet" className="mt-2" onClick={() => setAct("mark")}>
          {tr("Mark as sent…")}
        </Button>
      )}
      {act === "back" && (
        <GoBack
          busy={back.isPending}
          error={back.error}
          onAct={(since) => back.mutate(since)}
          onClose={() => setAct(null)}
        />
      )}
      {act === "mark" && (
        <MarkSent
          busy={mark.isPending}
          error={mark.error}
          onAct={(keys) => mark.mutate(keys)}
          onClose={() => setAct(null)}
        />
      )}
      {act === "all" && known && (
        <Confirm
          title={tr("Forget what was sent?")}
          act={tr("Forget {{records}}", { records: plural(known.records, "record") })}
          busy={forget.isPending}
          error={forget.error}
          onAct={() => forget.mutate(null)}
          onClose={() => setAct(null)}
        >
          {tr("The next run holds all of them again.")}
        </Confirm>
      )}
    </div>
  );
}

interface SentProps {
  found: Schemas["MemoryFound"] | undefined;
  onLook: (key: string) => void;
  /** Another key is typed. */
  onOther: () => void;
  onForget: (key: string) => void;
}

/** Whether one record was sent, and in which run; and having it sent again. */
function WasItSent({ found, onLook, onOther, onForget }: SentProps) {
  const [key, setKey] = useState("");
  return (
    <>
      <div className="d-flex gap-2">
        <Form.Control
          size="sm"
          aria-label={tr("Key of a record")}
          placeholder={tr("key of a record")}
          value={key}
          onChange={(e) => {
            setKey(e.target.value);
            onOther();
          }}
        />
        <Button size="sm" variant="quiet" disabled={!key.trim()} onClick={() => onLook(key)}>
          {tr("Was it sent?")}
        </Button>
      </div>
      {found &&
        (found.sent_at ? (
          <div className="d-flex gap-2 align-items-center mt-1">
            <span>
              {tr("Sent {{sent_at}}", { sent_at: shortMoment(found.sent_at) })}
              {found.run_id !== null && (
                <>
                  {" "}
                  {tr("in")}{" "}
                  <Link to={`/runs/${found.run_id}`}>{tr("run {{run_id}}", { run_id: found.run_id })}</Link>
                </>
              )}
            </span>
            <Button size="sm" variant="quiet" onClick={() => onForget(key.trim())}>
              {tr("Send it again")}
            </Button>
          </div>
        ) : (
          <p className="mb-0 mt-1">{tr("It was not sent.")}</p>
        ))}
    </>
  );
}

interface ActProps<T> {
  busy: boolean;
  error: unknown;
  onAct: (given: T) => void;
  onClose: () => void;
}

/** What was sent since a day is sent again. */
function GoBack({ busy, error, onAct, onClose }: ActProps<string>) {
  const [day, setDay] = useState("");
  return (
    <FormDialog
      title={tr("Go back to a day")}
      act={tr("Send again what was sent since")}
      ready={day !== ""}
      busy={busy}
      error={error}
      onClose={onClose}
      onAct={() => onAct(new Date(`${day}T00:00:00`).toISOString())}
    >
      <Form.Group controlId="memory-day">
        <Form.Label>{tr("What was sent on this day or later counts as not sent")}</Form.Label>
        <Form.Control type="date" value={day} onChange={(e) => setDay(e.target.value)} />
      </Form.Group>
    </FormDialog>
  );
}

/** Records that somebody has already, and that are not to be sent. */
function MarkSent({ busy, error, onAct, onClose }: ActProps<string[][]>) {
  const [text, setText] = useState("");
  const keys = text
    .split("\n")
    .map((line) => line.split("\t").map((part) => part.trim()))
    .filter((key) => key.some(Boolean));
  return (
    <FormDialog
      title={tr("Mark as sent")}
      act={tr("Mark {{records}}", { records: plural(keys.length, "record") })}
      ready={keys.length > 0}
      busy={busy}
      error={error}
      onClose={onClose}
      onAct={() => onAct(keys)}
    >
      <Form.Group controlId="memory-keys">
        <Form.Label>{tr("Keys of records that were sent by other means")}</Form.Label>
        <Form.Control as="textarea" rows={6} value={text} onChange={(e) => setText(e.target.value)} />
        <Form.Text>{tr("One a line; a pasted column will do. They are not new any more.")}</Form.Text>
      </Form.Group>
    </FormDialog>
  );
}
