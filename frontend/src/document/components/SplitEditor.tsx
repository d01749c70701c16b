import { Form } from "react-bootstrap";
import type { FieldGroup } from "../../api";
import type { Action } from "../reducer";
import type { Document, Output } from "../types";
import { Help } from "../../guide";
import { tr } from "../../i18n";

type Split = NonNullable<Output["split"]>;

interface Props {
  document: Document;
  groups: FieldGroup[];
  dispatch: (action: Action) => void;
}

const WAYS = {
  none: tr("one file"),
  rows: tr("a new file after a number of rows"),
  megabytes: tr("a new file after a number of megabytes"),
  by: tr("one for each value of a field"),
} as const;

/** One file, or several: by rows, by size, or by the value of a field. */
export function SplitEditor({ document, groups, dispatch }: Props) {
  const output = document.output ?? {};
  const split = output.split ?? null;
  const way = !split ? "none" : split.rows ? "rows" : split.megabytes ? "megabytes" : "by";
  const everyday = groups.flatMap((g) =>
    g.fields.filter((f) => f.everyday || f.path === split?.by).map((f) => ({ f, g })),
  );
  const set = (next: Split | null) =>
    dispatch({
      type: "setOutput",
      output: { ...output, split: next ?? undefined, name: named(output.name, next) },
    });
  const first = document.columns?.find((c) => "field" in c.value)?.id ?? everyday[0]?.f.path ?? "";
  return (
    <>
      <div className="d-flex align-items-center gap-2">
        <Form.Select
          aria-label={tr("One file, or several")}
          value={way}
          onChange={(e) =>
            set(
              {
                none: null,
                rows: { rows: 10_000 },
                megabytes: { megabytes: "10" },
                by: { by: first },
              }[e.target.value as keyof typeof WAYS],
            )
          }
        >
          {Object.entries(WAYS).map(([key, words]) => (
            <option key={key} value={key}>
              {words}
            </option>
          ))}
        </Form.Select>
        <Help topic="files#split-into-several" />
      </div>
      {split?.rows && (
        <Form.Control
          type="number"
          min={1}
          aria-label={tr("Rows in a file")}
          value={split.rows}
          onChange={(e) => set({ rows: Math.max(1, Number(e.target.value) || 1) })}
        />
      )}
      {split?.megabytes && (
        <Form.Control
          type="number"
          min={1}
          aria-label={tr("Megabytes of a file")}
          value={split.megabytes}
          onChange={(e) => set({ megabytes: String(Math.max(1, Number(e.target.value) || 1)) })}
        />
      )}
      {split && split.by !== undefined && (
        <>
          <Form.Select
            aria-label={tr("By")}
            value={split.by ?? ""}
            onChange={(e) => set({ ...split, by: e.target.value })}
          >
            <optgroup label={tr("Columns")}>
              {(document.columns ?? []).map((c) => (
                <option key={c.id} value={c.id}>
                  {c.heading}
                </option>
              ))}
            </optgroup>
            <optgroup label={tr("Fields")}>
              {everyday.map(({ f, g }) => (
                <option key={f.path} value={f.path}>
                  {g.path ? `${g.label} › ${f.label}` : f.label}
                </option>
              ))}
            </optgroup>
          </Form.Select>
          {output.format === "xlsx" && (
            <Form.Check
              id="split-sheets"
              label={tr("as sheets of one spreadsheet")}
              checked={split.into === "sheets"}
              onChange={(e) => set({ ...split, into: e.target.checked ? "sheets" : undefined })}
            />
          )}
        </>
      )}
    </>
  );
}

/** Several files need a name that tells them apart. */
function named(name: string | undefined, split: Split | null): string | undefined {
  const known = name ?? "{template}_{as_of:%Y-%m-%d}";
  if (!split || split.into === "sheets" || /\{(part|value)/.test(known)) return name;
  return `${known}_{part}`;
}
