import { useQuery } from "@tanstack/react-query";
import { Form } from "react-bootstrap";
import { resources } from "../api";
import { tr } from "../i18n";

interface Props {
  /** Headings of the columns with personal data. */
  personal: string[];
  purpose: string;
  onPurpose: (purpose: string) => void;
}

/** What personal data is taken out for; nothing is asked where there is none. */
export function Purpose({ personal, purpose, onPurpose }: Props) {
  const known = useQuery({ ...resources.purposes(), enabled: personal.length > 0, staleTime: 60_000 });
  if (personal.length === 0) return null;
  const names = known.data?.names ?? [];
  if (known.data?.only)
    return (
      <Form.Group controlId="purpose">
        <Form.Label>
          {tr("Personal data leaves the house ({{personal}}). What for?", { personal: personal.join(", ") })}
        </Form.Label>
        <Form.Select value={purpose} onChange={(e) => onPurpose(e.target.value)}>
          <option value="">{tr("choose what for")}</option>
          {names.map((name) => (
            <option key={name}>{name}</option>
          ))}
        </Form.Select>
        <Form.Text>{tr("It is kept with the run, with your name.")}</Form.Text>
      </Form.Group>
    );
  return (
    <Form.Group controlId="purpose">
      <Form.Label>
        {tr("Personal data leaves the house ({{personal}}). What for?", { personal: personal.join(", ") })}
      </Form.Label>
      <Form.Control
        value={purpose}
        maxLength={300}
        list="known-purposes"
        onChange={(e) => onPurpose(e.target.value)}
      />
      <datalist id="known-purposes">
        {names.map((name) => (
          <option key={name} value={name} />
        ))}
      </datalist>
      <Form.Text>{tr("It is kept with the run, with your name.")}</Form.Text>
    </Form.Group>
  );
}
