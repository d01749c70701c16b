import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { answer, api } from "../api";
import { Card } from "./Card";

/** The door. `away` says that the server, not the person, is the trouble. */
export function SignIn({ away }: { away: boolean }) {
  const client = useQueryClient();
  const [email, setEmail] = useState("");
  const [password, setPassword] = useState("");
  const enter = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/session", { body: { email, password } })),
    onSuccess: (session) => {
      client.removeQueries({ predicate: (query) => query.queryKey[0] !== "session" });
      client.setQueryData(["session"], session);
    },
  });
  return (
    <Card
      note="Templates for the lists people ask you for, over your own records."
      act="Sign in"
      busy={enter.isPending}
      error={enter.error ?? (away ? "The server cannot be reached just now." : null)}
      onAct={() => enter.mutate()}
    >
      <Form.Group className="mb-2" controlId="email">
        <Form.Label>E-mail address</Form.Label>
        <Form.Control
          type="email"
          autoComplete="username"
          required
          autoFocus
          value={email}
          onChange={(e) => setEmail(e.target.value)}
        />
      </Form.Group>
      <Form.Group className="mb-3" controlId="password">
        <Form.Label>Password</Form.Label>
        <Form.Control
          type="password"
          autoComplete="current-password"
          required
          value={password}
          onChange={(e) => setPassword(e.target.value)}
        />
      </Form.Group>
    </Card>
  );
}
