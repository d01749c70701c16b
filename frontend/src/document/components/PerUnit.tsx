import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api } from "../../api";
import type { FieldGroup } from "../../api";
import { Trouble, count } from "../../shared";
import { useAsked } from "../tried";
import type { Condition, Document } from "../types";
import { Chip } from "./Chip";
import { FieldPicker } from "./FieldPicker";
import { valueCondition } from "./NarrowPicker";
import { Widen } from "./Widen";
import { narrowings, outermost, unitOf } from "../units";
import { tr } from "../../i18n";

interface Props {
  document: Document;
  templateId: number;
  groups: FieldGroup[];
  /** What the chip says; and, where rows can be narrowed by a value, how. */
  label?: string;
  onNarrow?: (node: Condition) => void;
  /** Widen to all units: given what widens a document. */
  onWiden?: (widen: (document: Document) => Document) => void;
}

/** How many rows each unit has: the counts by the values of any field, on demand. */
export function PerUnit({
  document,
  templateId,
  groups,
  label: said = tr("per unit"),
  onNarrow,
  onWiden,
}: Props) {
  const [open, setOpen] = useState(false);
  const [path, setPath] = useState<string | null>(null);
  const [last, setLast] = useState(document.records);
  if (last !== document.records) {
    setLast(document.records);
    setPath(null);
  }
  const units = groups.flatMap((g) =>
    g.path
      ? g.fields
          .filter((f) => f.everyday && f.kind === "text")
          .map((f) => ({ ...f, trail: `${g.label} › ${f.label}` }))
      : [],
  );
  const unit = path ?? unitOf(groups) ?? outermost(units)?.path ?? null;
  const label = groups.flatMap((g) => g.fields.map((f) => ({ f, g }))).find(({ f }) => f.path === unit);
  const { elsewhere, template_id, params } = useAsked(templateId);
  const counted = useQuery({
    queryKey: ["per-value", document, unit, elsewhere],
    enabled: open && unit !== null,
    queryFn: () =>
      answer(
        api.POST("/api/v1/design/per-value", {
          body: { document, path: unit!, template_id },
          params,
        }),
      ),
  });
  const most = Math.max(1, ...(counted.data ?? []).map((v) => v.rows));
  return (
    <Chip
      label={said}
      name={tr("Rows {{said}}", { said })}
      className="chip-add per-unit"
      open={open}
      onOpen={setOpen}
      title={
        label
          ? tr("Rows per {{path}}{{label}}", {
              path: label.g.path ? `${label.g.label.toLowerCase()}: ` : "",
              label: label.f.label.toLowerCase(),
            })
          : tr("Rows per…")
      }
    >
      {unit === null || path === "" ? (
        <FieldPicker groups={groups} onPick={(f) => setPath(f.path)} />
      ) : (
        <>
          <Trouble error={counted.error} />
          {counted.isPending && <span className="soft">{tr("counting…")}</span>}
          <ul className="top-values unit-counts">
            {counted.data?.map((v) => (
              <li key={v.value ?? ""}>
                {onNarrow && v.value && label ? (
                  <button
                    type="button"
                    className="btn-link-plain one-line"
                    title={tr("Only {{value}}", { value: v.value })}
                    onClick={() => {
                      setOpen(false);
                      onNarrow(valueCondition(label.f, v.value!));
                    }}
                  >
                    {v.value}
                  </button>
                ) : (
                  <span className={`one-line ${v.value ? "" : "soft"}`}>{v.value ?? tr("blank")}</span>
                )}
                <span className="bar">
                  <i style={{ width: `${(100 * v.rows) / most}%` }} />
                </span>
                <span className="mono">{count(v.rows)}</span>
              </li>
            ))}
          </ul>
          {unit && onWiden && label && narrowings(document, unit).length > 0 && (
            <Widen
              document={document}
              templateId={templateId}
              unit={unit}
              heading={label.g.label.split(" › ").at(-1) || label.f.label}
              now={(counted.data ?? []).reduce((n, v) => n + v.rows, 0)}
              onWiden={(widen) => {
                setOpen(false);
                onWiden(widen);
              }}
            />
          )}
          <button type="button" className="btn-link-plain small" onClick={() => setPath("")}>
            {tr("by another field")}
          </button>
        </>
      )}
    </Chip>
  );
}
