import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { answer, api } from "../api";
import { FormDialog } from "../shared";
import { tr } from "../i18n";

/** Set a round that a document says, such as one that was taken out elsewhere. */
export function FromDocument() {
  const client = useQueryClient();
  const [open, setOpen] = useState(false);
  const [text, setText] = useState("");
  const add = useMutation({
    mutationFn: () =>
      answer(api.POST("/api/v1/rounds/document", { body: JSON.parse(text) as Record<string, never> })),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["rounds"] });
      setOpen(false);
      setText("");
    },
  });
  return (
    <>
      <Button variant="quiet" onClick={() => setOpen(true)}>
        {tr("From a document…")}
      </Button>
      {open && (
        <FormDialog
          title={tr("A round from a document")}
          act={tr("Set this round")}
          ready={text.trim() !== ""}
          busy={add.isPending}
          error={add.error}
          onClose={() => setOpen(false)}
          onAct={() => add.mutate()}
        >
          <Form.Group controlId="round-document">
            <Form.Label>{tr("The document (JSON), as “As a document” gives it")}</Form.Label>
            <Form.Control
              as="textarea"
              rows={10}
              className="mono"
              value={text}
              onChange={(e) => setText(e.target.value)}
            />
            <Form.Text>{tr("The template and the recipients that it names have to be here.")}</Form.Text>
          </Form.Group>
        </FormDialog>
      )}
    </>
  );
}
