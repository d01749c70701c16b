import type { ReactNode } from "react";
import { Button, Form, Modal } from "react-bootstrap";
import { Trouble } from "./Trouble";
import { tr } from "../i18n";

interface Props {
  title: string;
  act: string;
  ready?: boolean;
  busy: boolean;
  error: unknown;
  onAct: () => void;
  onClose: () => void;
  children: ReactNode;
}

/** A few fields to fill in; what is wrong is said below them, and what was typed stays. */
export function FormDialog({ title, act, ready = true, busy, error, onAct, onClose, children }: Props) {
  return (
    <Modal show onHide={onClose} aria-labelledby="form-dialog">
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          if (ready && !busy) onAct();
        }}
      >
        <Modal.Header closeButton>
          <Modal.Title id="form-dialog">{title}</Modal.Title>
        </Modal.Header>
        <Modal.Body className="d-grid gap-2">
          {children}
          <Trouble error={error} />
        </Modal.Body>
        <Modal.Footer>
          <Button variant="quiet" onClick={onClose}>
            {tr("Cancel")}
          </Button>
          <Button type="submit" disabled={!ready || busy}>
            {act}
          </Button>
        </Modal.Footer>
      </Form>
    </Modal>
  );
}
