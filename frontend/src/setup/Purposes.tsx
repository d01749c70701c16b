import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { answer, api, resources } from "../api";
import { FormDialog, Icon } from "../shared";
import { tr } from "../i18n";

/** What personal data may leave the house for: offered where it does, or nothing else taken. */
export function Purposes() {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button variant="quiet" onClick={() => setOpen(true)}>
        <Icon name="person" /> {tr("What personal data may leave for…")}
      </Button>
      {open && <PurposesDialog onClose={() => setOpen(false)} />}
    </>
  );
}

function PurposesDialog({ onClose }: { onClose: () => void }) {
  const client = useQueryClient();
  const known = useQuery({ ...resources.purposes(), staleTime: 0 });
  const [text, setText] = useState<string | null>(null);
  const [only, setOnly] = useState<boolean | null>(null);
  const names = (text ?? (known.data?.names ?? []).join("\n"))
    .split("\n")
    .map((name) => name.trim())
    .filter(Boolean);
  const strict = only ?? known.data?.only ?? false;
  const save = useMutation({
    mutationFn: () => answer(api.PUT("/api/v1/purposes", { body: { names, only: strict } })),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["purposes"] });
      onClose();
    },
  });
  return (
    <FormDialog
      title={tr("What personal data may leave for")}
      act={tr("Save")}
      ready={known.isSuccess && (!strict || names.length > 0)}
      busy={save.isPending}
      error={save.error ?? known.error}
      onAct={() => save.mutate()}
      onClose={onClose}
    >
      <Form.Group controlId="purposes-names">
        <Form.Label>{tr("Offered whenever a file holds personal data, one a line")}</Form.Label>
        <Form.Control
          as="textarea"
          rows={6}
          value={text ?? (known.data?.names ?? []).join("\n")}
          onChange={(e) => setText(e.target.value)}
        />
      </Form.Group>
      <Form.Check
        id="purposes-only"
        label={tr("Nothing else is taken")}
        checked={strict}
        onChange={(e) => setOnly(e.target.checked)}
      />
    </FormDialog>
  );
}
