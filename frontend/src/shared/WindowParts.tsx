import { Form } from "react-bootstrap";
import { vocabulary } from "./vocabulary";
import { ofKind, unitWords, withCurrent } from "./windows";
import type { Window } from "./windows";
import { tr } from "../i18n";

/** A window put together from its kind, its number and its unit. */
export function WindowParts({ window, onChange }: { window: Window; onChange: (window: Window) => void }) {
  const { windows } = vocabulary();
  const shape = windows.find((s) => s.name === window.type);
  const counted = shape?.counted ?? false;
  return (
    <>
      <div className="d-flex gap-2 align-items-center flex-wrap">
        <Form.Select
          aria-label={tr("Kind of period")}
          className="w-auto"
          value={shape?.name ?? ""}
          onChange={(e) => onChange(ofKind(e.target.value as Window["type"], window))}
        >
          {!shape && <option value="">{tr("as it is")}</option>}
          {windows.map((s) => (
            <option key={s.name} value={s.name}>
              {s.words}
            </option>
          ))}
        </Form.Select>
        {counted && (
          <Form.Control
            type="number"
            min={1}
            max={100_000}
            aria-label={tr("How many")}
            style={{ width: 84 }}
            value={window.count ?? 1}
            onChange={(e) =>
              onChange({
                ...window,
                count: Math.min(100_000, Math.max(1, Math.trunc(Number(e.target.value)) || 1)),
              })
            }
          />
        )}
        {shape && shape.units.length > 0 && (
          <Form.Select
            aria-label={tr("Unit")}
            className="w-auto"
            value={window.unit ?? "day"}
            onChange={(e) => onChange({ ...window, unit: e.target.value as Window["unit"] })}
          >
            {shape.units.map((unit) => (
              <option key={unit} value={unit}>
                {unitWords(unit, counted && window.count !== 1)}
              </option>
            ))}
          </Form.Select>
        )}
        {shape?.after}
      </div>
      {window.type === "between" && (
        <div className="d-flex gap-2 align-items-center">
          <Form.Control
            type="date"
            aria-label={tr("First day")}
            value={window.first ?? ""}
            onChange={(e) => onChange({ ...window, first: e.target.value })}
          />
          {tr("and")}
          <Form.Control
            type="date"
            aria-label={tr("Last day")}
            value={window.last ?? ""}
            onChange={(e) => onChange({ ...window, last: e.target.value })}
          />
        </div>
      )}
      {window.type === "last" && (
        <Form.Check
          id="with-current"
          label={withCurrent(window.unit ?? "day")}
          disabled={["minute", "hour"].includes(window.unit ?? "day")}
          checked={window.with_current ?? false}
          onChange={(e) => onChange({ ...window, with_current: e.target.checked || undefined })}
        />
      )}
    </>
  );
}
