import { Form } from "react-bootstrap";
import { tr } from "../i18n";

interface Props {
  purpose: string;
  onPurpose: (purpose: string) => void;
}

/** What personal data in a bundle is for, where there may be some. */
export function BundlePurpose({ purpose, onPurpose }: Props) {
  return (
    <Form.Group controlId="bundle-purpose">
      <Form.Label>{tr("What personal data in it is for")}</Form.Label>
      <Form.Control
        value={purpose}
        maxLength={300}
        placeholder={tr("only if there is any")}
        onChange={(e) => onPurpose(e.target.value)}
      />
    </Form.Group>
  );
}
