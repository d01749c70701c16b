import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link, useSearchParams } from "react-router";
import { resources } from "../api";
import type { TemplateRow } from "../api";
import { RoundButtons } from "../rounds/RoundButtons";
import { useMay, usePreferences } from "../shell";
import { Icon, later, Trouble, count } from "../shared";
import { Bundles } from "./Bundles";
import { foldersOf, indented, isWithin } from "./folders";
import { Help } from "../guide";
import { Row } from "./LibraryRow";
import { tr } from "../i18n";

// Dialogs are loaded when they are first opened.
const BundleDialog = later(() => import("./BundleDialog").then((m) => m.BundleDialog));
const NewTemplate = later(() => import("./NewTemplate").then((m) => m.NewTemplate));

/** The library: every template as a sentence, with its last runs and its next. */
export function Library() {
  const [params, setParams] = useSearchParams();
  // A request typed into Ctrl+K arrives here.
  const asked = params.get("asked");
  const [creating, setCreating] = useState(false);
  const [bundling, setBundling] = useState(false);
  const mayDesign = useMay("design");
  const templates = useQuery(resources.templates());
  const all = templates.data ?? [];
  const search = params.get("q") ?? "";
  const view = params.get("view") ?? "all";
  const { preferences, change } = usePreferences();
  const sort = params.get("sort") ?? preferences.library_sort;
  const shown = all
    .filter((t) => fits(t, view) && matches(t, search))
    .sort(SORTS[sort]?.by ?? SORTS.last!.by);
  const set = (name: string, value: string) =>
    setParams(
      (known) => {
        const next = new URLSearchParams(known);
        if (value && value !== "all") next.set(name, value);
        else next.delete(name);
        return next;
      },
      { replace: true },
    );

  return (
    <>
      <div className="strip">
        <h1>{tr("Templates")}</h1>
        <Help topic="first-template#the-library" />
        {templates.data && (
          <span className="soft">
            {tr("{{shown}} shown of {{all}}", { shown: count(shown.length), all: count(all.length) })}
          </span>
        )}
        <span className="fill" />
        <RoundButtons />
        {mayDesign && (
          <Button variant="quiet" onClick={() => setBundling(true)}>
            {tr("New bundle…")}
          </Button>
        )}
        {mayDesign && (
          <Link className="btn btn-quiet" to="/templates/match">
            <Icon name="paste" /> {tr("Start from a header row")}
          </Link>
        )}
        {mayDesign && (
          <Button onClick={() => setCreating(true)}>
            <Icon name="plus" /> {tr("New template")}
          </Button>
        )}
      </div>
      <main className="body">
        <div className="library">
          <Sieve templates={templates.data} view={view} onChange={(v) => set("view", v)} />
          <div>
            <div className="d-flex flex-wrap gap-3 align-items-center mb-2">
              <div className="search mb-0 library-search">
                <Icon name="search" />
                <input
                  aria-label={tr("Search templates")}
                  placeholder={tr("Name, field, recipient or word in the sentence")}
                  value={search}
                  onChange={(e) => set("q", e.target.value)}
                />
              </div>
              <label className="soft small d-flex gap-2 align-items-center">
                {tr("sorted by")}
                <Form.Select
                  size="sm"
                  style={{ width: 140 }}
                  value={sort}
                  onChange={(e) => {
                    set("sort", e.target.value);
                    change({ library_sort: e.target.value as typeof preferences.library_sort });
                  }}
                >
                  {Object.entries(SORTS).map(([key, { words }]) => (
                    <option key={key} value={key}>
                      {words}
                    </option>
                  ))}
                </Form.Select>
              </label>
            </div>
            <Trouble error={templates.error} />
            {templates.isSuccess && all.length === 0 && (
              <div className="nothing slab">
                {tr(
                  "A template says once which records, which fields and which form a list has. Make the first one.",
                )}
              </div>
            )}
            {all.length > 0 && shown.length === 0 && (
              <div className="nothing slab">{tr("No template fits this search.")}</div>
            )}
            {shown.length > 0 && <Rows templates={shown} />}
            {(view === "all" || view === "mine") && <Bundles search={search} />}
          </div>
        </div>
      </main>
      {bundling && <BundleDialog keeping onClose={() => setBundling(false)} />}
      {mayDesign && (creating || asked !== null) && (
        <NewTemplate
          key={asked}
          asked={asked ?? ""}
          onClose={() => {
            setCreating(false);
            set("asked", "");
          }}
        />
      )}
    </>
  );
}

const SORTS: Record<string, { words: string; by: (a: TemplateRow, b: TemplateRow) => number }> = {
  last: {
    words: tr("last run"),
    by: (a, b) =>
      Number(b.pinned) - Number(a.pinned) ||
      (b.last_run?.asked_at ?? "").localeCompare(a.last_run?.asked_at ?? ""),
  },
  mine: {
    words: tr("mine first"),
    by: (a, b) => Number(b.mine) - Number(a.mine) || a.name.localeCompare(b.name),
  },
  name: { words: tr("name"), by: (a, b) => a.name.localeCompare(b.name) },
  changed: { words: tr("last change"), by: (a, b) => b.changed_at.localeCompare(a.changed_at) },
  next: {
    words: tr("next run"),
    by: (a, b) => (a.next_at ?? "9").localeCompare(b.next_at ?? "9"),
  },
};

const VIEWS: Record<string, (t: TemplateRow) => boolean> = {
  all: () => true,
  pinned: (t) => t.pinned,
  shared: (t) => t.standing === "shared",
  house: (t) => t.standing === "house",
  broken: (t) => t.broken !== "",
  mine: (t) => t.mine,
  planned: (t) => t.next_words !== "",
  unsaved: (t) => t.version === 0,
  failed: (t) => t.last_run?.status === "failed",
  held: (t) => t.last_run?.status === "held",
};

function fits(t: TemplateRow, view: string): boolean {
  if (view.startsWith("records:")) return t.records === view.slice(8);
  if (view.startsWith("label:")) return t.labels.some((l) => isWithin(l, view.slice(6)));
  return (VIEWS[view] ?? VIEWS.all!)(t);
}

function matches(t: TemplateRow, search: string): boolean {
  const hay =
    `${t.name} ${t.sentence} ${t.owner} ${t.fields} ${t.labels.join(" ")} ${t.next_to}`.toLowerCase();
  return search
    .toLowerCase()
    .split(/\s+/)
    .every((w) => hay.includes(w));
}

/** The parts of the library, with how many templates each holds once that is known. */
function Sieve({
  templates: known,
  view,
  onChange,
}: {
  templates: TemplateRow[] | undefined;
  view: string;
  onChange: (view: string) => void;
}) {
  const templates = known ?? [];
  const number = (key: string) => known?.filter((t) => fits(t, key)).length;
  const records = [...new Map(templates.map((t) => [t.records, t.records_label || t.records]))].sort((a, b) =>
    a[1].localeCompare(b[1]),
  );
  const labels = foldersOf(templates.flatMap((t) => t.labels));
  const few: [string, string][] = [
    ["all", tr("All I may use")],
    ["pinned", tr("Pinned")],
    ["mine", tr("Mine")],
    ["shared", tr("Shared with all")],
    ["house", tr("House standard")],
    ["planned", tr("With a round")],
  ];
  const after: [string, string][] = [
    ["broken", tr("Broken")],
    ["held", tr("Waiting for review")],
    ["failed", tr("Last run failed")],
    ["unsaved", tr("Never saved")],
  ];
  const byRecords = records.map(([name, label]): [string, string] => [`records:${name}`, label]);
  const byLabel = labels.map((label): [string, string] => [`label:${label}`, indented(label)]);
  const option = ([key, label]: [string, string]) => (
    <option key={key} value={key}>
      {label} {known && `(${number(key)})`}
    </option>
  );
  const entry = ([key, label]: [string, string]) => (
    <button key={key} type="button" aria-pressed={view === key} onClick={() => onChange(key)}>
      {label} <span className="soft">{number(key)}</span>
    </button>
  );
  return (
    <>
      <Form.Select
        className="sieve-short"
        aria-label={tr("Which templates")}
        value={view}
        onChange={(e) => onChange(e.target.value)}
      >
        {few.map(option)}
        <optgroup label={tr("To look after")}>{after.map(option)}</optgroup>
        <optgroup label={tr("Records")}>{byRecords.map(option)}</optgroup>
        {labels.length > 0 && <optgroup label={tr("Labels")}>{byLabel.map(option)}</optgroup>}
      </Form.Select>
      <nav className="sieve" aria-label={tr("Which templates")}>
        {few.map(entry)}
        <h2>{tr("To look after")}</h2>
        {after.map(entry)}
        <h2>{tr("Records")}</h2>
        {byRecords.map(entry)}
        {labels.length > 0 && <h2>{tr("Labels")}</h2>}
        {byLabel.map(entry)}
        <h2>{tr("Put away")}</h2>
        <Link to="/templates/removed">{tr("Removed…")}</Link>
      </nav>
    </>
  );
}

function Rows({ templates }: { templates: TemplateRow[] }) {
  return (
    <table className="board as-cards" style={{ tableLayout: "fixed" }}>
      <thead>
        <tr>
          <th style={{ width: 38 }}>
            <span className="visually-hidden">{tr("Pinned")}</span>
          </th>
          <th>{tr("Template")}</th>
          <th style={{ width: 120 }}>{tr("Rows, last runs")}</th>
          <th style={{ width: 150 }}>{tr("Last run")}</th>
          <th style={{ width: 150 }}>{tr("Next · to whom")}</th>
          <th style={{ width: "11rem" }}>
            <span className="visually-hidden">{tr("Actions")}</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {templates.map((t) => (
          <Row key={t.id} template={t} />
        ))}
      </tbody>
    </table>
  );
}
