import { Form } from "react-bootstrap";

interface Props {
  /** Headings of the columns with personal data. */
  personal: string[];
  purpose: string;
  onPurpose: (purpose: string) => void;
}

/** What personal data is taken out for; nothing is asked where there is none. */
export function Purpose({ personal, purpose, onPurpose }: Props) {
  if (personal.length === 0) return null;
  return (
    <Form.Group controlId="purpose">
      <Form.Label>Personal data leaves the house ({personal.join(", ")}). What for?</Form.Label>
      <Form.Control value={purpose} maxLength={300} onChange={(e) => onPurpose(e.target.value)} />
      <Form.Text>It is kept with the run, with your name.</Form.Text>
    </Form.Group>
  );
}
