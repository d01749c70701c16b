import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { answer, api } from "../api";
import { FormDialog } from "../shared";
import { useShell } from "./context";
import { tr } from "../i18n";

/** Change what I am called, and the address at which I sign in. */
export function AboutMe({ onClose }: { onClose: () => void }) {
  const client = useQueryClient();
  const { person } = useShell().session;
  const [name, setName] = useState(person.name);
  const [email, setEmail] = useState(person.email);
  const [password, setPassword] = useState("");
  const change = useMutation({
    mutationFn: () => answer(api.PUT("/api/v1/session/me", { body: { name, email, password } })),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["session"] });
      onClose();
    },
  });
  return (
    <FormDialog
      title={tr("My name and address")}
      act={tr("Change it")}
      ready={name.trim() !== "" && email.includes("@") && password !== ""}
      busy={change.isPending}
      error={change.error}
      onAct={() => change.mutate()}
      onClose={onClose}
    >
      <Form.Group controlId="me-name">
        <Form.Label>{tr("Name")}</Form.Label>
        <Form.Control autoFocus maxLength={120} value={name} onChange={(e) => setName(e.target.value)} />
      </Form.Group>
      <Form.Group controlId="me-email">
        <Form.Label>{tr("E-mail address")}</Form.Label>
        <Form.Control type="email" maxLength={254} value={email} onChange={(e) => setEmail(e.target.value)} />
        <Form.Text>{tr("You sign in with it, and what you have sent to yourself arrives there.")}</Form.Text>
      </Form.Group>
      <Form.Group controlId="me-password">
        <Form.Label>{tr("Your password")}</Form.Label>
        <Form.Control
          type="password"
          autoComplete="current-password"
          value={password}
          onChange={(e) => setPassword(e.target.value)}
        />
      </Form.Group>
    </FormDialog>
  );
}
