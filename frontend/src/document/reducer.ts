import type { Column, Document, Narrowing, OrderLevel, Output, Show } from "./types";
import { addAlternative, addNode, putAt, replaceNode } from "./filter";
import type { Condition } from "./types";
import { tr } from "../i18n";

// TYPES

/** The document under design, and every state it can go back or forward to. */
export interface BenchState {
  document: Document;
  past: Document[];
  future: Document[];
  /** What was changed last, so that a run of small changes of one thing is one step to undo. */
  lastTouch: string;
  /** Ids of the columns selected, in the order they stand. */
  selected: string[];
}

export type Action =
  | { type: "load"; document: Document }
  | { type: "rename"; name: string }
  | { type: "addColumn"; field: string; heading: string; at?: number }
  | { type: "addConstant"; at?: number }
  | { type: "addValue"; value: Column["value"]; heading: string; show?: Show; at?: number }
  | { type: "addColumns"; columns: { value: Column["value"]; heading: string }[] }
  | { type: "copyColumns"; ids: string[] }
  | { type: "moveColumns"; ids: string[]; by: -1 | 1 }
  | { type: "moveColumn"; id: string; to: number }
  | { type: "removeColumns"; ids: string[] }
  | { type: "setHeading"; id: string; heading: string }
  | { type: "setShow"; id: string; show: Show | undefined }
  | {
      type: "setColumn";
      id: string;
      change: Partial<
        Pick<Column, "blank" | "headings" | "value" | "width" | "total" | "editable" | "meaning">
      >;
    }
  | { type: "select"; ids: string[] }
  | { type: "addNarrowing"; node: Narrowing }
  | { type: "addAlternative"; place: string; node: Condition }
  | { type: "setNarrowing"; place: string; node: Narrowing | null }
  | { type: "setOrder"; order: OrderLevel[] }
  | { type: "setLimit"; rows: number | null }
  | { type: "setOutput"; output: Output }
  /** Set any part of the document, by its place such as `columns[2].value`; null takes it away. */
  | { type: "put"; place: string; value: unknown }
  /** The whole document as an editor made it; changes of the same `touch` are one step to undo. */
  | { type: "edit"; document: Document; touch?: string }
  | { type: "undo" }
  | { type: "redo" };

/** Steps that can be undone. */
const KEPT = 200;

export const EMPTY: BenchState = {
  document: { format: "bouquet-template/1", name: "", records: "" },
  past: [],
  future: [],
  lastTouch: "",
  selected: [],
};

// REDUCER

export function reduce(state: BenchState, action: Action): BenchState {
  const { document } = state;
  const columns = document.columns ?? [];
  switch (action.type) {
    case "load":
      return { ...EMPTY, document: action.document };
    case "select":
      return { ...state, selected: action.ids };
    case "undo": {
      const before = state.past.at(-1);
      if (!before) return state;
      const future = [document, ...state.future];
      return { ...state, document: before, past: state.past.slice(0, -1), future, lastTouch: "" };
    }
    case "redo": {
      const [after, ...rest] = state.future;
      if (!after) return state;
      return { ...state, document: after, past: [...state.past, document], future: rest, lastTouch: "" };
    }
    case "rename":
      return changed(state, { ...document, name: action.name }, "name");
    case "addColumn": {
      const column: Column = {
        id: freeId(columns),
        heading: freeHeading(columns, action.heading),
        value: { field: action.field },
      };
      return inserted(state, column, action.at);
    }
    case "addConstant": {
      const column: Column = {
        id: freeId(columns),
        heading: freeHeading(columns, tr("Constant")),
        value: { constant: "" },
      };
      return inserted(state, column, action.at);
    }
    case "addValue": {
      const column: Column = {
        id: freeId(columns),
        heading: freeHeading(columns, action.heading),
        value: action.value,
        ...(action.show ? { show: action.show } : {}),
      };
      return inserted(state, column, action.at);
    }
    case "addColumns": {
      let all = columns;
      for (const { value, heading } of action.columns)
        all = [...all, { id: freeId(all), heading: freeHeading(all, heading), value }];
      const fresh = all.slice(columns.length).map((c) => c.id);
      return { ...changed(state, { ...document, columns: all }, ""), selected: fresh };
    }
    case "copyColumns": {
      let all = columns;
      const fresh: string[] = [];
      for (const column of columns.filter((c) => action.ids.includes(c.id))) {
        const copy = { ...column, id: freeId(all), heading: freeHeading(all, column.heading) };
        const place =
          Math.max(...action.ids.map((id) => all.findIndex((c) => c.id === id))) + fresh.length + 1;
        all = [...all.slice(0, place), copy, ...all.slice(place)];
        fresh.push(copy.id);
      }
      return { ...changed(state, { ...document, columns: all }, ""), selected: fresh };
    }
    case "moveColumns": {
      const places = columns.flatMap((c, n) => (action.ids.includes(c.id) ? [n] : []));
      const edge = action.by < 0 ? places[0] : places.at(-1);
      if (edge === undefined || edge + action.by < 0 || edge + action.by >= columns.length) return state;
      const next = [...columns];
      for (const n of action.by < 0 ? places : places.reverse()) {
        const [column] = next.splice(n, 1);
        next.splice(n + action.by, 0, column!);
      }
      return changed(state, { ...document, columns: next }, "");
    }
    case "moveColumn": {
      const from = columns.findIndex((c) => c.id === action.id);
      const to = Math.max(0, Math.min(action.to, columns.length - 1));
      if (from < 0 || from === to) return state;
      const rest = columns.filter((c) => c.id !== action.id);
      return changed(
        state,
        { ...document, columns: [...rest.slice(0, to), columns[from]!, ...rest.slice(to)] },
        "",
      );
    }
    case "removeColumns": {
      const kept = columns.filter((c) => !action.ids.includes(c.id));
      if (kept.length === columns.length) return state;
      const order = (document.order ?? []).flatMap((o) => {
        const gone = columns.find((c) => c.id === o.column && action.ids.includes(c.id));
        // The order stays when its column goes: a field can order rows without being in the file.
        if (gone && "field" in gone.value) return [{ ...o, column: undefined, path: gone.value.field }];
        return gone ? [] : [o];
      });
      const next = { ...document, columns: kept, ...(document.order ? { order } : {}) };
      return {
        ...changed(state, next, ""),
        selected: state.selected.filter((id) => !action.ids.includes(id)),
      };
    }
    case "setHeading":
      return columnChanged(state, action.id, { heading: action.heading }, `heading ${action.id}`);
    case "setShow":
      return columnChanged(state, action.id, { show: action.show }, `show ${action.id}`);
    case "setColumn":
      return columnChanged(state, action.id, action.change, `column ${action.id}`);
    case "addNarrowing":
      return changed(state, addNode(document, action.node).document, "");
    case "addAlternative":
      return changed(state, addAlternative(document, action.place, action.node).document, "");
    case "setNarrowing":
      return changed(
        state,
        replaceNode(document, action.place, action.node),
        action.node ? `filter ${action.place}` : "",
      );
    case "setOrder":
      return changed(state, { ...document, order: action.order }, "");
    case "setLimit":
      return changed(state, { ...document, at_most: action.rows }, "limit");
    case "setOutput":
      return changed(state, { ...document, output: action.output }, "output");
    case "edit":
      return changed(state, action.document, action.touch ?? "");
    case "put":
      return changed(state, putAt(document, action.place, action.value), "");
  }
}

// HELPERS

function changed(state: BenchState, document: Document, touch: string): BenchState {
  const same = touch !== "" && touch === state.lastTouch;
  const past = same ? state.past : [...state.past, state.document].slice(-KEPT);
  return { ...state, document, past, future: [], lastTouch: touch };
}

function columnChanged(state: BenchState, id: string, change: Partial<Column>, touch: string): BenchState {
  const columns = (state.document.columns ?? []).map((c) => (c.id === id ? { ...c, ...change } : c));
  return changed(state, { ...state.document, columns }, touch);
}

function inserted(state: BenchState, column: Column, at?: number): BenchState {
  const columns = state.document.columns ?? [];
  const place = at ?? columns.length;
  const next = [...columns.slice(0, place), column, ...columns.slice(place)];
  return { ...changed(state, { ...state.document, columns: next }, ""), selected: [column.id] };
}

function freeId(columns: Column[]): string {
  const taken = new Set(columns.map((c) => c.id));
  let n = columns.length + 1;
  while (taken.has(`c${n}`)) n += 1;
  return `c${n}`;
}

/** `heading`, or `heading 2`… where the sheet has it already. */
export function freeHeading(columns: Column[], heading: string): string {
  const taken = new Set(columns.map((c) => c.heading.trim().toLowerCase()));
  let candidate = heading;
  for (let n = 2; taken.has(candidate.trim().toLowerCase()); n += 1) candidate = `${heading} ${n}`;
  return candidate;
}
