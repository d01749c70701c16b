import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { answer, api } from "../api";
import type { Missing, TemplateRow } from "../api";
import { FormDialog, Icon } from "../shared";
import { useShell } from "../shell";
import { tr } from "../i18n";

const nameOf = (m: Missing) => (m.name ? `${m.records}.${m.name}` : m.records);

/** Have a template read another source; what is missing there is replaced, one by one, by the nearest or another. */
export function MoveDialog({ template, onClose }: { template: TemplateRow; onClose: () => void }) {
  const client = useQueryClient();
  const { session } = useShell();
  const others = session.sources.filter((s) => s.key !== template.source);
  const [to, setTo] = useState(others[0]!.key);
  const [taken, setTaken] = useState<{ records: string; name: string; new: string }[]>([]);
  const path = { params: { path: { template_id: template.id } } };
  const body = { to, replacing: taken };
  const found = useQuery({
    queryKey: ["missing", template.id, body],
    queryFn: () => answer(api.POST("/api/v1/templates/{template_id}/missing", { ...path, body })),
    placeholderData: (before) => before,
  });
  const move = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/templates/{template_id}/move", { ...path, body })),
    onSuccess: () => {
      void client.invalidateQueries();
      onClose();
    },
  });
  const missing = found.data?.missing ?? [];
  return (
    <FormDialog
      title={tr("Move “{{template}}” to another source", { template: template.name })}
      act={tr("Move")}
      busy={move.isPending}
      ready={found.isSuccess}
      error={found.error ?? move.error}
      onAct={() => move.mutate()}
      onClose={onClose}
    >
      <Form.Group controlId="move-to">
        <Form.Label>{tr("Read from")}</Form.Label>
        <Form.Select
          value={to}
          onChange={(e) => {
            setTo(e.target.value);
            setTaken([]);
          }}
        >
          {others.map((s) => (
            <option key={s.key} value={s.key}>
              {s.title}
            </option>
          ))}
        </Form.Select>
      </Form.Group>
      {found.isSuccess && missing.length === 0 && (
        <span className="all-well">
          <Icon name="check" /> {tr("everything it names is there")}
        </span>
      )}
      {missing.map((m) => (
        <Take
          key={nameOf(m)}
          missing={m}
          onTake={(name) => setTaken([...taken, { records: m.records, name: m.name, new: name }])}
        />
      ))}
      {missing.length > 0 && (
        <p className="soft mb-0">
          {tr("What is left open stays a problem of the template; its rounds pause.")}
        </p>
      )}
    </FormDialog>
  );
}

function Take({ missing, onTake }: { missing: Missing; onTake: (name: string) => void }) {
  const [name, setName] = useState(missing.candidates[0] ?? "");
  const id = tr("take {{missing}}", { missing: nameOf(missing) });
  return (
    <Form.Group controlId={id}>
      <Form.Label>
        {tr("There is no")} <span className="mono">{nameOf(missing)}</span>
        {tr("; take")}
      </Form.Label>
      <div className="d-flex gap-2">
        <Form.Control
          size="sm"
          className="mono"
          list={`${id} list`}
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <datalist id={`${id} list`}>
          {missing.candidates.map((c) => (
            <option key={c}>{c}</option>
          ))}
        </datalist>
        <button
          type="button"
          className="btn btn-quiet btn-sm"
          disabled={!name.trim()}
          onClick={() => onTake(name.trim())}
        >
          {tr("Take it")}
        </button>
      </div>
    </Form.Group>
  );
}
