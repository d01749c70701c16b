import { useQuery } from "@tanstack/react-query";
import { Form } from "react-bootstrap";
import { answer, api } from "../../api";
import type { FieldGroup, Look, ManyWay, Problem } from "../../api";
import { Trouble, useDebounced } from "../../shared";
import type { Action } from "../reducer";
import type { Document, Output } from "../types";
import { Along } from "./Along";
import { SplitEditor } from "./SplitEditor";

interface Props {
  document: Document;
  templateId: number;
  look: Look | undefined;
  problems: Problem[];
  groups: FieldGroup[];
  ways: ManyWay[];
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
export function FileTab({ document, templateId, look, problems, groups, ways, editable, dispatch }: Props) {
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
        {editable && (
          <div className="name-parts">
            {nameParts(document).map(([part, words]) => (
              <button
                key={part}
                type="button"
                className="tag mono"
                title={words}
                onClick={() => set({ name: `${output.name ?? "{template}_{as_of:%Y-%m-%d}"}_${part}` })}
              >
                + {part}
              </button>
            ))}
          </div>
        )}
      </Form.Group>
      <Style document={document} output={output} set={set} />
      <div className="group-like">One file, or several</div>
      <SplitEditor document={document} groups={groups} dispatch={dispatch} />
      {format === "csv" && <CsvOptions csv={csv} set={setCsv} />}
      {format === "xlsx" && <XlsxOptions xlsx={xlsx} set={setXlsx} />}
      {format === "jsonl" && (
        <p className="soft mb-0">
          For programs: one JSON object a row, named by the headings. Numbers keep all their digits, blanks
          are null.
        </p>
      )}
      <Dictionary output={output} format={format} set={set} />
      <Along document={document} ways={ways} output={output} problems={problems} set={set} />
      {format !== "xlsx" && look && look.rows.length > 0 && problems.length === 0 && (
        <FirstLines document={document} templateId={templateId} />
      )}
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
      <Form.Group controlId="xlsx-keywords">
        <Form.Label>Keywords</Form.Label>
        <Form.Control value={xlsx.keywords ?? ""} onChange={(e) => set({ keywords: e.target.value })} />
      </Form.Group>
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
    </>
  );
}

/** For programs or for people: one switch on the same template. */
function Style({
  document,
  output,
  set,
}: {
  document: Document;
  output: Output;
  set: (part: Partial<Output>) => void;
}) {
  const reader = output.style === "reader";
  const options = output.reader ?? {};
  const setReader = (part: Output["reader"]) => set({ reader: { ...options, ...part } });
  return (
    <>
      <div role="radiogroup" aria-label="Style" className="d-flex gap-3">
        <Form.Check
          type="radio"
          id="style-machine"
          label="for programs"
          title="ISO dates, plain numbers, nothing but headings and rows"
          checked={!reader}
          onChange={() => set({ style: undefined })}
        />
        <Form.Check
          type="radio"
          id="style-reader"
          label="for readers"
          title="Dates and numbers as people write them, titles, groups, totals"
          checked={reader}
          onChange={() => set({ style: "reader" })}
        />
      </div>
      {reader && (
        <div className="indented">
          <Form.Group controlId="reader-locale">
            <Form.Label>Dates and numbers as in</Form.Label>
            <Form.Select value={output.locale ?? "en_GB"} onChange={(e) => set({ locale: e.target.value })}>
              {LOCALES.map(([code, words]) => (
                <option key={code} value={code}>
                  {words}
                </option>
              ))}
            </Form.Select>
          </Form.Group>
          <Form.Group controlId="reader-group">
            <Form.Label>A heading line for each</Form.Label>
            <Form.Select
              value={options.groups?.[0] ?? ""}
              onChange={(e) => setReader({ groups: e.target.value ? [e.target.value] : undefined })}
            >
              <option value="">no groups</option>
              {(document.columns ?? []).map((c) => (
                <option key={c.id} value={c.id}>
                  {c.heading}
                </option>
              ))}
            </Form.Select>
          </Form.Group>
          <Form.Check
            id="reader-title"
            label="lines of title above the headings"
            checked={options.title ?? true}
            onChange={(e) => setReader({ title: e.target.checked })}
          />
          <Form.Check
            id="reader-subtotals"
            label="subtotals of each group"
            checked={options.subtotals ?? true}
            onChange={(e) => setReader({ subtotals: e.target.checked })}
          />
          <Form.Check
            id="reader-total"
            label="a total at the end"
            checked={options.grand_total ?? true}
            onChange={(e) => setReader({ grand_total: e.target.checked })}
          />
        </div>
      )}
      {output.format !== "xlsx" && (
        <Form.Check
          id="guard"
          label="guard texts that begin like formulas"
          checked={output.guard_formulas ?? reader}
          onChange={(e) =>
            set({ guard_formulas: e.target.checked === reader ? undefined : e.target.checked })
          }
        />
      )}
    </>
  );
}

const LOCALES: [string, string][] = [
  ["en_GB", "Britain: 22/11/2026, 1,234.50"],
  ["en_US", "United States: 11/22/26, 1,234.50"],
  ["en_IE", "Ireland: 22/11/2026, 1,234.50"],
  ["de_DE", "Germany: 22.11.2026, 1.234,50"],
  ["de_CH", "Switzerland: 22.11.2026, 1’234.50"],
  ["fr_FR", "France: 22/11/2026, 1 234,50"],
  ["nl_NL", "Netherlands: 22-11-2026, 1.234,50"],
  ["es_ES", "Spain: 22/11/2026, 1234,50"],
  ["it_IT", "Italy: 22/11/2026, 1.234,50"],
  ["pl_PL", "Poland: 22.11.2026, 1234,50"],
  ["sv_SE", "Sweden: 2026-11-22, 1 234,50"],
];

/** What the columns mean, going along with the file. */
function Dictionary({
  output,
  format,
  set,
}: {
  output: Output;
  format: string;
  set: (part: Partial<Output>) => void;
}) {
  const chosen = output.dictionary ?? [];
  const forms: ["sheet" | "csv" | "csvw", string][] = [
    ...(format === "xlsx" ? ([["sheet", "as a sheet"]] as ["sheet", string][]) : []),
    ["csv", "as a CSV beside it"],
    ...(format === "csv"
      ? ([["csvw", "as metadata for programs (CSV on the Web)"]] as ["csvw", string][])
      : []),
  ];
  return (
    <fieldset>
      <legend>What the columns mean, along with it</legend>
      {forms.map(([form, words]) => (
        <Form.Check
          key={form}
          id={`dictionary-${form}`}
          label={words}
          checked={chosen.includes(form)}
          onChange={(e) => {
            const next = e.target.checked ? [...chosen, form] : chosen.filter((c) => c !== form);
            set({ dictionary: next.length ? next : undefined });
          }}
        />
      ))}
    </fieldset>
  );
}

function nameParts(document: Document): [string, string][] {
  return [
    ["{as_of:%Y-%m-%d}", "the day of the run"],
    ["{as_of:%H%M}", "its time"],
    ["{window_start:%Y-%m-%d}", "the first day of the window"],
    ["{rows}", "how many rows it has"],
    ["{sequence}", "the number of the run"],
    ...(document.asks ?? []).map((a): [string, string] => [`{ask.${a.name}}`, `the answer to “${a.label}”`]),
    ...(document.output?.split ? ([["{part}", "the number of the part"]] as [string, string][]) : []),
  ];
}

/** The first lines as the writer writes them. */
function FirstLines({ document, templateId }: { document: Document; templateId: number }) {
  const settled = useDebounced(document, 400);
  const lines = useQuery({
    queryKey: ["first-lines", settled],
    queryFn: () =>
      answer(
        api.POST("/api/v1/design/first-lines", {
          body: {
            document: settled as unknown as Record<string, never>,
            limit: 5,
            offset: 0,
            bench: "",
            keys: false,
            template_id: templateId,
          },
        }),
      ),
    placeholderData: (known) => known,
    retry: false,
  });
  return (
    <div>
      <div className="fw-bold">The first lines</div>
      <Trouble error={lines.error} />
      <pre tabIndex={0} aria-label="The first lines of the file" className="first-lines mono small mb-0">
        {lines.data?.text ?? "…"}
      </pre>
    </div>
  );
}
