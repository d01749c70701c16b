import { Form } from "react-bootstrap";
import { Help } from "../../guide";
import { Icon } from "../../shared";
import { OFFERED_LANGUAGES } from "../../document/defaults";
import type { Column } from "../../document/types";
import { languageName, tr } from "../../i18n";

interface Props {
  column: Column;
  onHeadings: (headings: Column["headings"]) => void;
}

/** What a column is headed in other languages; which one a file has is chosen with the file, or at the run. */
export function OtherHeadings({ column, onHeadings }: Props) {
  const headings = column.headings ?? {};
  const put = (changed: Record<string, string>) =>
    onHeadings(Object.keys(changed).length > 0 ? changed : undefined);
  const known = Object.keys(headings);
  return (
    <div className="mb-3">
      {known.map((code) => (
        <div key={code} className="d-flex gap-2 align-items-center mb-1">
          <span className="soft small" style={{ width: 84 }}>
            {languageName(code)}
          </span>
          <Form.Control
            size="sm"
            lang={code}
            maxLength={255}
            aria-label={tr("Heading in {{language}}", { language: languageName(code) })}
            value={headings[code]}
            onChange={(e) => put({ ...headings, [code]: e.target.value })}
          />
          <button
            type="button"
            className="bare"
            onClick={() =>
              put(Object.fromEntries(Object.entries(headings).filter(([other]) => other !== code)))
            }
          >
            <Icon name="x" label={tr("No heading in {{language}}", { language: languageName(code) })} />
          </button>
        </div>
      ))}
      <div className="d-flex gap-1 align-items-center">
        <Form.Select
          size="sm"
          className="w-auto"
          aria-label={tr("Another language for the heading")}
          value=""
          onChange={(e) => put({ ...headings, [e.target.value]: "" })}
        >
          <option value="">{tr("+ heading in another language…")}</option>
          {OFFERED_LANGUAGES.filter((code) => !known.includes(code)).map((code) => (
            <option key={code} value={code}>
              {languageName(code)}
            </option>
          ))}
        </Form.Select>
        <Help topic="files#headings-in-several-languages" />
      </div>
    </div>
  );
}
