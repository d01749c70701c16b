import { Form } from "react-bootstrap";
import { usePreferences } from "./preferences";

const LOCALES: [string, string][] = [
  ["", "as the browser says"],
  ["en-GB", "Britain"],
  ["en-US", "United States"],
  ["de-DE", "Germany"],
  ["de-CH", "Switzerland"],
  ["fr-FR", "France"],
  ["nl-NL", "Netherlands"],
  ["es-ES", "Spain"],
  ["sv-SE", "Sweden"],
];

/** How the interface looks to this person: light or dark, whose dates and numbers, with hints or without. */
export function Likes() {
  const { preferences, change } = usePreferences();
  return (
    <div className="likes">
      <Form.Group controlId="like-theme">
        <Form.Label>Light</Form.Label>
        <Form.Select
          size="sm"
          value={preferences.theme}
          onChange={(e) => change({ theme: e.target.value as typeof preferences.theme })}
        >
          <option value="light">by day</option>
          <option value="dark">by night</option>
          <option value="system">as the system says</option>
        </Form.Select>
      </Form.Group>
      <Form.Group controlId="like-locale">
        <Form.Label>Dates and numbers on screen</Form.Label>
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
        <Form.Label>In records I am called</Form.Label>
        <Form.Control
          size="sm"
          defaultValue={(preferences.called ?? []).join(", ")}
          placeholder="beside my name, such as O. Vale"
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
        label="hints on first visits"
        checked={preferences.hints}
        onChange={(e) => change({ hints: e.target.checked, ...(e.target.checked ? { hints_seen: [] } : {}) })}
      />
    </div>
  );
}
