import { Form } from "react-bootstrap";
import type { Output } from "../types";
import { TintRules } from "./TintRules";

const SEPARATORS: [string, string][] = [
  [",", "comma: most programs expect it"],
  [";", "semicolon: where the comma is the decimal mark"],
  ["\t", "tab"],
  ["|", "bar |"],
];

type Csv = NonNullable<Output["csv"]>;
type Xlsx = NonNullable<Output["xlsx"]>;

/** How a CSV is written. */
export function CsvOptions({ csv, set }: { csv: Csv; set: (part: Csv) => void }) {
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
          {!SEPARATORS.some(([mark]) => mark === (csv.separator ?? ",")) && (
            <option value={csv.separator}>another: {csv.separator}</option>
          )}
        </Form.Select>
        <Form.Control
          size="sm"
          className="mono mt-1"
          style={{ width: 150 }}
          maxLength={1}
          placeholder="or your own"
          aria-label="Another separator"
          onChange={(e) => e.target.value && set({ separator: e.target.value })}
        />
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
          <option value="merge">plain names, for programs that merge letters</option>
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

/** How pages for people are laid out. */
export function PageOptions({
  pages,
  set,
}: {
  pages: NonNullable<Output["pages"]>;
  set: (part: NonNullable<Output["pages"]>) => void;
}) {
  return (
    <>
      <Form.Group controlId="pages-layout">
        <Form.Label>On the pages</Form.Label>
        <Form.Select
          value={pages.layout ?? "table"}
          onChange={(e) => set({ layout: e.target.value as "table" | "cards" })}
        >
          <option value="table">all rows in one table</option>
          <option value="cards">one record a page</option>
        </Form.Select>
      </Form.Group>
      {pages.layout === "cards" && (
        <Form.Check
          id="pages-form"
          label="and an empty one, to be filled in by hand"
          checked={pages.form ?? false}
          onChange={(e) => set({ form: e.target.checked })}
        />
      )}
    </>
  );
}

/** What a spreadsheet says of itself, and its further sheets. */
export function XlsxOptions({
  xlsx,
  set,
  sheets,
  columns,
}: {
  xlsx: Xlsx;
  columns: { id: string; heading: string }[];
  set: (part: Xlsx) => void;
  /** Whether the format can have further sheets. */
  sheets: boolean;
}) {
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
      <Form.Group controlId="xlsx-keywords">
        <Form.Label>Keywords</Form.Label>
        <Form.Control value={xlsx.keywords ?? ""} onChange={(e) => set({ keywords: e.target.value })} />
      </Form.Group>
      {sheets && (
        <>
          <Form.Check
            id="xlsx-findings"
            label="with a sheet “Findings”: what was noted, and what checks object to"
            checked={xlsx.findings_sheet ?? false}
            onChange={(e) => set({ findings_sheet: e.target.checked })}
          />
          <Form.Check
            id="xlsx-about"
            label="with a sheet “About”: the sentence, the count, the moment"
            checked={xlsx.about_sheet ?? false}
            onChange={(e) => set({ about_sheet: e.target.checked })}
          />
          <ColumnChoice
            id="xlsx-editable"
            legend="May be changed in the file; all else is locked"
            columns={columns}
            chosen={xlsx.editable ?? []}
            onChange={(editable) => set({ editable })}
          />
          <ColumnChoice
            id="xlsx-bars"
            legend="With a bar behind each number"
            columns={columns}
            chosen={xlsx.bars ?? []}
            onChange={(bars) => set({ bars })}
          />
          <TintRules tints={xlsx.tints ?? []} columns={columns} onChange={(tints) => set({ tints })} />
          <Form.Group controlId="xlsx-chart">
            <Form.Label>A sheet with a chart of its numbers</Form.Label>
            <Form.Select
              value={xlsx.chart?.kind ?? ""}
              onChange={(e) =>
                set({ chart: e.target.value ? { kind: e.target.value as "bars" | "line" } : null })
              }
            >
              <option value="">none</option>
              <option value="bars">bars, one a row</option>
              <option value="line">a line along the rows</option>
            </Form.Select>
          </Form.Group>
        </>
      )}
    </>
  );
}

interface ColumnChoiceProps {
  id: string;
  legend: string;
  columns: { id: string; heading: string }[];
  chosen: string[];
  onChange: (ids: string[]) => void;
}

/** Some of the columns, shown only once somebody wants them. */
function ColumnChoice({ id, legend, columns, chosen, onChange }: ColumnChoiceProps) {
  return (
    <details open={chosen.length > 0}>
      <summary>{legend}</summary>
      <div className="pick-types">
        {columns.map((c) => (
          <Form.Check
            key={c.id}
            id={`${id}-${c.id}`}
            label={c.heading}
            checked={chosen.includes(c.id)}
            onChange={(e) =>
              onChange(e.target.checked ? [...chosen, c.id] : chosen.filter((known) => known !== c.id))
            }
          />
        ))}
      </div>
    </details>
  );
}
