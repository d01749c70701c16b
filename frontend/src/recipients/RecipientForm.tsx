import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form, Modal } from "react-bootstrap";
import { answer, api } from "../api";
import type { NewRecipient, RecipientInfo } from "../api";
import { Trouble, useVocabulary } from "../shared";
import { LayoutEditor } from "./LayoutEditor";
import { SentBy } from "./SentBy";
import { MoreWays, WayFields } from "./WayFields";
import type { Acceptance } from "./acceptance";
import { withForm } from "./acceptance";
import { filled } from "./schema";
import { tr } from "../i18n";

interface Props {
  /** Who is changed; somebody new where there is nobody. */
  recipient?: RecipientInfo;
  onDone: (made: RecipientInfo) => void;
  onClose: () => void;
}

/** What somebody needs, written down once. */
export function RecipientForm({ recipient, onDone, onClose }: Props) {
  const client = useQueryClient();
  const [draft, setDraft] = useState<NewRecipient>(() => ({
    name: recipient?.name ?? "",
    about: recipient?.about ?? "",
    means_id: recipient?.means_id ?? 0,
    address: recipient?.address ?? {},
    more_ways: recipient?.more_ways.map(({ means_id, address }) => ({ means_id, address })) ?? [],
    acceptance: recipient?.acceptance ?? {},
    ...(recipient?.shares === false
      ? {}
      : { for_all: recipient?.for_all ?? true, shared_with: recipient?.shared_with ?? [] }),
  }));
  const change = (part: Partial<NewRecipient>) => setDraft((known) => ({ ...known, ...part }));
  const acceptance = draft.acceptance ?? {};
  const accept = (part: Partial<Acceptance>) => change({ acceptance: withForm(acceptance, part) });
  const save = useMutation({
    mutationFn: () => {
      const more_ways = draft.more_ways?.map((w) => ({ ...w, address: filled(w.address ?? {}) }));
      const body = { ...draft, address: filled(draft.address ?? {}), more_ways };
      return recipient
        ? answer(
            api.PUT("/api/v1/recipients/{recipient_id}", {
              params: { path: { recipient_id: recipient.id } },
              body,
            }),
          )
        : answer(api.POST("/api/v1/recipients", { body }));
    },
    onSuccess: (made) => {
      void client.invalidateQueries({ queryKey: ["recipients"] });
      onDone(made);
    },
  });
  return (
    <Modal show onHide={onClose} size="xl" aria-labelledby="recipient-form">
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          save.mutate();
        }}
      >
        <Modal.Header closeButton>
          <Modal.Title id="recipient-form">
            {recipient ? tr("Change {{recipient}}", { recipient: recipient.name }) : tr("New recipient")}
          </Modal.Title>
        </Modal.Header>
        <Modal.Body className="recipient-form">
          <div className="d-grid gap-2 align-content-start">
            <Form.Group controlId="recipient-name">
              <Form.Label>{tr("Name")}</Form.Label>
              <Form.Control
                required
                maxLength={80}
                value={draft.name}
                onChange={(e) => change({ name: e.target.value })}
              />
            </Form.Group>
            <Form.Group controlId="recipient-about">
              <Form.Label>{tr("Who or what that is")}</Form.Label>
              <Form.Control
                maxLength={2000}
                value={draft.about}
                onChange={(e) => change({ about: e.target.value })}
              />
            </Form.Group>
            <WayFields
              id="recipient"
              label={tr("It goes by")}
              way={{ means_id: draft.means_id, address: draft.address }}
              onChange={change}
            />
            <MoreWays ways={draft.more_ways ?? []} onChange={(more_ways) => change({ more_ways })} />
            <Form.Check
              id="recipient-personal"
              label={tr("May receive personal data as it is")}
              checked={acceptance.personal ?? false}
              onChange={(e) => accept({ personal: e.target.checked })}
            />
            <PersonalClasses acceptance={acceptance} onChange={(classes) => accept({ classes })} />
            {recipient?.shares !== false && <SentBy draft={draft} onChange={change} />}
            <Facts facts={acceptance.facts ?? {}} onChange={(facts) => accept({ facts })} />
          </div>
          <LayoutEditor acceptance={acceptance} onChange={accept} />
        </Modal.Body>
        <Modal.Footer>
          <Trouble error={save.error} />
          <Button variant="quiet" onClick={onClose}>
            {tr("Cancel")}
          </Button>
          <Button type="submit" disabled={!draft.name.trim() || !draft.means_id || save.isPending}>
            {recipient ? tr("Save") : tr("Add")}
          </Button>
        </Modal.Footer>
      </Form>
    </Modal>
  );
}

interface ClassesProps {
  acceptance: Acceptance;
  onChange: (classes: Acceptance["classes"]) => void;
}

/** How they get each class of personal data, where that is not as the rule says. */
function PersonalClasses({ acceptance, onChange }: ClassesProps) {
  const classes = useVocabulary().data?.personal ?? [];
  const given: Record<string, string> = { ...acceptance.classes };
  const said = Object.keys(given).length;
  const [open, setOpen] = useState(said > 0);
  if (!open)
    return (
      <Button variant="link" className="p-0 text-start" onClick={() => setOpen(true)}>
        {tr("but some of it otherwise…")}
      </Button>
    );
  return (
    <div className="treatments">
      {classes.map((c) => (
        <div key={c.name} className="contents">
          <label htmlFor={`given-${c.name}`} title={c.meaning}>
            {c.title.toLowerCase()}
          </label>
          <Form.Select
            id={`given-${c.name}`}
            size="sm"
            value={given[c.name] ?? ""}
            onChange={(e) => {
              const next = { ...given };
              if (e.target.value) next[c.name] = e.target.value;
              else delete next[c.name];
              onChange(next as Acceptance["classes"]);
            }}
          >
            <option value="">{tr("as said above")}</option>
            <option value="seen">{tr("as it is")}</option>
            <option value="masked">{tr("masked: {{masked}}", { masked: c.masked })}</option>
            <option value="pseudonym">{tr("as a pseudonym")}</option>
            <option value="hidden">{tr("without the column")}</option>
          </Form.Select>
        </div>
      ))}
    </div>
  );
}

/** Facts as `name = value`, one a line. */
function Facts({
  facts,
  onChange,
}: {
  facts: Record<string, string>;
  onChange: (f: Record<string, string>) => void;
}) {
  const [text, setText] = useState(() =>
    Object.entries(facts)
      .map(([name, value]) => `${name} = ${value}`)
      .join("\n"),
  );
  return (
    <Form.Group controlId="recipient-facts">
      <Form.Label>{tr("Facts, one a line")}</Form.Label>
      <Form.Control
        as="textarea"
        rows={2}
        className="mono"
        placeholder={tr("code = HTC")}
        value={text}
        onChange={(e) => {
          setText(e.target.value);
          const pairs = e.target.value
            .split("\n")
            .map((line) => line.split("="))
            .filter((parts) => parts.length > 1 && parts[0]!.trim() && parts.slice(1).join("=").trim())
            .map((parts) => [parts[0]!.trim(), parts.slice(1).join("=").trim()]);
          onChange(Object.fromEntries(pairs) as Record<string, string>);
        }}
      />
      <Form.Text>{tr("By a fact, each can get the part of a split file that has its value.")}</Form.Text>
    </Form.Group>
  );
}
