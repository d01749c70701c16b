import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { answer, api } from "../api";
import { FormDialog } from "../shared";
import { useShell } from "./context";
import { tr } from "../i18n";

const SHORTEST = 12;

/** Change my own password; my other sessions end with it. */
export function Password({ onClose }: { onClose: () => void }) {
  const client = useQueryClient();
  const given = useShell().session.person.password_given;
  const [current, setCurrent] = useState("");
  const [wanted, setWanted] = useState("");
  const [again, setAgain] = useState("");
  const change = useMutation({
    mutationFn: () => answer(api.PUT("/api/v1/session/password", { body: { current, new: wanted } })),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["session"] });
      onClose();
    },
  });
  const differs = again !== "" && again !== wanted;
  return (
    <FormDialog
      title={tr("Change my password")}
      act={tr("Change it")}
      ready={current !== "" && wanted.length >= SHORTEST && again === wanted}
      busy={change.isPending}
      error={change.error}
      onAct={() => change.mutate()}
      onClose={onClose}
    >
      {given && (
        <p className="mb-0">
          {tr("An administrator gave you this password. Choose one that only you know.")}
        </p>
      )}
      <Form.Group controlId="password-current">
        <Form.Label>{tr("Current password")}</Form.Label>
        <Form.Control
          type="password"
          autoComplete="current-password"
          autoFocus
          value={current}
          onChange={(e) => setCurrent(e.target.value)}
        />
      </Form.Group>
      <Form.Group controlId="password-new">
        <Form.Label>{tr("New password")}</Form.Label>
        <Form.Control
          type="password"
          autoComplete="new-password"
          value={wanted}
          onChange={(e) => setWanted(e.target.value)}
        />
        <Form.Text>
          {tr("At least {{shortest}} characters. Wherever else I am signed in, I am signed out.", {
            shortest: SHORTEST,
          })}
        </Form.Text>
      </Form.Group>
      <Form.Group controlId="password-again">
        <Form.Label>{tr("New password again")}</Form.Label>
        <Form.Control
          type="password"
          autoComplete="new-password"
          isInvalid={differs}
          value={again}
          onChange={(e) => setAgain(e.target.value)}
        />
        <Form.Control.Feedback type="invalid">{tr("This is not the same as above.")}</Form.Control.Feedback>
      </Form.Group>
    </FormDialog>
  );
}
