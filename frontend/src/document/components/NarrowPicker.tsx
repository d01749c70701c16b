import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { resources } from "../../api";
import type { FieldGroup, FieldInfo, RecordTypeFields, SheetColumn } from "../../api";
import { PickList, count, plural, useDebounced } from "../../shared";
import type { Pickable } from "../../shared";
import { computedColumns, onColumn } from "../columns";
import { firstCondition } from "../defaults";
import { LEAST, rowType, useFind } from "../hooks/useFind";
import { findFields } from "../search";
import type { Condition, Document, Narrowing } from "../types";
import { fieldLabel } from "./FieldPicker";
import { tr } from "../../i18n";

const SHOWN = 9;
const HITS = 4;
const QUIET = 350;

interface Props {
  document: Document;
  start: RecordTypeFields | undefined;
  groups: FieldGroup[];
  fieldOf: (path: string) => FieldInfo | undefined;
  /** The columns of the sheet, as they stand. */
  sheet: SheetColumn[];
  /** `by` says which part of the new narrowing is edited next: its value, or nothing when it is whole already. */
  onPick: (node: Narrowing, whole: boolean) => void;
}

interface Choice extends Pickable {
  node: Narrowing;
  whole: boolean;
}

/** Narrow by a field's name, by a value somebody knows, by what a record has, by a saved list, or by a formula. */
export function NarrowPicker({ document, start, groups, fieldOf, sheet, onPick }: Props) {
  const [text, setText] = useState("");
  const { records, pathOf } = rowType(document, start);
  const wanted = useDebounced(text, QUIET);
  const finding = useFind(records, wanted.length > LEAST ? wanted : "");
  const saved = useQuery({ ...resources.picks(document.records), staleTime: 60_000 });
  const lists = saved.data;
  const ways = start?.many;
  const fixed = useMemo<(Choice & { hay: string })[]>(
    () => [
      ...(ways ?? [])
        .filter((w) => !w.path.includes("."))
        .map((w) => ({
          key: `has ${w.path}`,
          label: tr("it has any {{plural}}, or none", { plural: w.plural }),
          note: "",
          hay: `has any none ${w.plural} ${w.label}`.toLowerCase(),
          node: { path: w.path, has: "any" } as Narrowing,
          whole: false,
        })),
      ...(lists ?? []).map((p) => ({
        key: `picks ${p.name}`,
        label: tr("it is in the list “{{name}}”", { name: p.name }),
        note: plural(p.size, "record"),
        hay: `list picks ${p.name}`.toLowerCase(),
        node: { picks: p.name } as Narrowing,
        whole: true,
      })),
      ...computedColumns(document, sheet).map((column) => ({
        key: `column ${column.path}`,
        label: tr("the column “{{column}}”", { column: column.label }),
        note: tr("a result"),
        hay: `column result ${column.label}`.toLowerCase(),
        node: onColumn(firstCondition(column), column.path) as Narrowing,
        whole: false,
      })),
      {
        key: "formula",
        label: tr("a formula is true…"),
        note: "",
        hay: "formula",
        node: { formula: "TRUE()" } as Narrowing,
        whole: false,
      },
    ],
    [ways, lists, document, sheet],
  );
  const find = (typed: string): Choice[] => {
    const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
    const fields = findFields(groups, typed, { everyday: typed === "" })
      .flatMap((g) => g.fields.map((f) => ({ field: f, group: g })))
      .slice(0, SHOWN)
      .map(({ field, group }) => ({
        key: field.path,
        label: fieldLabel(field),
        note: group.path ? group.label : "",
        node: firstCondition(field),
        whole: false,
      }));
    const byValue = finding.hits.slice(0, HITS).flatMap((hit): Choice[] => {
      const field = fieldOf(pathOf(hit.path));
      if (!field) return [];
      return [
        {
          key: `value ${hit.path} ${hit.value}`,
          label: (
            <>
              {fieldLabel(field)} {tr("is")} <b>{hit.value}</b>
            </>
          ),
          note: `${hit.exact ? "" : tr("about ")}${count(hit.count)}`,
          node: valueCondition(field, hit.value),
          whole: true,
        },
      ];
    });
    const others = fixed.filter((f) => words.length > 0 && words.every((w) => f.hay.includes(w)));
    return [...fields, ...byValue, ...(typed === "" ? fixed : others)].slice(0, SHOWN + HITS + 2);
  };
  return (
    <PickList
      label={tr("Field")}
      placeholder={tr("A field, or a value you know")}
      find={find}
      onText={setText}
      onPick={(choice) => onPick(choice.node, choice.whole)}
      none={tr("No field of that name, and no value found yet")}
    />
  );
}

/** That a field holds exactly the value found. */
export function valueCondition(field: FieldInfo, value: string): Condition {
  const choice = field.choices.find((c) => c.label === value || c.code === value);
  if (choice) return { path: field.path, is: "one_of", values: [choice.code] };
  const operator = field.operators.includes("is") ? "is" : field.operators[0]!;
  return { path: field.path, is: operator, value };
}
