import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { answer, api } from "../api";
import type { TemplateRow } from "../api";
import { FormDialog } from "../shared";
import { useMay } from "../shell";

/** What a template is filed under, and for whom it is. */
export function Labels({ template, onClose }: { template: TemplateRow; onClose: () => void }) {
  const client = useQueryClient();
  const mayKeep = useMay("keep");
  const [text, setText] = useState(template.labels.join(", "));
  const [standing, setStanding] = useState(template.standing);
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
      act="Save"
      busy={save.isPending}
      error={save.error}
      onAct={() => save.mutate()}
      onClose={onClose}
    >
      <Form.Group controlId="label-text">
        <Form.Label>Labels, separated by commas</Form.Label>
        <Form.Control
          autoFocus
          value={text}
          onChange={(e) => setText(e.target.value)}
          placeholder="month end, regulator"
        />
      </Form.Group>
      <Form.Group controlId="label-standing">
        <Form.Label>For whom</Form.Label>
        <Form.Select value={standing} onChange={(e) => setStanding(e.target.value as typeof standing)}>
          <option value="own">only {template.mine ? "me" : template.owner}, and administrators</option>
          <option value="shared">shared with all</option>
          <option value="house" disabled={!mayKeep && standing !== "house"}>
            house standard{mayKeep ? "" : " (an administrator can make it so)"}
          </option>
        </Form.Select>
      </Form.Group>
    </FormDialog>
  );
}
