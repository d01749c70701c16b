/** What parts the names of folders within folders in a label: “Wards/Quay”. */
const WITHIN = "/";

/** Whether a label is another one, or lies within it. */
export function isWithin(label: string, folder: string): boolean {
  return label === folder || label.startsWith(folder + WITHIN);
}

/** All labels, and the folders that they lie in, each once, what lies within another behind it. */
export function foldersOf(labels: string[]): string[] {
  const all = labels.flatMap((label) => {
    const parts = label.split(WITHIN);
    return parts.map((_, n) => parts.slice(0, n + 1).join(WITHIN));
  });
  return [...new Set(all)].toSorted((a, b) => compare(a.split(WITHIN), b.split(WITHIN)));
}

/** A label in a list of folders: its own name, set in as deep as it lies. */
export function indented(label: string): string {
  const parts = label.split(WITHIN);
  return "\u2003".repeat(parts.length - 1) + parts.at(-1)!;
}

function compare(a: string[], b: string[]): number {
  for (let n = 0; n < Math.min(a.length, b.length); n++) {
    const order = a[n]!.localeCompare(b[n]!);
    if (order) return order;
  }
  return a.length - b.length;
}
