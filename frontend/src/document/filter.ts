import type { Condition, Document, Narrowing } from "./types";

/** One step into a filter: a group's name and a position in it. */
type Step = { how: "all" | "any" | "none"; at: number };

/** Read a place such as `filter.all[1].any[0]` into steps. */
export function stepsOf(place: string): Step[] {
  return [...place.matchAll(/\.(all|any|none)\[(\d+)\]/g)].map((m) => ({
    how: m[1] as Step["how"],
    at: Number(m[2]),
  }));
}

export function isCondition(node: Narrowing): node is Condition {
  return "is" in node;
}

/** What a condition compares: a field, or a column of the sheet. */
export function subjectOf(condition: Condition): Pick<Condition, "path"> {
  const { path, column } = condition;
  return (column ? { column } : { path }) as Pick<Condition, "path">;
}

/** Whether a node joins others. */
function isGroup(node: Narrowing): boolean {
  return !("has" in node) && ("all" in node || "any" in node || "none" in node);
}

function partsOf(node: Narrowing, how: Step["how"]): Narrowing[] {
  return ((node as Record<string, Narrowing[] | undefined>)[how] ?? []) as Narrowing[];
}

/** The filter with `all` at its root, whatever stood there. */
export function rootOf(document: Document): { all: Narrowing[] } {
  const filter = document.filter ?? { all: [] };
  return "all" in filter ? filter : { all: [filter] };
}

/** A place in the document as it stands, for a filter that was given an `all` at its root. */
export function rooted(document: Document, place: string): string {
  const filter = document.filter;
  return filter && !("all" in filter) ? place.replace(/^filter/, "filter.all[0]") : place;
}

/** The node at a place, or undefined when there is none. */
export function nodeAt(document: Document, place: string): Narrowing | undefined {
  let node: Narrowing | undefined = rootOf(document);
  for (const { how, at } of stepsOf(rooted(document, place))) node = node && partsOf(node, how)[at];
  return node;
}

/**
 * The document with the node at `place` replaced. Null removes it; a group left empty goes with it, and one left
 * with a single part becomes that part.
 */
export function replaceNode(document: Document, place: string, put: Narrowing | null): Document {
  const change = (node: Narrowing, steps: Step[]): Narrowing | null => {
    const [step, ...rest] = steps;
    if (!step) return put;
    const parts = partsOf(node, step.how);
    const child = parts[step.at];
    const changed = child === undefined ? put : change(child, rest);
    const kept = parts.flatMap((p, n) => (n === step.at ? (changed ? [changed] : []) : [p]));
    return { [step.how]: kept } as Narrowing;
  };
  const root = change(rootOf(document), stepsOf(rooted(document, place))) ?? { all: [] };
  return { ...document, filter: tidy(root, true) };
}

function tidy(node: Narrowing, top = false): Narrowing {
  if (!isGroup(node)) return node;
  const how = howOf(node);
  const parts = partsOf(node, how)
    .map((p) => tidy(p))
    .filter((p) => !isGroup(p) || partsOf(p, "all" in p ? "all" : "any" in p ? "any" : "none").length > 0);
  if (!top && parts.length === 1 && how !== "none") return parts[0]!;
  return { [how]: parts } as Narrowing;
}

/** The parts of a filter in the order they stand, each with its place and depth. */
export function outline(document: Document): { place: string; depth: number; node: Narrowing }[] {
  const walk = (node: Narrowing, place: string, depth: number): ReturnType<typeof outline> => {
    if (!isGroup(node)) return [{ place, depth, node }];
    const how = howOf(node);
    const parts = partsOf(node, how).flatMap((p, n) => walk(p, `${place}.${how}[${n}]`, depth + 1));
    return depth < 0 ? parts : [{ place, depth, node }, ...parts];
  };
  return walk(rootOf(document), "filter", -1);
}

export function howOf(node: Narrowing): Step["how"] {
  return "all" in node ? "all" : "any" in node ? "any" : "none";
}

export { isGroup, partsOf };

/** Change how a group joins its parts. */
export function regroup(document: Document, place: string, how: Step["how"]): Document {
  const node = nodeAt(document, place);
  if (!node || !isGroup(node)) return document;
  return replaceNode(document, place, { [how]: partsOf(node, howOf(node)) } as Narrowing);
}

/**
 * Move the part at `from`: before the part at `to`, or, with `into`, into one group with it, of which any must hold.
 * Moving a part into itself changes nothing.
 */
export function moveNode(document: Document, from: string, to: string | null, into = false): Document {
  const here = rooted(document, from);
  const there = to === null ? null : rooted(document, to);
  const node = nodeAt(document, from);
  if (!node || here === there || there?.startsWith(`${here}.`)) return document;
  // A mark stands in for the part while it moves, so that places stay what they are.
  const mark: Narrowing = { picks: "\u0000" };
  const marked = replaceRaw(rootOf(document), stepsOf(here), () => [mark]);
  const placed =
    there === null
      ? ({ all: [...partsOf(marked, "all"), node] } as Narrowing)
      : replaceRaw(marked, stepsOf(there), (target) => {
          if (!into) return [node, target];
          if (isGroup(target)) {
            const how = howOf(target);
            return [{ [how]: [...partsOf(target, how), node] } as Narrowing];
          }
          return [{ any: [target, node] }];
        });
  const swept = sweep(placed);
  return { ...document, filter: tidy(swept, true) };
}

function replaceRaw(root: Narrowing, steps: Step[], put: (node: Narrowing) => Narrowing[]): Narrowing {
  const [step, ...rest] = steps;
  if (!step) return root;
  const parts = partsOf(root, step.how).flatMap((p, n) =>
    n !== step.at ? [p] : rest.length ? [replaceRaw(p, rest, put)] : put(p),
  );
  return { [step.how]: parts } as Narrowing;
}

function sweep(node: Narrowing): Narrowing {
  if (!isGroup(node)) return node;
  const how = howOf(node);
  const parts = partsOf(node, how)
    .filter((p) => !("picks" in p && p.picks === "\u0000"))
    .map(sweep);
  return { [how]: parts } as Narrowing;
}

/** Add a narrowing to all others; returns the document and the new one's place. */
export function addNode(document: Document, node: Narrowing): { document: Document; place: string } {
  const root = rootOf(document);
  return {
    document: { ...document, filter: { all: [...root.all, node] } },
    place: `filter.all[${root.all.length}]`,
  };
}

/** Give the condition at `place` an alternative: it or `other` must hold. Returns the alternative's place. */
export function addAlternative(
  document: Document,
  place: string,
  other: Condition,
): { document: Document; place: string } {
  const here = rooted(document, place);
  const steps = stepsOf(here);
  const last = steps.at(-1);
  if (last?.how === "any") {
    const group = here.replace(/\.any\[\d+\]$/, "");
    const parent = nodeAt(document, group);
    const parts = parent ? partsOf(parent, "any") : [];
    return {
      document: replaceNode(document, group, { any: [...parts, other] }),
      place: `${group}.any[${parts.length}]`,
    };
  }
  const node = nodeAt(document, place);
  return {
    document: replaceNode(document, place, { any: [...(node ? [node] : []), other] }),
    place: `${here}.any[1]`,
  };
}

/** The document with the part at a place such as `columns[2].value.field` set; null takes it away. */
export function putAt(document: Document, place: string, value: unknown): Document {
  const steps = [...place.matchAll(/[^.[\]]+/g)].map((m) => m[0]);
  const put = (part: unknown, [step, ...rest]: string[]): unknown => {
    if (step === undefined) return value;
    if (Array.isArray(part)) return part.map((p: unknown, n) => (n === Number(step) ? put(p, rest) : p));
    const known = (part ?? {}) as Record<string, unknown>;
    return { ...known, [step]: put(known[step], rest) };
  };
  return put(document, steps) as Document;
}
