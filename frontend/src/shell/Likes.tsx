import { Form } from "react-bootstrap";
import { usePreferences } from "./preferences";
import { LANGUAGES, tr } from "../i18n";

const LOCALES: [string, string][] = [
  ["", tr("as the browser says")],
  ["en-GB", tr("Britain")],
  ["en-US", tr("United States")],
  ["de-DE", tr("Germany")],
  ["de-CH", tr("Switzerland")],
  ["fr-FR", tr("France")],
  ["nl-NL", tr("Netherlands")],
  ["es-ES", tr("Spain")],
  ["sv-SE", tr("Sweden")],
];

/** How the interface looks to this person: light or dark, whose dates and numbers, with hints or without. */
export function Likes() {
  const { preferences, change } = usePreferences();
  return (
    <div className="likes">
      <Form.Group controlId="like-theme">
        <Form.Label>{tr("Light")}</Form.Label>
        <Form.Select
          size="sm"
          value={preferences.theme}
          onChange={(e) => change({ theme: e.target.value as typeof preferences.theme })}
        >
          <option value="light">{tr("by day")}</option>
          <option value="dark">{tr("by night")}</option>
          <option value="system">{tr("as the system says")}</option>
        </Form.Select>
      </Form.Group>
      <Form.Group controlId="like-language">
        <Form.Label>{tr("Language")}</Form.Label>
        <Form.Select
          size="sm"
          value={preferences.language}
          onChange={(e) => change({ language: e.target.value as typeof preferences.language })}
        >
          <option value="">{tr("as the browser says")}</option>
          {Object.entries(LANGUAGES).map(([code, name]) => (
            <option key={code} value={code} lang={code}>
              {name}
            </option>
          ))}
        </Form.Select>
      </Form.Group>
      <Form.Group controlId="like-locale">
        <Form.Label>{tr("Dates and numbers on screen")}</Form.Label>
        <Form.Select
          size="sm"
          value={preferences.locale}
          onChange={(e) => change({ locale: e.target.value })}
        >
          {LOCALES.map(([code, words]) => (
            <option key={code} value={code}>
              {words}
            </option>
          ))}
        </Form.Select>
      </Form.Group>
      <Form.Group controlId="like-called">
        <Form.Label>{tr("In records I am called")}</Form.Label>
        <Form.Control
          size="sm"
          defaultValue={(preferences.called ?? []).join(", ")}
          placeholder={tr("beside my name, such as O. Vale")}
          onBlur={(e) =>
            change({
              called: e.target.value
                .split(",")
                .map((c) => c.trim().slice(0, 120))
                .filter(Boolean)
                .slice(0, 10),
            })
          }
        />
      </Form.Group>
      <Form.Check
        id="like-hints"
        label={tr("hints on first visits")}
        checked={preferences.hints}
        onChange={(e) => change({ hints: e.target.checked, ...(e.target.checked ? { hints_seen: [] } : {}) })}
      />
    </div>
  );
}
