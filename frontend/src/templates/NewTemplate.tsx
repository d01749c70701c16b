import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form, Modal } from "react-bootstrap";
import { useNavigate } from "react-router";
import { answer, api } from "../api";
import { Trouble, count } from "../shared";

/** One row per what? The first question of every template. */
export function NewTemplate({ onClose }: { onClose: () => void }) {
  const go = useNavigate();
  const client = useQueryClient();
  const [records, setRecords] = useState("");
  const [everyday, setEveryday] = useState(true);
  const types = useQuery({
    queryKey: ["record-types"],
    queryFn: () => answer(api.GET("/api/v1/record-types")),
  });
  const chosen = types.data?.find((t) => t.name === records);
  const make = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/templates", { body: { records, everyday } })),
    onSuccess: (made) => {
      void client.invalidateQueries({ queryKey: ["templates"] });
      onClose();
      void go(`/templates/${made.id}`);
    },
  });
  return (
    <Modal show onHide={onClose} aria-labelledby="new-template">
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          make.mutate();
        }}
      >
        <Modal.Header closeButton>
          <Modal.Title id="new-template">New template: one row per what?</Modal.Title>
        </Modal.Header>
        <Modal.Body>
          <div className="choices mb-3" style={{ maxHeight: 300 }} role="radiogroup" aria-label="One row per">
            {types.data?.map((t) => (
              <label key={t.name} className={`option ${t.name === records ? "on" : ""}`}>
                <input
                  type="radio"
                  name="records"
                  value={t.name}
                  checked={t.name === records}
                  onChange={() => setRecords(t.name)}
                  className="form-check-input mt-0"
                />
                {t.label} <span className="mono">{t.rows === null ? "" : `about ${count(t.rows)}`}</span>
              </label>
            ))}
          </div>
          <Form.Check
            type="radio"
            name="start"
            id="everyday"
            checked={everyday}
            onChange={() => setEveryday(true)}
            label={`Start with the everyday fields${chosen ? ` of ${chosen.plural}` : ""}`}
          />
          <Form.Check
            type="radio"
            name="start"
            id="empty"
            checked={!everyday}
            onChange={() => setEveryday(false)}
            label="Start with an empty sheet"
          />
          <Trouble error={types.error ?? make.error} />
        </Modal.Body>
        <Modal.Footer>
          <Button variant="quiet" onClick={onClose}>
            Cancel
          </Button>
          <Button type="submit" disabled={!records || make.isPending}>
            Open the bench
          </Button>
        </Modal.Footer>
      </Form>
    </Modal>
  );
}
