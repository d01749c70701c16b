import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { answer, api } from "../api";
import { Card } from "./Card";
import { SHORTEST } from "./shortest";
import { tr } from "../i18n";

/** A house without people: whoever has the code that the server printed becomes its first keeper. */
export function FirstStart() {
  const client = useQueryClient();
  const [code, setCode] = useState(() => new URLSearchParams(window.location.search).get("start") ?? "");
  const [name, setName] = useState("");
  const [email, setEmail] = useState("");
  const [password, setPassword] = useState("");
  const begin = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/first-start", { body: { code, name, email, password } })),
    onSuccess: (session) => {
      // The code is used up: it does not stay in the address.
      window.history.replaceState(null, "", "/");
      client.setQueryData(["session"], session);
    },
  });
  return (
    <Card
      note={tr("Nobody is here yet. Whoever keeps this house begins.")}
      act={tr("Begin")}
      busy={begin.isPending}
      error={begin.error}
      onAct={() => begin.mutate()}
    >
      <Form.Group className="mb-2" controlId="start-code">
        <Form.Label>{tr("Code that the server printed when it started")}</Form.Label>
        <Form.Control
          className="mono"
          autoComplete="off"
          required
          maxLength={100}
          value={code}
          onChange={(e) => setCode(e.target.value)}
        />
      </Form.Group>
      <Form.Group className="mb-2" controlId="start-name">
        <Form.Label>{tr("Your name")}</Form.Label>
        <Form.Control
          autoComplete="name"
          required
          autoFocus
          maxLength={200}
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
      </Form.Group>
      <Form.Group className="mb-2" controlId="start-email">
        <Form.Label>{tr("E-mail address")}</Form.Label>
        <Form.Control
          type="email"
          autoComplete="username"
          required
          maxLength={254}
          value={email}
          onChange={(e) => setEmail(e.target.value)}
        />
      </Form.Group>
      <Form.Group className="mb-3" controlId="start-password">
        <Form.Label>{tr("Password")}</Form.Label>
        <Form.Control
          type="password"
          autoComplete="new-password"
          required
          minLength={SHORTEST}
          value={password}
          onChange={(e) => setPassword(e.target.value)}
        />
        <Form.Text>{tr("At least {{shortest}} characters", { shortest: SHORTEST })}</Form.Text>
      </Form.Group>
    </Card>
  );
}
