import { Form } from "react-bootstrap";
import type { FieldInfo } from "../../api";
import { DATE_PATTERNS, OFFERED_LANGUAGES } from "../../document/defaults";
import type { Show } from "../../document/types";
import { Help } from "../../guide";
import { languageName, tr } from "../../i18n";

/** How the values of a column stand on paper, by their kind. */
export function Formats({ field, show, set }: { field: FieldInfo; show: Show; set: (part: Show) => void }) {
  switch (field.kind) {
    case "integer":
    case "decimal":
      return <NumberFormat decimal={field.kind === "decimal"} show={show} set={set} />;
    case "date":
    case "time":
    case "timestamp":
    case "moment":
      return <DateFormat kind={field.kind} show={show} set={set} />;
    case "boolean":
      return (
        <div className="pair">
          <Form.Group controlId="show-yes">
            <Form.Label>{tr("Yes reads")}</Form.Label>
            <Form.Control value={show.yes ?? "true"} onChange={(e) => set({ yes: e.target.value })} />
          </Form.Group>
          <Form.Group controlId="show-no">
            <Form.Label>{tr("No reads")}</Form.Label>
            <Form.Control value={show.no ?? "false"} onChange={(e) => set({ no: e.target.value })} />
          </Form.Group>
        </div>
      );
    case "choice":
      return (
        <Form.Group controlId="show-choice">
          <Form.Label>{tr("Shown as")}</Form.Label> <Help topic="columns#formats" />
          <Form.Select
            value={show.choice ?? "label"}
            onChange={(e) => set({ choice: e.target.value as Show["choice"] })}
          >
            <option value="label">
              {tr("label, such as {{choices}}", { choices: field.choices[0]?.label ?? "Standing" })}
            </option>
            <option value="code">
              {tr("code, such as {{code}}", { code: field.choices[0]?.code ?? "S" })}
            </option>
          </Form.Select>
        </Form.Group>
      );
    default:
      return (
        <>
          <Form.Group controlId="show-case">
            <Form.Label>{tr("Letters")}</Form.Label>
            <Form.Select
              value={show.case ?? "as_is"}
              onChange={(e) => set({ case: e.target.value as Show["case"] })}
            >
              <option value="as_is">{tr("as they are")}</option>
              <option value="upper">{tr("ALL CAPITALS")}</option>
              <option value="lower">{tr("all small")}</option>
            </Form.Select>
          </Form.Group>
          <Form.Check
            id="show-trim"
            label={tr("trim spaces")}
            checked={show.trim ?? false}
            onChange={(e) => set({ trim: e.target.checked || undefined })}
          />
          <div className="pair">
            <Form.Group controlId="show-first">
              <Form.Label>{tr("Only the first")}</Form.Label>
              <Form.Control
                type="number"
                min={1}
                placeholder={tr("all letters")}
                value={show.first ?? ""}
                onChange={(e) =>
                  set({ first: e.target.value ? Math.max(1, Number(e.target.value)) : undefined })
                }
              />
            </Form.Group>
            <Form.Group controlId="show-pad">
              <Form.Label>{tr("Filled up to")}</Form.Label>
              <Form.Control
                type="number"
                min={1}
                max={255}
                placeholder={tr("not")}
                value={show.pad ?? ""}
                onChange={(e) =>
                  set({ pad: e.target.value ? Math.max(1, Number(e.target.value)) : undefined })
                }
              />
            </Form.Group>
          </div>
          {show.pad && (
            <div className="pair">
              <Form.Group controlId="show-pad-with">
                <Form.Label>{tr("with")}</Form.Label>
                <Form.Control
                  maxLength={1}
                  className="mono"
                  value={show.pad_with ?? "0"}
                  onChange={(e) => set({ pad_with: e.target.value || undefined })}
                />
              </Form.Group>
              <Form.Group controlId="show-pad-side">
                <Form.Label>{tr("at its")}</Form.Label>
                <Form.Select
                  value={show.pad_side ?? "left"}
                  onChange={(e) => set({ pad_side: e.target.value as Show["pad_side"] })}
                >
                  <option value="left">{tr("beginning: 0042")}</option>
                  <option value="right">{tr("end: 4200")}</option>
                </Form.Select>
              </Form.Group>
            </div>
          )}
          {field.kind === "identifier" && (
            <Form.Check
              id="show-link"
              label={tr("in spreadsheets, a link to the record")}
              checked={show.link ?? false}
              onChange={(e) => set({ link: e.target.checked || undefined })}
            />
          )}
        </>
      );
  }
}

function NumberFormat({ decimal, show, set }: { decimal: boolean; show: Show; set: (part: Show) => void }) {
  return (
    <>
      <div className="pair">
        <Form.Group controlId="show-decimals">
          <Form.Label>{tr("Decimals")}</Form.Label>
          <Form.Select
            value={show.decimals ?? ""}
            onChange={(e) => set({ decimals: e.target.value === "" ? undefined : Number(e.target.value) })}
          >
            <option value="">{tr("as stored")}</option>
            {(decimal ? [0, 1, 2, 3, 4, 5, 6] : [0, 1, 2]).map((n) => (
              <option key={n} value={n}>
                {n === 0 ? tr("none: whole number") : n}
              </option>
            ))}
          </Form.Select>
        </Form.Group>
        <Form.Group controlId="show-mark">
          <Form.Label>{tr("Decimal mark")}</Form.Label>
          <Form.Select
            value={show.decimal_mark ?? "."}
            onChange={(e) => set({ decimal_mark: e.target.value as Show["decimal_mark"] })}
          >
            <option value=".">{tr("point 1.5")}</option>
            <option value=",">{tr("comma 1,5")}</option>
          </Form.Select>
        </Form.Group>
      </div>
      {show.decimals !== undefined && show.decimals !== null && (
        <Form.Group controlId="show-rounding">
          <Form.Label>{tr("A half is rounded")}</Form.Label>
          <Form.Select
            value={show.rounding ?? "half_away"}
            onChange={(e) => set({ rounding: e.target.value as Show["rounding"] })}
          >
            <option value="half_away">{tr("away from zero: 0.5 is 1, 1.5 is 2, 2.5 is 3")}</option>
            <option value="half_even">{tr("to the even digit: 0.5 is 0, 1.5 is 2, 2.5 is 2")}</option>
          </Form.Select>
        </Form.Group>
      )}
      <div className="pair">
        <Form.Group controlId="show-grouping">
          <Form.Label>{tr("Thousands")}</Form.Label>
          <Form.Select
            value={show.grouping ?? ""}
            onChange={(e) => set({ grouping: e.target.value as Show["grouping"] })}
          >
            <option value="">1234567</option>
            <option value=",">1,234,567</option>
            <option value=".">1.234.567</option>
            <option value=" ">1 234 567</option>
            <option value="'">1&apos;234&apos;567</option>
          </Form.Select>
        </Form.Group>
        <Form.Group controlId="show-factor">
          <Form.Label>{tr("Times")}</Form.Label>
          <Form.Select
            value={show.factor ?? ""}
            onChange={(e) => set({ factor: e.target.value || undefined })}
          >
            <option value="">{tr("as stored")}</option>
            {[
              ...new Set([
                "10",
                "100",
                "1000",
                "0.1",
                "0.01",
                "0.001",
                ...(show.factor ? [show.factor] : []),
              ]),
            ].map((f) => (
              <option key={f} value={f}>
                × {f}
              </option>
            ))}
          </Form.Select>
        </Form.Group>
      </div>
      <div className="pair">
        <Form.Group controlId="show-prefix">
          <Form.Label>{tr("Text before it")}</Form.Label>
          <Form.Control
            value={show.prefix ?? ""}
            onChange={(e) => set({ prefix: e.target.value || undefined })}
          />
        </Form.Group>
        <Form.Group controlId="show-suffix">
          <Form.Label>{tr("Text after it")}</Form.Label>
          <Form.Control
            value={show.suffix ?? ""}
            onChange={(e) => set({ suffix: e.target.value || undefined })}
          />
        </Form.Group>
      </div>
    </>
  );
}

function DateFormat({ kind, show, set }: { kind: string; show: Show; set: (part: Show) => void }) {
  const patterns = DATE_PATTERNS[kind] ?? DATE_PATTERNS.moment!;
  return (
    <Form.Group controlId="show-date">
      <Form.Label>{tr("Date pattern")}</Form.Label>
      <Form.Control
        list="date-patterns"
        placeholder={kind === "date" ? "yyyy-MM-dd" : tr("ISO 8601")}
        className="mono"
        value={show.date ?? ""}
        onChange={(e) => set({ date: e.target.value || undefined })}
      />
      <datalist id="date-patterns">
        {patterns.map((p) => (
          <option key={p} value={p} />
        ))}
      </datalist>
      <Form.Text>
        {patterns.slice(0, 3).map((p) => (
          <button key={p} type="button" className="btn-link-plain me-2 mono" onClick={() => set({ date: p })}>
            {p}
          </button>
        ))}
      </Form.Text>
      {hasNames(show.date ?? "") && <LanguageOfNames show={show} set={set} />}
    </Form.Group>
  );
}

/** Whether a date pattern has names of months or days, beside its texts between quotation marks. */
const hasNames = (pattern: string) => /M{3}|E{3}/.test(pattern.replace(/'[^']*'/g, ""));

function LanguageOfNames({ show, set }: { show: Show; set: (part: Show) => void }) {
  const chosen = show.language ?? "";
  const offered = [...OFFERED_LANGUAGES, ...(OFFERED_LANGUAGES.includes(chosen) || !chosen ? [] : [chosen])];
  return (
    <Form.Group controlId="show-language" className="mt-2">
      <Form.Label>{tr("Names of months and days")}</Form.Label>
      <Form.Select value={chosen} onChange={(e) => set({ language: e.target.value || undefined })}>
        <option value="">{tr("in the file's language")}</option>
        {offered.map((code) => (
          <option key={code} value={code}>
            {tr("in {{language}}", { language: languageName(code) })}
          </option>
        ))}
      </Form.Select>
    </Form.Group>
  );
}

/** Without what stands at its default, so that the document says only what was chosen. */
export function withoutDefaults(show: Show): Show | undefined {
  const defaults: Show = {
    decimal_mark: ".",
    grouping: "",
    choice: "label",
    yes: "true",
    no: "false",
    case: "as_is",
    rounding: "half_away",
    pad_with: "0",
    pad_side: "left",
  };
  const kept = Object.entries(show).filter(
    ([name, value]) => value !== undefined && value !== null && value !== defaults[name as keyof Show],
  );
  return kept.length ? (Object.fromEntries(kept) as Show) : undefined;
}
