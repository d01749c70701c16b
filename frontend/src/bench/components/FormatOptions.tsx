import { Form } from "react-bootstrap";
import type { Output } from "../../document/types";
import { TintRules } from "./TintRules";
import { tr } from "../../i18n";

const SEPARATORS: [string, string][] = [
  [",", tr("comma: most programs expect it")],
  [";", tr("semicolon: where the comma is the decimal mark")],
  ["\t", "tab"],
  ["|", tr("bar |")],
];

type Csv = NonNullable<Output["csv"]>;
type Xlsx = NonNullable<Output["xlsx"]>;

/** How a CSV is written. */
export function CsvOptions({ csv, set }: { csv: Csv; set: (part: Csv) => void }) {
  return (
    <>
      <Form.Group controlId="csv-separator">
        <Form.Label>{tr("Separator")}</Form.Label>
        <Form.Select value={csv.separator ?? ","} onChange={(e) => set({ separator: e.target.value })}>
          {SEPARATORS.map(([mark, words]) => (
            <option key={mark} value={mark}>
              {words}
            </option>
          ))}
          {!SEPARATORS.some(([mark]) => mark === (csv.separator ?? ",")) && (
            <option value={csv.separator}>
              {tr("another: {{separator}}", { separator: csv.separator })}
            </option>
          )}
        </Form.Select>
        <Form.Control
          size="sm"
          className="mono mt-1"
          style={{ width: 150 }}
          maxLength={1}
          placeholder={tr("or your own")}
          aria-label={tr("Another separator")}
          onChange={(e) => e.target.value && set({ separator: e.target.value })}
        />
      </Form.Group>
      <Form.Group controlId="csv-heading-row">
        <Form.Label>{tr("First row")}</Form.Label>
        <Form.Select
          value={csv.heading_row ?? "headings"}
          onChange={(e) => set({ heading_row: e.target.value as Csv["heading_row"] })}
        >
          <option value="headings">{tr("the headings")}</option>
          <option value="names">{tr("the technical names")}</option>
          <option value="both">{tr("headings, then technical names")}</option>
          <option value="merge">{tr("plain names, for programs that merge letters")}</option>
          <option value="none">{tr("none: rows from the first line on")}</option>
        </Form.Select>
      </Form.Group>
      <Form.Group controlId="csv-encoding">
        <Form.Label>{tr("Letters")}</Form.Label>
        <Form.Select
          value={csv.encoding ?? "utf-8"}
          onChange={(e) => set({ encoding: e.target.value as Csv["encoding"] })}
        >
          <option value="utf-8">{tr("UTF-8: every letter there is")}</option>
          <option value="utf-8-sig">{tr("UTF-8 with signature, for spreadsheets")}</option>
          <option value="utf-16">{tr("UTF-16")}</option>
          <option value="windows-1252">{tr("Windows-1252: Western letters only")}</option>
          <option value="iso-8859-1">{tr("ISO 8859-1: Western letters only")}</option>
        </Form.Select>
      </Form.Group>
      {["windows-1252", "iso-8859-1"].includes(csv.encoding ?? "") && (
        <Form.Group controlId="csv-unencodable">
          <Form.Label>{tr("A letter it does not have")}</Form.Label>
          <Form.Select
            value={csv.unencodable ?? "stop"}
            onChange={(e) => set({ unencodable: e.target.value as Csv["unencodable"] })}
          >
            <option value="stop">{tr("stops the run")}</option>
            <option value="replace">{tr("becomes “?”, and is counted")}</option>
          </Form.Select>
        </Form.Group>
      )}
      <div className="pair">
        <Form.Group controlId="csv-quoting">
          <Form.Label>{tr("Quotation marks")}</Form.Label>
          <Form.Select
            value={csv.quoting ?? "as_needed"}
            onChange={(e) => set({ quoting: e.target.value as Csv["quoting"] })}
          >
            <option value="as_needed">{tr("where needed")}</option>
            <option value="text">{tr("round all text")}</option>
            <option value="everything">{tr("round everything")}</option>
          </Form.Select>
        </Form.Group>
        <Form.Group controlId="csv-line-end">
          <Form.Label>{tr("Line end")}</Form.Label>
          <Form.Select
            value={csv.line_end ?? "CRLF"}
            onChange={(e) => set({ line_end: e.target.value as Csv["line_end"] })}
          >
            <option value="CRLF">{tr("CR LF")}</option>
            <option value="LF">{tr("LF")}</option>
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
        <Form.Label>{tr("On the pages")}</Form.Label>
        <Form.Select
          value={pages.layout ?? "table"}
          onChange={(e) => set({ layout: e.target.value as "table" | "cards" })}
        >
          <option value="table">{tr("all rows in one table")}</option>
          <option value="cards">{tr("one record a page")}</option>
        </Form.Select>
      </Form.Group>
      {pages.layout === "cards" && (
        <Form.Check
          id="pages-form"
          label={tr("and an empty one, to be filled in by hand")}
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
        <Form.Label>{tr("Name of the sheet")}</Form.Label>
        <Form.Control
          maxLength={31}
          placeholder={tr("after the records")}
          value={xlsx.sheet ?? ""}
          onChange={(e) => set({ sheet: e.target.value })}
        />
      </Form.Group>
      <Form.Group controlId="xlsx-title">
        <Form.Label>{tr("Title in the file's properties")}</Form.Label>
        <Form.Control
          placeholder={tr("the template's name")}
          value={xlsx.title ?? ""}
          onChange={(e) => set({ title: e.target.value })}
        />
      </Form.Group>
      <div className="pair">
        <Form.Group controlId="xlsx-subject">
          <Form.Label>{tr("Subject")}</Form.Label>
          <Form.Control value={xlsx.subject ?? ""} onChange={(e) => set({ subject: e.target.value })} />
        </Form.Group>
        <Form.Group controlId="xlsx-author">
          <Form.Label>{tr("Author")}</Form.Label>
          <Form.Control value={xlsx.author ?? ""} onChange={(e) => set({ author: e.target.value })} />
        </Form.Group>
      </div>
      <Form.Group controlId="xlsx-keywords">
        <Form.Label>{tr("Keywords")}</Form.Label>
        <Form.Control value={xlsx.keywords ?? ""} onChange={(e) => set({ keywords: e.target.value })} />
      </Form.Group>
      {sheets && (
        <>
          <Form.Check
            id="xlsx-findings"
            label={tr("with a sheet “Findings”: what was noted, and what checks object to")}
            checked={xlsx.findings_sheet ?? false}
            onChange={(e) => set({ findings_sheet: e.target.checked })}
          />
          <Form.Check
            id="xlsx-about"
            label={tr("with a sheet “About”: the sentence, the count, the moment")}
            checked={xlsx.about_sheet ?? false}
            onChange={(e) => set({ about_sheet: e.target.checked })}
          />
          <ColumnChoice
            id="xlsx-editable"
            legend={tr("May be changed in the file; all else is locked")}
            columns={columns}
            chosen={xlsx.editable ?? []}
            onChange={(editable) => set({ editable })}
          />
          <ColumnChoice
            id="xlsx-bars"
            legend={tr("With a bar behind each number")}
            columns={columns}
            chosen={xlsx.bars ?? []}
            onChange={(bars) => set({ bars })}
          />
          <TintRules tints={xlsx.tints ?? []} columns={columns} onChange={(tints) => set({ tints })} />
          <Form.Group controlId="xlsx-chart">
            <Form.Label>{tr("A sheet with a chart of its numbers")}</Form.Label>
            <Form.Select
              value={xlsx.chart?.kind ?? ""}
              onChange={(e) =>
                set({ chart: e.target.value ? { kind: e.target.value as "bars" | "line" } : null })
              }
            >
              <option value="">{tr("none")}</option>
              <option value="bars">{tr("bars, one a row")}</option>
              <option value="line">{tr("a line along the rows")}</option>
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
