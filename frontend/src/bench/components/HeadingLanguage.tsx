import { Form } from "react-bootstrap";
import type { Column } from "../../document/types";
import { languageName, tr } from "../../i18n";

interface Props {
  columns: Column[];
  chosen: string;
  onChoose: (language: string) => void;
}

/** In which language a file is headed, where its columns have headings in several. */
export function HeadingLanguage({ columns, chosen, onChoose }: Props) {
  const known = new Set(columns.flatMap((c) => Object.keys(c.headings ?? {})));
  if (chosen) known.add(chosen);
  if (known.size === 0) return null;
  return (
    <Form.Group controlId="heading-language">
      <Form.Label>{tr("Headings in")}</Form.Label>
      <Form.Select value={chosen} onChange={(e) => onChoose(e.target.value)}>
        <option value="">{tr("as the columns say")}</option>
        {[...known].sort().map((code) => (
          <option key={code} value={code}>
            {languageName(code)}
          </option>
        ))}
      </Form.Select>
    </Form.Group>
  );
}
