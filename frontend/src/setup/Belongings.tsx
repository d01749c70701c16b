import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form, Modal } from "react-bootstrap";
import { answer, api } from "../api";
import type { Account, Belonging, HandedOver } from "../api";
import { FormDialog, Trouble, plural } from "../shared";
import { tr } from "../i18n";

const KINDS: [Belonging["kind"], (n: number) => string][] = [
  ["template", (n) => plural(n, "template")],
  ["bundle", (n) => plural(n, "bundle")],
  ["recipient", (n) => plural(n, "recipient")],
  ["round", (n) => plural(n, "round")],
  ["list", (n) => plural(n, "list")],
  ["view", (n) => plural(n, "view")],
];

const NAMES: Record<Belonging["kind"], string> = {
  template: tr("template"),
  bundle: tr("bundle"),
  recipient: tr("recipient"),
  round: tr("round"),
  list: tr("list"),
  view: tr("view"),
};

interface Props {
  person: Account;
  people: Account[];
  onClose: () => void;
}

/** What belongs to somebody, and to whom it is handed over. */
export function Belongings({ person, people, onClose }: Props) {
  const client = useQueryClient();
  const [to, setTo] = useState("");
  const path = { params: { path: { person_id: person.id } } };
  const owned = useQuery({
    queryKey: ["people", person.id, "belongings"],
    queryFn: () => answer(api.GET("/api/v1/people/{person_id}/belongings", path)),
    staleTime: 0,
  });
  const hand = useMutation({
    mutationFn: () =>
      answer(api.POST("/api/v1/people/{person_id}/hand-over", { ...path, body: { to: Number(to) } })),
    onSuccess: () => void client.invalidateQueries(),
  });
  const others = people.filter((p) => p.id !== person.id && p.disabled_at === null);
  const things = owned.data ?? [];
  if (hand.data) {
    const taker = others.find((p) => p.id === Number(to))?.name ?? "";
    return <Handed done={hand.data} giver={person.name} taker={taker} onClose={onClose} />;
  }
  return (
    <FormDialog
      title={tr("What belongs to {{person}}", { person: person.name })}
      act={tr("Hand over")}
      ready={to !== "" && things.length > 0}
      busy={hand.isPending}
      error={hand.error}
      onAct={() => hand.mutate()}
      onClose={onClose}
    >
      <Trouble error={owned.error} />
      {owned.data && things.length === 0 && (
        <p className="m-0">{tr("Nothing: they made no template, round, list or view.")}</p>
      )}
      {KINDS.map(([kind, counted]) => {
        const some = things.filter((b) => b.kind === kind);
        return (
          some.length > 0 && (
            <div key={kind}>
              <b>{counted(some.length)}</b>{" "}
              <span className="soft">
                {some
                  .slice(0, 8)
                  .map((b) => b.name)
                  .join(", ")}
                {some.length > 8 && tr(", and {{some}} more", { some: some.length - 8 })}
              </span>
            </div>
          )
        );
      })}
      {things.length > 0 && (
        <Form.Group controlId="hand-to">
          <Form.Label>{tr("Hand it all over to")}</Form.Label>
          <Form.Select value={to} onChange={(e) => setTo(e.target.value)}>
            <option value="">{tr("choose somebody")}</option>
            {others.map((p) => (
              <option key={p.id} value={p.id}>
                {p.name}
              </option>
            ))}
          </Form.Select>
          <Form.Text>
            {tr("Rounds run with their rights from then on. What they may not have stays, and is named.")}
          </Form.Text>
        </Form.Group>
      )}
    </FormDialog>
  );
}

/** What was handed over, and what stays, by why. */
function Handed(props: { done: HandedOver; giver: string; taker: string; onClose: () => void }) {
  const { handed, stays } = props.done;
  const whys = [...new Set(stays.map((b) => b.why))];
  const title =
    handed.length === 0
      ? tr("Nothing could be handed over to {{taker}}", { taker: props.taker })
      : tr("{{taker}} has {{handed}} of {{giver}} now", {
          taker: props.taker,
          handed: plural(handed.length, "thing"),
          giver: props.giver,
        });
  return (
    <Modal show scrollable onHide={props.onClose} aria-labelledby="handed-over">
      <Modal.Header closeButton>
        <Modal.Title id="handed-over">{title}</Modal.Title>
      </Modal.Header>
      <Modal.Body className="d-grid gap-2">
        {stays.length === 0 && <p className="m-0">{tr("Nothing of theirs is left.")}</p>}
        {whys.map((why) => (
          <div key={why}>
            <b>{why}</b>
            <div className="soft">
              {tr("Stays: {{stays}}", {
                stays: stays
                  .filter((b) => b.why === why)
                  .map((b) => tr("{{kind}} “{{name}}”", { kind: NAMES[b.kind], name: b.name }))
                  .join(", "),
              })}
            </div>
          </div>
        ))}
      </Modal.Body>
      <Modal.Footer>
        <Button onClick={props.onClose}>{tr("Done")}</Button>
      </Modal.Footer>
    </Modal>
  );
}
