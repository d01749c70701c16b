import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { ReactNode } from "react";
import { useParams } from "react-router";
import { answer, api, useSourceOf } from "../api";
import type { TemplateInfo } from "../api";
import { Expected } from "../runs";
import { NothingHere } from "../shared";
import { useCurrentSource, useShell } from "../shell";
import { BenchBanners } from "./components/BenchBanners";
import { BenchDialogs } from "./components/BenchDialogs";
import { BenchShelf } from "./components/BenchShelf";
import { BenchStrip } from "./components/BenchStrip";
import { Dragging } from "./components/Dragging";
import { HeldAgainst } from "./components/HeldAgainst";
import { OnlyMine } from "../document/components/OnlyMine";
import { Outcome } from "./components/Outcome";
import { PerUnit } from "../document/components/PerUnit";
import { Sentence } from "../document/components/Sentence";
import { SheetSide } from "./components/SheetSide";
import { Tally } from "./components/Tally";
import { TriedContext, useTried } from "../document/tried";
import { useBench } from "./hooks/useBench";
import type { BenchState } from "./hooks/useBench";
import { tr } from "../i18n";

/** The bench of one template. */
export function Bench() {
  const id = Number(useParams().id);
  const template = useQuery({
    queryKey: ["template", id],
    queryFn: () =>
      answer(api.GET("/api/v1/templates/{template_id}", { params: { path: { template_id: id } } })),
    // The bench holds the draft from here on; a fresh copy would fight with it.
    staleTime: Infinity,
    gcTime: 0,
  });
  useSourceOf(template.data?.source);
  if (!template.data) {
    return <NothingHere error={template.error} back="/templates" words={tr("Back to the templates")} />;
  }
  return (
    <Tried key={id}>
      <Workplace loaded={template.data} />
    </Tried>
  );
}

/** A template that may be tried on another source than its own. */
function Tried({ children }: { children: ReactNode }) {
  const [elsewhere, tryOn] = useState<string | null>(null);
  return <TriedContext value={{ elsewhere, tryOn }}>{children}</TriedContext>;
}

/** The sentence above, the sheet and its shelf below, and how they are used together. */
function Workplace({ loaded }: { loaded: TemplateInfo }) {
  const bench = useBench(loaded);
  const { elsewhere } = useTried();
  const { session } = useShell();
  const source = useCurrentSource();
  const {
    mayDesign,
    dispatch,
    state,
    document,
    columns,
    template,
    keeping,
    setTab,
    announcement,
    announce,
    setDialog,
    setTracing,
    wanted,
    fields,
    groups,
    byPath,
    tally,
    checked,
    first,
    problems,
    rowBytes,
    start,
    run,
    startRun,
    addField,
    showProblem,
    cure,
  } = bench;
  return (
    <>
      <BenchStrip
        document={document}
        template={template}
        keeping={keeping}
        mayUndo={state.past.length > 0}
        mayRedo={state.future.length > 0}
        busy={problems.length > 0 || start.isPending}
        dispatch={dispatch}
        onDialog={setDialog}
        onTrace={() => setTracing({ record: "" })}
        onRun={() => void startRun()}
      />
      <BenchBanners bench={bench} />
      <Sentence
        parts={first?.sentence ?? []}
        document={document}
        start={fields.data}
        groups={groups}
        problems={problems}
        editable={mayDesign}
        dispatch={dispatch}
        wanted={wanted}
        sheet={first?.columns}
        onFold={(n) => {
          const column = columns[n];
          if (column) dispatch({ type: "select", ids: [column.id] });
          setTracing(null);
          setTab("column");
        }}
      />
      <Tally
        counts={tally.data}
        error={tally.error}
        counting={tally.isFetching}
        columns={(first?.columns ?? columns).length}
        rowBytes={rowBytes}
        source={session.sources.find((s) => s.key === elsewhere)?.title ?? source?.title ?? ""}
        onLeftOut={(place) => setTracing({ leftOut: place })}
        onLeaveOut={(node) => dispatch({ type: "addNarrowing", node })}
        perUnit={<Units bench={bench} />}
      />
      <Dragging
        columns={columns.map((c) => c.id)}
        headings={new Map(columns.map((c) => [c.id, c.heading]))}
        fieldOf={(p) => byPath.get(p)}
        onMove={(id, to) => {
          dispatch({ type: "moveColumn", id, to });
          announce(tr("moved to column {{to}} of {{columns}}", { to: to + 1, columns: columns.length }));
        }}
        onPlace={addField}
      >
        {(dropBefore) => (
          <main className="work">
            <SheetSide bench={bench} dropBefore={dropBefore} />
            <BenchShelf bench={bench} />
          </main>
        )}
      </Dragging>
      <Outcome
        format={document.output?.format ?? "csv"}
        look={first}
        problems={problems}
        run={run}
        checks={elsewhere === null && (document.checks ?? []).length ? (checked.data?.checks ?? []) : []}
        expected={
          <Expected
            templateId={loaded.id}
            rows={elsewhere === null ? tally.data?.steps.at(-1)?.rows : undefined}
            format={document.output?.format ?? "csv"}
            lead="· "
          />
        }
        onShow={showProblem}
        onCure={mayDesign ? cure : undefined}
        onChecks={() => {
          setTracing(null);
          setTab("checks");
        }}
      >
        <HeldAgainst
          document={document}
          onFill={
            mayDesign
              ? (value, heading, show) => dispatch({ type: "addValue", value, heading, show })
              : undefined
          }
        />
      </Outcome>
      <div className="visually-hidden" aria-live="assertive">
        {announcement}
      </div>
      <BenchDialogs bench={bench} />
    </>
  );
}

/** The rows by unit, and only one's own. */
function Units({ bench }: { bench: BenchState }) {
  const { document, columns, loaded, groups, fields, mayDesign, dispatch } = bench;
  return (
    <>
      {columns.length > 0 && (
        <PerUnit
          document={document}
          templateId={loaded.id}
          groups={groups}
          onWiden={mayDesign ? (widen) => dispatch({ type: "edit", document: widen(document) }) : undefined}
        />
      )}
      {mayDesign && (
        <OnlyMine
          document={document}
          path={fields.data?.record_type.belongs_to}
          onDocument={(next) => dispatch({ type: "edit", document: next })}
        />
      )}
    </>
  );
}
