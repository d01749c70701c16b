import { useState } from "react";
import type { ManyWay } from "../../api";
import { Icon } from "../../shared";
import { useRecordType } from "../../document/hooks/useFields";
import type { Output } from "../../document/types";
import { FieldPicker } from "../../document/components/FieldPicker";
import { tr } from "../../i18n";

type ChildFile = NonNullable<Output["children"]>[number];

/** The columns of a file of children: their everyday fields, unless some are chosen. */
export function ChildColumns({
  child,
  way,
  onChange,
}: {
  child: ChildFile;
  way: ManyWay;
  onChange: (child: ChildFile) => void;
}) {
  const [adding, setAdding] = useState(false);
  const type = useRecordType(way.records);
  const groups = type.data?.groups ?? [];
  const chosen = child.columns ?? [];
  const labelOf = (path: string) => {
    const found = groups.flatMap((g) => g.fields).find((f) => f.path === path);
    return found?.label ?? path;
  };
  const put = (columns: string[]) => onChange(columns.length ? { ...child, columns } : { path: child.path });
  return (
    <div className="indented d-flex flex-wrap gap-1 align-items-center">
      {chosen.length === 0 && <span className="soft small">{tr("with their everyday fields")}</span>}
      {chosen.map((path) => (
        <span key={path} className="tag">
          {labelOf(path)}
          <button type="button" className="bare" onClick={() => put(chosen.filter((c) => c !== path))}>
            <Icon name="x" label={tr("Without {{path}}", { path: labelOf(path) })} />
          </button>
        </span>
      ))}
      {adding ? (
        <FieldPicker
          groups={groups}
          onPick={(field) => {
            setAdding(false);
            if (!chosen.includes(field.path)) put([...chosen, field.path]);
          }}
        />
      ) : (
        <button type="button" className="btn-link-plain small" onClick={() => setAdding(true)}>
          {chosen.length === 0 ? tr("choose their fields") : tr("+ field")}
        </button>
      )}
    </div>
  );
}
