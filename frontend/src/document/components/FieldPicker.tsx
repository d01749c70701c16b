import { useMemo } from "react";
import type { FieldGroup, FieldInfo } from "../../api";
import { Icon, KIND_ICONS, PickList } from "../../shared";
import { findFields } from "../search";
import { tr } from "../../i18n";

const SHOWN = 12;

interface Props {
  groups: FieldGroup[];
  onPick: (field: FieldInfo, group: FieldGroup) => void;
}

/** Type part of a field's name, meaning or synonym; Enter takes the first. */
export function FieldPicker({ groups, onPick }: Props) {
  const find = useMemo(
    () => (text: string) =>
      findFields(groups, text, { everyday: text === "" })
        .flatMap((g) => g.fields.map((f) => ({ field: f, group: g })))
        .slice(0, SHOWN)
        .map(({ field, group }) => ({
          key: field.path,
          label: fieldLabel(field),
          note: group.path ? group.label : "",
          field,
          group,
        })),
    [groups],
  );
  return (
    <PickList
      label={tr("Field")}
      placeholder={tr("Which field?")}
      find={find}
      onPick={({ field, group }) => onPick(field, group)}
      none={tr("No matches")}
    />
  );
}

export function fieldLabel(field: FieldInfo) {
  return (
    <>
      <Icon name={KIND_ICONS[field.kind] ?? "fileText"} /> {field.label}
    </>
  );
}
