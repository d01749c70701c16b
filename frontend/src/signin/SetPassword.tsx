import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { answer, api } from "../api";
import { Card } from "./Card";
import { SHORTEST } from "./shortest";
import { tr } from "../i18n";

/** Where a link that was sent leads: a password is chosen, and one signs in with it. */
export function SetPassword() {
  const [password, setPassword] = useState("");
  const set = useMutation({
    mutationFn: () =>
      answer(
        api.POST("/api/v1/session/set-password", {
          body: { link: window.location.hash.slice(1), password },
        }),
      ),
    // The link is used up: it does not stay in the address.
    onSuccess: () => window.location.replace("/"),
  });
  return (
    <Card
      note={tr("Choose the password that you sign in with from now on.")}
      act={tr("Set it")}
      busy={set.isPending}
      error={set.error}
      onAct={() => set.mutate()}
    >
      <Form.Group className="mb-3" controlId="new-password">
        <Form.Label>
          {tr("New password, at least {{shortest}} characters", { shortest: SHORTEST })}
        </Form.Label>
        <Form.Control
          type="password"
          autoComplete="new-password"
          required
          autoFocus
          minLength={SHORTEST}
          value={password}
          onChange={(e) => setPassword(e.target.value)}
        />
      </Form.Group>
    </Card>
  );
}
