import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import type { FieldGroup, FieldInfo } from "../../api";
import { Icon, NumberInput } from "../../shared";
import type { Across } from "../types";
import { FieldPicker } from "./FieldPicker";
import { Help } from "../../guide";
import { tr } from "../../i18n";

const STEPS = ["day", "week", "month", "quarter", "year"] as const;

interface Props {
  across: Across | null | undefined;
  groups: FieldGroup[];
  fieldOf: (path: string) => FieldInfo | undefined;
  onAcross: (across: Across | undefined) => void;
}

/** A value that stands across: each of its values becomes a column of every fold. */
export function AcrossEditor({ across, groups, fieldOf, onAcross }: Props) {
  const [choosing, setChoosing] = useState(false);
  if (choosing)
    return (
      <FieldPicker
        groups={groups}
        onPick={(field) => {
          setChoosing(false);
          const dated = ["date", "timestamp", "moment"].includes(field.kind);
          onAcross({ path: field.path, ...(dated && { step: "month" as const }) });
        }}
      />
    );
  if (!across)
    return (
      <div className="ms-4 mt-2">
        <Button variant="quiet" size="sm" onClick={() => setChoosing(true)}>
          {tr("and across…")}
        </Button>{" "}
        <span className="soft small">{tr("Its values become columns: wards down, months across.")}</span>
      </div>
    );
  const field = fieldOf(across.path);
  const dated = field && ["date", "timestamp", "moment"].includes(field.kind);
  const label = field?.label ?? across.path;
  const change = (part: Partial<Across>) => onAcross({ ...across, ...part });
  return (
    <fieldset className="ms-4 mt-2 d-flex gap-2 align-items-center flex-wrap">
      <legend className="visually-hidden">{tr("Across")}</legend>
      <span>
        {tr("across")} <Help topic="rows#across" />
      </span>{" "}
      <b>{label}</b>
      {dated && (
        <Form.Select
          size="sm"
          style={{ width: 118 }}
          aria-label={tr("Step of {{label}} across", { label })}
          value={across.step ?? ""}
          onChange={(e) => change({ step: (e.target.value || undefined) as Across["step"] })}
        >
          {field.kind === "date" && <option value="">{tr("as it is")}</option>}
          {STEPS.map((step) => (
            <option key={step} value={step}>
              {tr("by {{step}}", { step })}
            </option>
          ))}
        </Form.Select>
      )}
      {across.step && (
        <Form.Check
          id="across-gaps"
          label={tr("also empty ones")}
          checked={across.gaps ?? true}
          onChange={(e) => change({ gaps: e.target.checked ? undefined : false })}
        />
      )}
      <Form.Check
        id="across-total"
        label={tr("all together, too")}
        checked={across.total ?? true}
        onChange={(e) => change({ total: e.target.checked ? undefined : false })}
      />
      <label className="d-flex gap-1 align-items-center small">
        {tr("at most")}
        <NumberInput
          size="sm"
          style={{ width: 70 }}
          aria-label={tr("Values across at most")}
          value={String(across.most ?? 60)}
          onNumber={(most) => {
            const wanted = Number(most);
            if (Number.isInteger(wanted) && wanted >= 1 && wanted <= 200) change({ most: wanted });
          }}
        />
        {tr("of them")}
      </label>
      <button type="button" className="btn btn-quiet btn-sm" onClick={() => onAcross(undefined)}>
        <Icon name="x" label={tr("Not across {{label}}", { label })} />
      </button>
    </fieldset>
  );
}
