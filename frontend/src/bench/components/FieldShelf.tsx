import { useCallback, useDeferredValue, useEffect, useMemo, useRef, useState } from "react";
import type { ReactNode, RefObject } from "react";
import { Button } from "react-bootstrap";
import type { FieldGroup, FieldInfo, ManyWay, RecordTypeFields } from "../../api";
import { Icon, count, useDebounced } from "../../shared";
import { choose } from "../chosen";
import type { How } from "../chosen";
import { rowType, useFind } from "../../document/hooks/useFind";
import { remember, remembered } from "../recent";
import { findFields, usedMost } from "../../document/search";
import type { Column, Document } from "../../document/types";
import { Help } from "../../guide";
import { ShelfGroup, ShelfTags } from "./ShelfGroup";
import { ShelfHits } from "./ShelfHits";
import { ShelfMany } from "./ShelfMany";
import { tr } from "../../i18n";

/** Milliseconds of quiet before the records are searched for the text as a value. */
const QUIET = 350;

/** Fields that are offered because most templates use them. */
const OFTEN = 5;

/** Fields drawn at once; the rest is found by typing, or shown on demand. */
const DRAWN = 100;

interface Props {
  document: Document;
  start: RecordTypeFields | undefined;
  groups: FieldGroup[];
  used: Set<string>;
  loading: boolean;
  editable: boolean;
  searchRef: RefObject<HTMLInputElement | null>;
  onAdd: (field: FieldInfo, group: FieldGroup) => void;
  onAddMany: (fields: { field: FieldInfo; group: FieldGroup }[]) => void;
  onFold: (value: Column["value"], heading: string) => void;
  ways: ManyWay[];
  end?: ReactNode;
}

/** All fields that can stand in the sheet, everyday ones first. Enter or a double click adds, dragging places. */
export function FieldShelf(props: Props) {
  const {
    document: template,
    start,
    groups,
    used,
    loading,
    editable,
    searchRef,
    onAdd,
    onAddMany,
    ways,
    onFold,
  } = props;
  const [text, setText] = useState("");
  const [all, setAll] = useState(false);
  const [filled, setFilled] = useState(false);
  const [recent, setRecent] = useState<string[]>(() => remembered(template.records));
  const { records, pathOf } = rowType(template, start);
  const wanted = useDebounced(text, QUIET);
  const finding = useFind(records, wanted.length >= 3 ? wanted : "");
  const [whole, setWhole] = useState(false);
  // What is typed stands at once; the list follows as fast as it can.
  const listed = useDeferredValue(text);
  const found = useMemo(() => fitting(groups, listed, all, filled), [groups, listed, all, filled]);
  const number = found.reduce((n, g) => n + g.fields.length, 0);
  const drawn = useMemo(() => (whole ? found : firstOf(found, DRAWN)), [found, whole]);
  const byPath = useMemo(
    () => new Map(groups.flatMap((g) => g.fields.map((f) => [f.path, { field: f, group: g }] as const))),
    [groups],
  );
  const byGroup = useMemo(() => new Map(groups.map((g) => [g.path, g])), [groups]);
  const total = groups.reduce((n, g) => n + g.fields.length, 0);
  const hits = finding.hits.flatMap((hit) => {
    const known = byPath.get(pathOf(hit.path));
    return known ? [{ hit, ...known }] : [];
  });

  const add = (field: FieldInfo, group: FieldGroup) => {
    onAdd(field, group);
    setRecent(remember(template.records, field.path));
  };
  /** The first that fits what was typed. */
  const addFirst = () => {
    const [group] = fitting(groups, text, all, filled);
    if (group) add(group.fields[0]!, group);
    else if (hits[0]) add(hits[0].field, hits[0].group);
    if (group || hits[0]) setText("");
  };
  // Fields are drawn anew only when they themselves change, however fast somebody types.
  const latest = useRef<(field: FieldInfo) => void>(() => undefined);
  useEffect(() => {
    latest.current = (field) => {
      const known = byPath.get(field.path);
      if (chosen.length > 1 && chosen.includes(field.path)) addChosen();
      else if (known) add(known.field, known.group);
    };
  });
  const addStably = useCallback((field: FieldInfo) => latest.current(field), []);
  const { chosen, setChosen, chooseStably, together } = useChoosing(drawn);
  const addChosen = () => {
    onAddMany(chosen.flatMap((path) => byPath.get(path) ?? []));
    setChosen([]);
  };
  const move = (event: React.KeyboardEvent, way: 1 | -1) => {
    const stops = [...event.currentTarget.querySelectorAll<HTMLElement>("input[type=search], .shelf-field")];
    const here = stops.indexOf(document.activeElement as HTMLElement);
    const there = stops[Math.max(0, Math.min(here + way, stops.length - 1))];
    there?.focus();
    const path = event.shiftKey && editable ? there?.dataset.path : undefined;
    if (path) chooseStably(path, "up to");
    event.preventDefault();
  };
  const recents = recent.flatMap((path) => byPath.get(path) ?? []);
  const often = useMemo(
    () => usedMost(groups, (path) => used.has(path) || recent.includes(path), OFTEN),
    [groups, used, recent],
  );

  return (
    <div
      onKeyDown={(event) => {
        if (event.key === "ArrowDown") move(event, 1);
        if (event.key === "ArrowUp") move(event, -1);
      }}
    >
      <ShelfSearch
        text={text}
        searchRef={searchRef}
        onText={setText}
        onEnter={editable ? addFirst : undefined}
      />
      {chosen.length > 1 && (
        <div className="shelf-chosen" role="status">
          {tr("{{chosen}} fields chosen", { chosen: chosen.length })}
          <Button size="sm" onClick={addChosen}>
            {tr("Add them")}
          </Button>
          <button type="button" className="btn-link-plain" onClick={() => setChosen([])}>
            {tr("none")}
          </button>
        </div>
      )}
      {text === "" && (
        <Everyday all={all} filled={filled} total={total} onAll={setAll} onFilled={setFilled} />
      )}
      {wanted.length >= 3 && text !== "" && (
        <ShelfHits wanted={wanted} finding={finding} found={hits} editable={editable} onAdd={add} />
      )}
      {text === "" && (
        <>
          <ShelfTags label={tr("Recently used")} fields={recents} editable={editable} onAdd={add} />
          <ShelfTags label={tr("Used most here")} fields={often} editable={editable} onAdd={add} />
        </>
      )}
      {drawn.map((group) => (
        <ShelfGroup
          key={group.path}
          group={group}
          // Parts are offered as a whole also where only some of them are looked at every day.
          whole={byGroup.get(group.path) ?? group}
          text={listed}
          used={used}
          chosen={chosen}
          editable={editable}
          onChoose={editable ? chooseStably : undefined}
          together={together}
          onAdd={addStably}
          onAddMany={onAddMany}
        />
      ))}
      {number > DRAWN && !whole && (
        <div className="px-3 py-1">
          <button type="button" className="btn-link-plain small" onClick={() => setWhole(true)}>
            {tr("{{number}} more: type to find one, or show them all", { number: count(number - DRAWN) })}
          </button>
        </div>
      )}
      {ways.map((way) => (
        <ShelfMany key={way.path} way={way} text={text} everyday={!all} editable={editable} onFold={onFold} />
      ))}
      {loading && <div className="nothing">{tr("Reading the catalogue…")}</div>}
      {!loading && found.length === 0 && hits.length === 0 && text !== "" && (
        <div className="soft small px-3">{tr("No field is called or means that.")}</div>
      )}
      {props.end}
    </div>
  );
}

interface SearchProps {
  text: string;
  searchRef: RefObject<HTMLInputElement | null>;
  onText: (text: string) => void;
  onEnter: (() => void) | undefined;
}

function ShelfSearch({ text, searchRef, onText, onEnter }: SearchProps) {
  return (
    <div className="search">
      <Icon name="search" />
      <input
        type="search"
        ref={searchRef}
        aria-label={tr("Search fields")}
        placeholder={tr("Name, or a value you know")}
        value={text}
        onChange={(e) => onText(e.target.value)}
        onKeyDown={(e) => {
          if (e.key === "Enter") onEnter?.();
          if (e.key === "Escape") onText("");
        }}
      />
      <kbd className="tag">/</kbd>
      <Help topic="columns#the-shelf" />
    </div>
  );
}

interface EverydayProps {
  all: boolean;
  filled: boolean;
  total: number;
  onAll: (all: boolean) => void;
  onFilled: (filled: boolean) => void;
}

/** Which fields are listed: all of them or those looked at every day, and whether also those that hold nothing. */
function Everyday({ all, filled, total, onAll, onFilled }: EverydayProps) {
  return (
    <div className="shelf-switch small">
      {all ? (
        <button type="button" className="btn-link-plain" onClick={() => onAll(false)}>
          {tr("Everyday only")}
        </button>
      ) : (
        <span>
          <b>{tr("Everyday")}</b> ·{" "}
          <button type="button" className="btn-link-plain" onClick={() => onAll(true)}>
            {tr("all {{total}}", { total })}
          </button>
        </span>
      )}
      <label>
        <input
          type="checkbox"
          className="form-check-input"
          checked={filled}
          onChange={(e) => onFilled(e.target.checked)}
        />{" "}
        {tr("only fields that hold something")}
      </label>
    </div>
  );
}

/** Several fields chosen at once, as they are listed; what fields are given stays the same, so they are not drawn anew. */
function useChoosing(drawn: FieldGroup[]) {
  const [chosen, setChosen] = useState<string[]>([]);
  const picked = useRef<{ last: string | null; chosen: string[]; order: string[] }>({
    last: null,
    chosen: [],
    order: [],
  });
  useEffect(() => {
    picked.current.chosen = chosen;
    picked.current.order = drawn.flatMap((g) => g.fields.map((f) => f.path));
  });
  const chooseStably = useCallback((path: string, how: How) => {
    const { last, order } = picked.current;
    setChosen((known) => choose(order, known, last, path, how));
    picked.current.last = path;
  }, []);
  const together = useCallback(
    (path: string) => (picked.current.chosen.includes(path) ? picked.current.chosen : [path]),
    [],
  );
  return { chosen, setChosen, chooseStably, together };
}

/** The groups with the fields that fit; a group without any is left out. */
function fitting(groups: FieldGroup[], text: string, all: boolean, filled: boolean): FieldGroup[] {
  return findFields(groups, text, { everyday: !all })
    .map((g) => (filled ? { ...g, fields: g.fields.filter((f) => f.fill !== 0) } : g))
    .filter((g) => g.fields.length > 0);
}

/** The first so many fields, in their groups. */
function firstOf(groups: FieldGroup[], most: number): FieldGroup[] {
  let left = most;
  return groups.flatMap((g) => {
    const fields = g.fields.slice(0, Math.max(0, left));
    left -= fields.length;
    return fields.length ? [{ ...g, fields }] : [];
  });
}
