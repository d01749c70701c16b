import type { FieldGroup, FieldInfo } from "../api";

/** Whether each word stands in the field's label, path, technical name, meaning or synonyms, or its record's name. */
function fieldFits(field: FieldInfo, group: FieldGroup, words: string[]): boolean {
  const hay = [
    field.label,
    field.path,
    field.column,
    field.meaning,
    group.path ? group.label : "",
    ...field.synonyms,
  ]
    .join(" ")
    .toLowerCase();
  return words.every((w) => hay.includes(w));
}

/** Fields that the text may mean, in their groups; labels that begin with it first. */
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
        .sort((a, b) => rank(a.field) - rank(b.field) || a.at - b.at)
        .map(({ field }) => field),
    }))
    .filter((group) => group.fields.length > 0);
}
