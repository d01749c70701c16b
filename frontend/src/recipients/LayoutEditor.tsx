import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { answer, api } from "../api";
import { FileInput, Icon, Trouble, useFormats } from "../shared";
import type { Acceptance, Kind, LayoutColumn } from "./acceptance";
import { KINDS } from "./acceptance";
import { Help } from "../guide";
import { tr } from "../i18n";

interface Props {
  acceptance: Acceptance;
  onChange: (part: Partial<Acceptance>) => void;
}

const SEPARATORS: [string, string][] = [
  [",", tr("commas")],
  [";", tr("semicolons")],
  ["\t", tr("tabs")],
  ["|", tr("bars")],
];

const ENCODINGS = ["utf-8", "utf-8-sig", "utf-16", "windows-1252", "iso-8859-1"];

/** The form of somebody's files, and the columns they ask for. */
export function LayoutEditor({ acceptance, onChange }: Props) {
  const formats = useFormats();
  const columns = acceptance.columns ?? [];
  const put = (at: number, part: Partial<LayoutColumn>) =>
    onChange({ columns: columns.map((c, n) => (n === at ? clean({ ...c, ...part }) : c)) });
  const csv = acceptance.format === "csv" || (!acceptance.format && acceptance.csv);
  return (
    <div className="d-grid gap-2 align-content-start">
      <div className="d-flex gap-2 flex-wrap">
        <Form.Group controlId="layout-format">
          <Form.Label>{tr("They take")}</Form.Label>
          <Form.Select
            value={acceptance.format ?? ""}
            onChange={(e) => onChange({ format: (e.target.value || null) as Acceptance["format"] })}
          >
            <option value="">{tr("the file as the template makes it")}</option>
            {formats.map((f) => (
              <option key={f.name} value={f.name}>
                {f.label}
              </option>
            ))}
          </Form.Select>
        </Form.Group>
        {csv && (
          <>
            <Form.Group controlId="layout-separator">
              <Form.Label>{tr("with")}</Form.Label>
              <Form.Select
                value={acceptance.csv?.separator ?? ","}
                onChange={(e) => onChange({ csv: { ...acceptance.csv, separator: e.target.value } })}
              >
                {SEPARATORS.map(([mark, words]) => (
                  <option key={words} value={mark}>
                    {words}
                  </option>
                ))}
              </Form.Select>
            </Form.Group>
            <Form.Group controlId="layout-encoding">
              <Form.Label>{tr("in")}</Form.Label>
              <Form.Select
                value={acceptance.csv?.encoding ?? "utf-8"}
                onChange={(e) =>
                  onChange({ csv: { ...acceptance.csv, encoding: e.target.value as Encoding } })
                }
              >
                {ENCODINGS.map((name) => (
                  <option key={name}>{name}</option>
                ))}
              </Form.Select>
            </Form.Group>
          </>
        )}
        <Form.Group controlId="layout-name" className="flex-fill">
          <Form.Label>{tr("called")}</Form.Label>
          <Form.Control
            className="mono"
            maxLength={200}
            placeholder={tr("as the template says")}
            value={acceptance.name ?? ""}
            onChange={(e) => onChange({ name: e.target.value })}
          />
        </Form.Group>
        <Form.Group controlId="layout-rows">
          <Form.Label>{tr("rows at most")}</Form.Label>
          <Form.Control
            type="number"
            min={1}
            value={acceptance.most_rows ?? ""}
            onChange={(e) => onChange({ most_rows: e.target.value ? Number(e.target.value) : null })}
          />
        </Form.Group>
      </div>
      <div className="d-flex flex-wrap gap-2 align-items-center">
        <h3 className="h6 m-0">
          {tr("Their columns")} <Help topic="sending#a-recipient" />
        </h3>
        <Sample onFound={onChange} />
        <Button
          variant="quiet"
          size="sm"
          onClick={() => onChange({ columns: [...columns, { heading: newHeading(columns) }] })}
        >
          <Icon name="plus" /> {tr("A column")}
        </Button>
      </div>
      {columns.length === 0 ? (
        <p className="soft m-0">
          {tr(
            "No layout: they take whatever columns the template has. Paste a header row of theirs, or give a sample file, to hold templates against it.",
          )}
        </p>
      ) : (
        <>
          <Form.Check
            id="layout-exact"
            label={tr("These columns in this order, and no others")}
            checked={acceptance.exact ?? true}
            onChange={(e) => onChange({ exact: e.target.checked })}
          />
          <div className="layout-columns">
            <table className="board plain">
              <thead>
                <tr>
                  <th>{tr("Heading")}</th>
                  <th>{tr("Kind")}</th>
                  <th>{tr("Never blank")}</th>
                  <th>{tr("Each its own")}</th>
                  <th>{tr("Full %")}</th>
                  <th>{tr("Longest")}</th>
                  <th>{tr("From")}</th>
                  <th>{tr("To")}</th>
                  <th>{tr("One of")}</th>
                  <th>{tr("Form")}</th>
                  <th>
                    <span className="visually-hidden">{tr("Remove")}</span>
                  </th>
                </tr>
              </thead>
              <tbody>
                {columns.map((column, n) => (
                  <ColumnRow
                    key={n}
                    column={column}
                    onChange={(part) => put(n, part)}
                    onRemove={() => onChange({ columns: columns.filter((_, at) => at !== n) })}
                  />
                ))}
              </tbody>
            </table>
          </div>
        </>
      )}
    </div>
  );
}

function newHeading(columns: LayoutColumn[]): string {
  const known = new Set(columns.map((c) => c.heading));
  let n = columns.length + 1;
  while (known.has(tr("Column {{n}}", { n }))) n += 1;
  return tr("Column {{n}}", { n });
}

function clean(column: LayoutColumn): LayoutColumn {
  const kept = Object.entries(column).filter(([, v]) => v !== undefined && v !== false && v !== "");
  return { heading: column.heading, ...Object.fromEntries(kept) };
}

type Encoding = NonNullable<NonNullable<Acceptance["csv"]>["encoding"]>;

interface RowProps {
  column: LayoutColumn;
  onChange: (part: Partial<LayoutColumn>) => void;
  onRemove: () => void;
}

function ColumnRow({ column, onChange, onRemove }: RowProps) {
  const number = (name: "full" | "longest" | "least" | "greatest", label: string) => (
    <td>
      <Form.Control
        size="sm"
        className="narrow"
        inputMode="decimal"
        aria-label={tr("{{label}} of {{column}}", { label, column: column.heading })}
        value={column[name] ?? ""}
        onChange={(e) => {
          const value = e.target.value.trim();
          onChange({ [name]: value === "" || Number.isNaN(Number(value)) ? undefined : Number(value) });
        }}
      />
    </td>
  );
  const mark = (name: "required" | "unique", label: string) => (
    <td className="text-center">
      <Form.Check
        aria-label={`${column.heading}: ${label}`}
        checked={column[name] ?? false}
        onChange={(e) => onChange({ [name]: e.target.checked })}
      />
    </td>
  );
  return (
    <tr>
      <td>
        <Form.Control
          size="sm"
          className="mono"
          required
          maxLength={300}
          aria-label={tr("Heading")}
          value={column.heading}
          onChange={(e) => onChange({ heading: e.target.value })}
        />
      </td>
      <td>
        <Form.Select
          size="sm"
          aria-label={tr("Kind of {{column}}", { column: column.heading })}
          value={column.kind ?? "any"}
          onChange={(e) => onChange({ kind: e.target.value as Kind })}
        >
          {Object.entries(KINDS).map(([kind, words]) => (
            <option key={kind} value={kind}>
              {words}
            </option>
          ))}
        </Form.Select>
      </td>
      {mark("required", tr("never blank"))}
      {mark("unique", tr("each its own"))}
      {number("full", tr("Share that is full"))}
      {number("longest", tr("Longest value"))}
      {number("least", tr("Least value"))}
      {number("greatest", tr("Greatest value"))}
      <td>
        <Form.Control
          size="sm"
          aria-label={tr("Values of {{column}}", { column: column.heading })}
          value={(column.one_of ?? []).join(", ")}
          onChange={(e) => onChange({ one_of: e.target.value ? e.target.value.split(/,\s*/) : undefined })}
        />
      </td>
      <td>
        <Form.Control
          size="sm"
          className="mono narrow"
          aria-label={tr("Form of {{column}}", { column: column.heading })}
          value={column.pattern ?? ""}
          onChange={(e) => onChange({ pattern: e.target.value })}
        />
      </td>
      <td>
        <Button
          variant="quiet"
          size="sm"
          aria-label={tr("Remove {{column}}", { column: column.heading })}
          onClick={onRemove}
        >
          <Icon name="x" />
        </Button>
      </td>
    </tr>
  );
}

/** A layout from a pasted header row, or from a sample file. */
function Sample({ onFound }: { onFound: (part: Partial<Acceptance>) => void }) {
  const [open, setOpen] = useState(false);
  const [text, setText] = useState("");
  const find = useMutation({
    mutationFn: (given: string) => answer(api.POST("/api/v1/recipients/layout", { body: { text: given } })),
    onSuccess: ({ acceptance }) => {
      onFound(acceptance);
      setOpen(false);
    },
  });
  const read = useMutation({
    mutationFn: async (file: File) => {
      if (!/\.(xlsx|xls|ods)$/i.test(file.name))
        return (await file.text()).slice(0, /\.json$/i.test(file.name) ? 200_000 : 100_000);
      const response = await fetch("/api/v1/design/header-of-file", {
        method: "POST",
        headers: { "Content-Type": "application/octet-stream" },
        body: file,
      });
      if (!response.ok) throw new Error(tr("This file cannot be read as a spreadsheet."));
      return ((await response.json()) as { text: string }).text;
    },
    onSuccess: (found) => find.mutate(found),
  });
  if (!open) {
    return (
      <Button variant="quiet" size="sm" onClick={() => setOpen(true)}>
        <Icon name="paste" /> {tr("Layout from a sample…")}
      </Button>
    );
  }
  return (
    <div className="slab w-100 order-last">
      <Form.Group controlId="layout-text">
        <Form.Label>
          {tr(
            "Their header row, with a few rows below it or without; or their metadata (CSV on the Web, JSON)",
          )}
        </Form.Label>
        <Form.Control
          as="textarea"
          rows={3}
          className="mono"
          autoFocus
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
      </Form.Group>
      <div className="d-flex gap-2 align-items-center mt-2">
        <Button size="sm" disabled={!text.trim() || find.isPending} onClick={() => find.mutate(text)}>
          {tr("Take these columns")}
        </Button>
        <label className="btn btn-quiet btn-sm">
          {tr("or a sample file…")}
          <FileInput accept=".csv,.txt,.tsv,.xlsx,.xls,.ods,.json" onFile={(file) => read.mutate(file)} />
        </label>
        <Button variant="quiet" size="sm" onClick={() => setOpen(false)}>
          {tr("Cancel")}
        </Button>
      </div>
      <Trouble error={find.error ?? read.error} />
    </div>
  );
}
