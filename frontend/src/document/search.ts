import type { FieldGroup, FieldInfo } from "../api";

/** Whether each word stands in the field's label, path, technical name, meaning or synonyms, or its record's name. */
function fieldFits(field: FieldInfo, group: FieldGroup, words: string[]): boolean {
  const hay = [
    field.label,
    field.path,
    field.column,
    field.meaning,
    field.part_of,
    group.path ? group.label : "",
    ...field.synonyms,
  ]
    .join(" ")
    .toLowerCase();
  return words.every((w) => hay.includes(w));
}

/** Fields that the text may mean, in their groups; labels that begin with it first, then those used more here. */
export function findFields(
  groups: FieldGroup[],
  text: string,
  { everyday }: { everyday: boolean },
): FieldGroup[] {
  const wanted = text.trim().toLowerCase();
  const words = wanted.split(/\s+/).filter(Boolean);
  const rank = (f: FieldInfo) =>
    (f.retired ? 4 : 0) + (wanted && f.label.toLowerCase().startsWith(wanted) ? 0 : 2) + (f.everyday ? 0 : 1);
  return groups
    .map((group) => ({
      ...group,
      fields: group.fields
        .filter((f) => (words.length ? fieldFits(f, group, words) : !everyday || f.everyday))
        .map((field, at) => ({ field, at }))
        .sort(
          (a, b) =>
            rank(a.field) - rank(b.field) || (wanted ? b.field.uses - a.field.uses : 0) || a.at - b.at,
        )
        .map(({ field }) => field),
    }))
    .filter((group) => group.fields.length > 0);
}

/** What several fields of a record are together, such as an address. */
export interface Part {
  label: string;
  fields: FieldInfo[];
}

/** The parts of a record that the text may mean, each of at least two fields that are kept up. */
export function partsOf(group: FieldGroup, text: string): Part[] {
  const words = text.trim().toLowerCase().split(/\s+/).filter(Boolean);
  const found = new Map<string, FieldInfo[]>();
  for (const field of group.fields) {
    if (field.part_of && !field.retired)
      found.set(field.part_of, [...(found.get(field.part_of) ?? []), field]);
  }
  return [...found]
    .filter(([label, fields]) => {
      const hay = `${label} ${group.path ? group.label : ""}`.toLowerCase();
      return fields.length > 1 && words.every((w) => hay.includes(w));
    })
    .map(([label, fields]) => ({ label, fields }));
}

/** The fields that most templates here use, of those that are offered; a field of one template is nobody's habit. */
export function usedMost(groups: FieldGroup[], without: (path: string) => boolean, most: number) {
  return groups
    .flatMap((group) => group.fields.map((field) => ({ field, group })))
    .filter(({ field }) => field.uses > 1 && !field.retired && !without(field.path))
    .sort((a, b) => b.field.uses - a.field.uses)
    .slice(0, most);
}
