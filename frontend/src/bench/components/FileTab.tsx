import { Form } from "react-bootstrap";
import type { Look, Problem } from "../../api";
import type { Action } from "../reducer";
import type { Document, Output } from "../types";

interface Props {
  document: Document;
  look: Look | undefined;
  problems: Problem[];
  editable: boolean;
  dispatch: (action: Action) => void;
}

const SEPARATORS: [string, string][] = [
  [",", "comma: most programs expect it"],
  [";", "semicolon: where the comma is the decimal mark"],
  ["\t", "tab"],
  ["|", "bar |"],
];

/** The file as it will be: its form, its name, and its first lines. */
export function FileTab({ document, look, problems, editable, dispatch }: Props) {
  const output = document.output ?? {};
  const format = output.format ?? "csv";
  const set = (part: Partial<Output>) => dispatch({ type: "setOutput", output: { ...output, ...part } });
  const csv = output.csv ?? {};
  const xlsx = output.xlsx ?? {};
  const setCsv = (part: Output["csv"]) => set({ csv: { ...csv, ...part } });
  const setXlsx = (part: Output["xlsx"]) => set({ xlsx: { ...xlsx, ...part } });
  return (
    <fieldset className="shelf-form" disabled={!editable}>
      <div role="radiogroup" aria-label="Format" className="d-flex gap-3">
        <Form.Check
          type="radio"
          id="format-csv"
          label="CSV"
          checked={format === "csv"}
          onChange={() => set({ format: "csv" })}
        />
        <Form.Check
          type="radio"
          id="format-xlsx"
          label="Spreadsheet"
          checked={format === "xlsx"}
          onChange={() => set({ format: "xlsx" })}
        />
        <Form.Check
          type="radio"
          id="format-jsonl"
          label="JSON Lines"
          checked={format === "jsonl"}
          onChange={() => set({ format: "jsonl" })}
        />
      </div>
      <Form.Group controlId="file-name">
        <Form.Label>File name</Form.Label>
        <Form.Control
          className="mono"
          value={output.name ?? "{template}_{as_of:%Y-%m-%d}"}
          onChange={(e) => set({ name: e.target.value })}
        />
        {problems
          .filter((p) => p.place.startsWith("output"))
          .map((p) => (
            <div key={p.message} className="field-trouble" role="alert">
              {p.message}
            </div>
          ))}
        <Form.Text>
          {look?.file_name ? (
            <>
              today: <span className="mono">{look.file_name}</span>
            </>
          ) : (
            "parts: {template} {records} {as_of:%Y-%m-%d} {rows}"
          )}
        </Form.Text>
      </Form.Group>
      {format === "csv" && <CsvOptions csv={csv} set={setCsv} />}
      {format === "xlsx" && <XlsxOptions xlsx={xlsx} set={setXlsx} />}
      {format === "jsonl" && (
        <p className="soft mb-0">
          For programs: one JSON object a row, named by the headings. Numbers keep all their digits, blanks
          are null.
        </p>
      )}
      {format === "csv" && look && look.rows.length > 0 && <FirstLines look={look} csv={csv} />}
    </fieldset>
  );
}

type Csv = NonNullable<Output["csv"]>;
type Xlsx = NonNullable<Output["xlsx"]>;

function CsvOptions({ csv, set }: { csv: Csv; set: (part: Csv) => void }) {
  return (
    <>
      <Form.Group controlId="csv-separator">
        <Form.Label>Separator</Form.Label>
        <Form.Select value={csv.separator ?? ","} onChange={(e) => set({ separator: e.target.value })}>
          {SEPARATORS.map(([mark, words]) => (
            <option key={mark} value={mark}>
              {words}
            </option>
          ))}
        </Form.Select>
      </Form.Group>
      <Form.Group controlId="csv-heading-row">
        <Form.Label>First row</Form.Label>
        <Form.Select
          value={csv.heading_row ?? "headings"}
          onChange={(e) => set({ heading_row: e.target.value as Csv["heading_row"] })}
        >
          <option value="headings">the headings</option>
          <option value="names">the technical names</option>
          <option value="both">headings, then technical names</option>
          <option value="none">none: rows from the first line on</option>
        </Form.Select>
      </Form.Group>
      <Form.Group controlId="csv-encoding">
        <Form.Label>Letters</Form.Label>
        <Form.Select
          value={csv.encoding ?? "utf-8"}
          onChange={(e) => set({ encoding: e.target.value as Csv["encoding"] })}
        >
          <option value="utf-8">UTF-8: every letter there is</option>
          <option value="utf-8-sig">UTF-8 with signature, for spreadsheets</option>
          <option value="utf-16">UTF-16</option>
          <option value="windows-1252">Windows-1252: Western letters only</option>
          <option value="iso-8859-1">ISO 8859-1: Western letters only</option>
        </Form.Select>
      </Form.Group>
      {["windows-1252", "iso-8859-1"].includes(csv.encoding ?? "") && (
        <Form.Group controlId="csv-unencodable">
          <Form.Label>A letter it does not have</Form.Label>
          <Form.Select
            value={csv.unencodable ?? "stop"}
            onChange={(e) => set({ unencodable: e.target.value as Csv["unencodable"] })}
          >
            <option value="stop">stops the run</option>
            <option value="replace">becomes “?”, and is counted</option>
          </Form.Select>
        </Form.Group>
      )}
      <div className="pair">
        <Form.Group controlId="csv-quoting">
          <Form.Label>Quotation marks</Form.Label>
          <Form.Select
            value={csv.quoting ?? "as_needed"}
            onChange={(e) => set({ quoting: e.target.value as Csv["quoting"] })}
          >
            <option value="as_needed">where needed</option>
            <option value="text">round all text</option>
            <option value="everything">round everything</option>
          </Form.Select>
        </Form.Group>
        <Form.Group controlId="csv-line-end">
          <Form.Label>Line end</Form.Label>
          <Form.Select
            value={csv.line_end ?? "CRLF"}
            onChange={(e) => set({ line_end: e.target.value as Csv["line_end"] })}
          >
            <option value="CRLF">CR LF</option>
            <option value="LF">LF</option>
          </Form.Select>
        </Form.Group>
      </div>
    </>
  );
}

function XlsxOptions({ xlsx, set }: { xlsx: Xlsx; set: (part: Xlsx) => void }) {
  return (
    <>
      <Form.Group controlId="xlsx-sheet">
        <Form.Label>Name of the sheet</Form.Label>
        <Form.Control
          maxLength={31}
          placeholder="after the records"
          value={xlsx.sheet ?? ""}
          onChange={(e) => set({ sheet: e.target.value })}
        />
      </Form.Group>
      <Form.Group controlId="xlsx-title">
        <Form.Label>Title in the file&apos;s properties</Form.Label>
        <Form.Control
          placeholder="the template's name"
          value={xlsx.title ?? ""}
          onChange={(e) => set({ title: e.target.value })}
        />
      </Form.Group>
      <div className="pair">
        <Form.Group controlId="xlsx-subject">
          <Form.Label>Subject</Form.Label>
          <Form.Control value={xlsx.subject ?? ""} onChange={(e) => set({ subject: e.target.value })} />
        </Form.Group>
        <Form.Group controlId="xlsx-author">
          <Form.Label>Author</Form.Label>
          <Form.Control value={xlsx.author ?? ""} onChange={(e) => set({ author: e.target.value })} />
        </Form.Group>
      </div>
      <Form.Check
        id="xlsx-about"
        label="with a sheet “About”: the sentence, the count, the moment"
        checked={xlsx.about_sheet ?? false}
        onChange={(e) => set({ about_sheet: e.target.checked })}
      />
    </>
  );
}

function FirstLines({ look, csv }: { look: Look; csv: Csv }) {
  const separator = csv.separator ?? ",";
  const everything = csv.quoting === "everything";
  const cell = (text: string | null) => {
    const value = text ?? "";
    return everything || /["\r\n]/.test(value) || value.includes(separator)
      ? `"${value.replaceAll('"', '""')}"`
      : value;
  };
  const lines = [
    ...(csv.heading_row === "none" || csv.heading_row === "names"
      ? []
      : [look.columns.map((c) => c.heading)]),
    ...look.rows.slice(0, 3),
  ];
  return (
    <div>
      <div className="fw-bold">The first lines</div>
      <pre
        tabIndex={0}
        aria-label="The first lines of the file"
        className="mono small mb-0"
        style={{ background: "var(--paper)", padding: 8, borderRadius: 6 }}
      >
        {lines.map((line) => line.map(cell).join(separator)).join("\n")}
      </pre>
    </div>
  );
}
