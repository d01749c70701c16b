import { useMemo, useState } from "react";
import type { FieldGroup, FieldInfo } from "../../api";
import { Icon, KIND_ICONS } from "../../shared";
import { findFields } from "../search";

const SHOWN = 12;

/** Type part of a field's name, meaning or synonym; Enter takes the first. */
export function FieldPicker({
  groups,
  onPick,
}: {
  groups: FieldGroup[];
  onPick: (field: FieldInfo) => void;
}) {
  const [text, setText] = useState("");
  const [at, setAt] = useState(0);
  const found = useMemo(
    () =>
      findFields(groups, text, { everyday: text === "" })
        .flatMap((g) => g.fields.map((f) => ({ field: f, group: g })))
        .slice(0, SHOWN),
    [groups, text],
  );
  return (
    <>
      <div className="search">
        <Icon name="search" />
        <input
          autoFocus
          aria-label="Field"
          placeholder="Which field?"
          value={text}
          onChange={(e) => {
            setText(e.target.value);
            setAt(0);
          }}
          onKeyDown={(e) => {
            if (e.key === "ArrowDown") setAt((n) => Math.min(n + 1, found.length - 1));
            else if (e.key === "ArrowUp") setAt((n) => Math.max(n - 1, 0));
            else if (e.key === "Enter" && found[at]) onPick(found[at].field);
            else return;
            e.preventDefault();
          }}
        />
      </div>
      <div>
        {found.map(({ field, group }, n) => (
          <button
            key={field.path}
            type="button"
            className="option"
            aria-pressed={n === at}
            onClick={() => onPick(field)}
          >
            <Icon name={KIND_ICONS[field.kind] ?? "fileText"} /> {field.label}
            <span>{group.path ? group.label : ""}</span>
          </button>
        ))}
        {found.length === 0 && <div className="soft">No field is called that.</div>}
      </div>
    </>
  );
}
