import { useMemo, useReducer, useState } from "react";
import { Form } from "react-bootstrap";
import { useSearchParams } from "react-router";
import type { RecordType, RecordTypeFields, Run, ViewInfo } from "../api";
import { OnlyMine } from "../document/components/OnlyMine";
import { PerUnit } from "../document/components/PerUnit";
import { Sentence } from "../document/components/Sentence";
import { useTally } from "../document/hooks/useLook";
import { uncounted } from "../document/uncounted";
import { useFields } from "../document/hooks/useFields";
import { EMPTY, reduce } from "../document/reducer";
import type { Action } from "../document/reducer";
import type { Document } from "../document/types";
import { RunNews } from "../runs";
import { Hint, useShell } from "../shell";
import { Icon, Trouble, count, useDebounced } from "../shared";
import { PickBar } from "./PickBar";
import { RecordGrid } from "./RecordGrid";
import { RecordsDialogs } from "./RecordsDialogs";
import type { PickedRecord, RecordsDialog } from "./RecordsDialogs";
import { RecordsStrip } from "./RecordsStrip";
import { TypeBar } from "./TypeBar";
import { useAddress, useRows } from "./useRows";
import { keptView, looksIn, plainSentence, proposedName, searched } from "./view";
import { tr } from "../i18n";

/** Records of one type, as a view shows them: searched, narrowed, ticked. */
export function Browse({
  types,
  type,
  start,
  view,
  views,
}: {
  types: RecordType[];
  type: RecordTypeFields;
  start: Document;
  view: ViewInfo | undefined;
  views: ViewInfo[];
}) {
  const { news } = useShell();
  const [params] = useSearchParams();
  const [state, dispatch] = useReducer(reduce, start, (document) => ({
    ...EMPTY,
    document: keptView(type, params.get("see")) ?? document,
  }));
  const { document } = state;
  const [text, setText] = useState(params.get("q") ?? "");
  const [dialog, setDialog] = useState<RecordsDialog | null>(null);
  const wanted = useDebounced(text, 250);
  const [everywhere, setEverywhere] = useState(params.get("in") === "all");
  const seen = useMemo(
    () => searched(document, type, wanted, everywhere),
    [document, type, wanted, everywhere],
  );
  const { groups } = useFields(document);
  const tally = useTally(seen, 0);
  const { look, first, rows, keys, titleOf } = useRows(seen, type);
  const { picked, toggle, toggleAll, pickNone } = usePicked(keys, titleOf);
  const changed = useAddress(document, start, wanted, everywhere);
  // The count of what was seen before is not the count of what is seen.
  const total = tally.isPlaceholderData || tally.data?.about ? undefined : tally.data?.steps.at(-1)?.rows;
  const all = tally.data?.steps[0]?.rows;
  const [taken, setTaken] = useState<Run | null>(null);
  const run = taken ? (news.runs[taken.id] ?? taken) : undefined;
  const chosen = [...picked.values()];

  return (
    <>
      <RecordsStrip
        type={type}
        view={view}
        views={views}
        document={document}
        seen={seen}
        changed={changed}
        name={proposedName(document, type, wanted)}
        personal={first?.personal ?? []}
        total={total}
        onDocument={(next) => dispatch({ type: "edit", document: next })}
        onSaveView={() => setDialog("view")}
        onTaken={setTaken}
      />
      {run && (
        <div className="banner">
          <RunNews run={run} />
        </div>
      )}
      <main className="body records-place">
        <TypeBar types={types} here={type.record_type.name} />
        <div className="records-line">
          <RecordSearch
            type={type}
            document={document}
            text={text}
            everywhere={everywhere}
            onText={setText}
            onEverywhere={setEverywhere}
          />
          <Sentence
            parts={plainSentence(first?.sentence ?? [], type)}
            document={document}
            start={type}
            groups={groups}
            problems={first?.problems ?? []}
            editable
            dispatch={dispatch}
          />
          <Counted
            type={type}
            document={document}
            seen={seen}
            groups={groups}
            total={total}
            all={all}
            error={tally.error}
            dispatch={dispatch}
          />
        </div>
        <Hint name="records">
          {tr(
            "Click a name to open a record; tick some to keep them as a list or run a template on them. What you see can be taken away as a file at once, or kept as a template.",
          )}
        </Hint>
        <Trouble error={look.error} />
        {first?.problems.map((p) => (
          <div key={p.message} className="field-trouble">
            {p.message}
          </div>
        ))}
        {look.isSuccess && rows.length === 0 && (
          <div className="nothing slab">{tr("No matches. Remove a condition, or search for less.")}</div>
        )}
        {look.isSuccess && (
          <RecordGrid
            type={type}
            document={document}
            rows={rows}
            keys={keys}
            kinds={first?.columns.map((c) => c.kind) ?? []}
            picked={picked}
            onToggle={toggle}
            onAll={toggleAll}
            dispatch={dispatch}
            groups={groups}
            more={look.hasNextPage && !look.isFetchingNextPage}
            onMore={() => void look.fetchNextPage()}
          />
        )}
      </main>
      {chosen.length > 0 && (
        <PickBar picked={chosen.length} total={total} onDialog={setDialog} onClear={pickNone} />
      )}
      <RecordsDialogs
        dialog={dialog}
        type={type}
        view={view}
        document={document}
        seen={seen}
        narrowed={changed || wanted !== ""}
        chosen={chosen}
        total={total}
        onClose={() => setDialog(null)}
      />
    </>
  );
}

interface SearchProps {
  type: RecordTypeFields;
  document: Document;
  text: string;
  everywhere: boolean;
  onText: (text: string) => void;
  onEverywhere: (everywhere: boolean) => void;
}

/** What is searched for, and whether in all fields. */
function RecordSearch({ type, document, text, everywhere, onText, onEverywhere }: SearchProps) {
  return (
    <div>
      <div className="search">
        <Icon name="search" />
        <input
          aria-label={tr("Search {{record_type}}", { record_type: type.record_type.plural })}
          placeholder={tr("Search {{record_type}}", { record_type: type.record_type.plural })}
          value={text}
          onChange={(e) => onText(e.target.value)}
        />
      </div>
      {text.trim() !== "" && (
        <Form.Check
          id="everywhere"
          className="small"
          label={tr("in all fields, not only {{document}}", { document: looksIn(document, type) })}
          checked={everywhere}
          onChange={(e) => onEverywhere(e.target.checked)}
        />
      )}
    </div>
  );
}

interface CountedProps {
  type: RecordTypeFields;
  document: Document;
  /** The document with what is searched for. */
  seen: Document;
  groups: RecordTypeFields["groups"];
  total: number | undefined;
  all: number | undefined;
  error: Error | null;
  dispatch: (action: Action) => void;
}

/** How many are seen, of how many; by unit, and only one's own. */
function Counted({ type, document, seen, groups, total, all, error, dispatch }: CountedProps) {
  return (
    <span className="soft" role="status">
      {error ? (
        <span className="trouble">{uncounted(error)}</span>
      ) : total === undefined ? (
        tr("counting…")
      ) : (
        <>
          {tr("{{total}} of {{all}}", { total: count(total), all: count(all ?? total) })}{" "}
          <PerUnit
            document={seen}
            templateId={0}
            groups={groups}
            label={tr("counted by…")}
            onNarrow={(node) => dispatch({ type: "addNarrowing", node })}
            onWiden={(widen) => dispatch({ type: "edit", document: widen(document) })}
          />{" "}
          <OnlyMine
            document={document}
            path={type.record_type.belongs_to}
            onDocument={(next) => dispatch({ type: "edit", document: next })}
          />
        </>
      )}
    </span>
  );
}

/** The records that are picked, by their keys. */
function usePicked(keys: string[][], titleOf: (row: number) => string) {
  const [picked, setPicked] = useState<Map<string, PickedRecord>>(new Map());
  const toggle = (n: number) =>
    setPicked((known) => {
      const next = new Map(known);
      const id = JSON.stringify(keys[n]);
      if (next.has(id)) next.delete(id);
      else next.set(id, { key: keys[n]!, title: titleOf(n) });
      return next;
    });
  const toggleAll = () =>
    setPicked((known) =>
      known.size
        ? new Map()
        : new Map(keys.map((k, n) => [JSON.stringify(k), { key: k, title: titleOf(n) }])),
    );
  return { picked, toggle, toggleAll, pickNone: () => setPicked(new Map()) };
}
