/** How a field is chosen: alone, besides others (or no longer), or with all from the last one up to it. */
export type How = "only" | "too" | "up to";

/** The fields chosen after one more press, in the order of the shelf. `last` is the one pressed before. */
export function choose(
  order: string[],
  chosen: string[],
  last: string | null,
  path: string,
  how: How,
): string[] {
  if (how === "only") return chosen.length === 1 && chosen[0] === path ? [] : [path];
  if (how === "too") {
    const next = chosen.includes(path) ? chosen.filter((p) => p !== path) : [...chosen, path];
    return order.filter((p) => next.includes(p));
  }
  const [from, to] = [order.indexOf(last ?? path), order.indexOf(path)];
  if (from < 0 || to < 0) return [path];
  const span = order.slice(Math.min(from, to), Math.max(from, to) + 1);
  return order.filter((p) => chosen.includes(p) || span.includes(p));
}
