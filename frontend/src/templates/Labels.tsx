import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { answer, api } from "../api";
import type { SharedWith as SharedWithEntry, TemplateRow } from "../api";
import { FormDialog } from "../shared";
import { useMay } from "../shell";
import { SharedWith, useNames } from "./SharedWith";
import { tr } from "../i18n";

/** What a template is filed under, and for whom it is. */
export function Labels({ template, onClose }: { template: TemplateRow; onClose: () => void }) {
  const client = useQueryClient();
  const mayKeep = useMay("keep");
  const [text, setText] = useState(template.labels.join(", "));
  const [standing, setStanding] = useState(template.standing);
  const [changed, setShared] = useState<SharedWithEntry[] | null>(null);
  const [owner, setOwner] = useState<number | null>(null);
  const mayShare = template.mine || mayKeep;
  const known = useQuery({
    queryKey: ["template", template.id, "sharing"],
    queryFn: () =>
      answer(api.GET("/api/v1/templates/{template_id}", { params: { path: { template_id: template.id } } })),
    staleTime: 0,
  });
  const names = useNames(mayShare);
  const shared = changed ?? known.data?.shared_with ?? null;
  const save = useMutation({
    mutationFn: () =>
      answer(
        api.PATCH("/api/v1/templates/{template_id}", {
          params: { path: { template_id: template.id } },
          body: {
            labels: text
              .split(",")
              .map((l) => l.trim())
              .filter(Boolean),
            standing,
            ...(shared !== null && { shared_with: shared }),
            ...(owner !== null && { owner_id: owner }),
          },
        }),
      ),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["templates"] });
      onClose();
    },
  });
  return (
    <FormDialog
      title={template.name}
      act={tr("Save")}
      busy={save.isPending}
      error={save.error}
      onAct={() => save.mutate()}
      onClose={onClose}
    >
      <Form.Group controlId="label-text">
        <Form.Label>{tr("Labels, separated by commas")}</Form.Label>
        <Form.Control
          autoFocus
          value={text}
          onChange={(e) => setText(e.target.value)}
          placeholder={tr("month end, wards/Quay")}
        />
        <Form.Text>{tr("A slash puts one label into another, as a folder: wards/Quay.")}</Form.Text>
      </Form.Group>
      <Form.Group controlId="label-standing">
        <Form.Label>{tr("For whom")}</Form.Label>
        <Form.Select value={standing} onChange={(e) => setStanding(e.target.value as typeof standing)}>
          <option value="own">
            {tr("only {{mine}}, and administrators", { mine: template.mine ? tr("me") : template.owner })}
          </option>
          <option value="shared">{tr("shared with all")}</option>
          <option value="house" disabled={!mayKeep && standing !== "house"}>
            {tr("house standard{{mayKeep}}", {
              mayKeep: mayKeep ? "" : tr(" (an administrator can make it so)"),
            })}
          </option>
        </Form.Select>
      </Form.Group>
      {standing === "own" && mayShare && shared && (
        <SharedWith legend={tr("And shared with")} entries={shared} onChange={setShared} />
      )}
      {mayShare && names.data && known.data && (
        <Form.Group controlId="label-owner">
          <Form.Label>{tr("It belongs to")}</Form.Label>
          <Form.Select
            value={owner ?? known.data.owner_id}
            onChange={(e) => setOwner(Number(e.target.value))}
          >
            {!names.data.people.some((p) => p.id === known.data.owner_id) && (
              <option value={known.data.owner_id}>{known.data.owner}</option>
            )}
            {names.data.people.map((p) => (
              <option key={p.id} value={p.id}>
                {p.name}
              </option>
            ))}
          </Form.Select>
        </Form.Group>
      )}
    </FormDialog>
  );
}
