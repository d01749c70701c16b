import { useState } from "react";
import { Button, Form, Modal } from "react-bootstrap";
import type { Document } from "../../document/types";
import { tr } from "../../i18n";

const ZONES = Intl.supportedValuesOf("timeZone");

interface Props {
  document: Document;
  onDone: (change: Pick<Document, "about" | "zone">) => void;
  onClose: () => void;
}

/** What is said of the template as a whole: what it is for, and in which time zone its days begin. */
export function AboutDialog({ document, onDone, onClose }: Props) {
  const [about, setAbout] = useState(document.about ?? "");
  const [zone, setZone] = useState(document.zone ?? "Europe/London");
  const known = zone === "UTC" || ZONES.includes(zone);
  return (
    <Modal show onHide={onClose} aria-labelledby="about">
      <Form
        onSubmit={(e) => {
          e.preventDefault();
          if (known) onDone({ about: about.trim() || undefined, zone });
        }}
      >
        <Modal.Header closeButton>
          <Modal.Title id="about">{tr("About “{{document}}”", { document: document.name })}</Modal.Title>
        </Modal.Header>
        <Modal.Body className="d-grid gap-3">
          <Form.Group controlId="about-text">
            <Form.Label>{tr("What it is for")}</Form.Label>
            <Form.Control
              as="textarea"
              rows={3}
              autoFocus
              maxLength={2000}
              value={about}
              onChange={(e) => setAbout(e.target.value)}
            />
            <Form.Text>{tr("Whoever runs it reads this first.")}</Form.Text>
          </Form.Group>
          <Form.Group controlId="about-zone">
            <Form.Label>{tr("Time zone")}</Form.Label>
            <Form.Control
              list="zones"
              isInvalid={!known}
              value={zone}
              onChange={(e) => setZone(e.target.value)}
            />
            <datalist id="zones">
              {ZONES.map((z) => (
                <option key={z} value={z} />
              ))}
            </datalist>
            <Form.Text>{tr("Days begin, and moments are written, as clocks show them there.")}</Form.Text>
          </Form.Group>
        </Modal.Body>
        <Modal.Footer>
          <Button variant="quiet" onClick={onClose}>
            {tr("Cancel")}
          </Button>
          <Button type="submit" disabled={!known}>
            {tr("Take it")}
          </Button>
        </Modal.Footer>
      </Form>
    </Modal>
  );
}
