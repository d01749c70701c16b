import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { answer, api } from "../api";
import { Trouble } from "../shared";

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
    <main className="sign-in">
      <form
        className="sign-in-card"
        onSubmit={(event) => {
          event.preventDefault();
          enter.mutate();
        }}
      >
        <h1>
          <img src="/bouquet.svg" alt="" width={34} height={34} /> Bouquet
        </h1>
        <p className="soft">Templates for the lists people ask you for, over your own records.</p>
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
        <Button type="submit" disabled={enter.isPending}>
          Sign in
        </Button>
        <div className="mt-3">
          <Trouble error={enter.error ?? (away ? "The server cannot be reached just now." : null)} />
        </div>
      </form>
    </main>
  );
}
