import { Form } from "react-bootstrap";
import type { Entrance } from "./useEntrance";
import { tr } from "../i18n";

/** Address and password, and the code of a second factor where one is asked for. Whose address is known need not type it. */
export function EntranceFields({ entrance, known = false }: { entrance: Entrance; known?: boolean }) {
  return (
    <>
      <Form.Group className="mb-2" controlId="email">
        <Form.Label>{tr("E-mail address")}</Form.Label>
        <Form.Control
          type="email"
          autoComplete="username"
          required
          autoFocus={!known}
          readOnly={known}
          value={entrance.email}
          onChange={(e) => entrance.setEmail(e.target.value)}
        />
      </Form.Group>
      <Form.Group className="mb-3" controlId="password">
        <Form.Label>{tr("Password")}</Form.Label>
        <Form.Control
          type="password"
          autoComplete="current-password"
          required
          autoFocus={known}
          value={entrance.password}
          onChange={(e) => entrance.setPassword(e.target.value)}
        />
      </Form.Group>
      {entrance.asksCode && (
        <Form.Group className="mb-3" controlId="code">
          <Form.Label>{tr("Code that your device shows, or a spare one")}</Form.Label>
          <Form.Control
            className="mono"
            autoFocus
            autoComplete="one-time-code"
            required
            maxLength={40}
            value={entrance.code}
            onChange={(e) => entrance.setCode(e.target.value)}
          />
        </Form.Group>
      )}
    </>
  );
}
