import type { ReactNode } from "react";
import { Button, Modal } from "react-bootstrap";
import { Trouble } from "./Trouble";
import { tr } from "../i18n";

interface Props {
  title: string;
  children: ReactNode;
  act: string;
  keep?: string;
  busy?: boolean;
  error?: unknown;
  onAct: () => void;
  onClose: () => void;
}

/** Ask before something goes, with the consequence named. */
export function Confirm({ title, children, act, keep = tr("Keep it"), busy, error, onAct, onClose }: Props) {
  return (
    <Modal show onHide={onClose} aria-labelledby="confirm">
      <Modal.Header closeButton>
        <Modal.Title id="confirm">{title}</Modal.Title>
      </Modal.Header>
      <Modal.Body>
        {children}
        <Trouble error={error} />
      </Modal.Body>
      <Modal.Footer>
        <Button variant="quiet" onClick={onClose}>
          {keep}
        </Button>
        <Button variant="danger" disabled={busy} onClick={onAct}>
          {act}
        </Button>
      </Modal.Footer>
    </Modal>
  );
}
