import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link, useParams } from "react-router";
import { answer, api, useSourceOf } from "../api";
import type { FormatName, Look, Questions, ViewInfo } from "../api";
import {
  AnswerForm,
  NotIncluded,
  PeriodInput,
  Purpose,
  RunNews,
  allAnswered,
  useStartRun,
  Expected,
} from "../runs";
import type { Answers } from "../runs";
import { useMay, useShell } from "../shell";
import type { Window } from "../shared";
import { Icon, NothingHere, Trouble, capital, count, useDebounced, useFormats } from "../shared";
import type { Document, Narrowing } from "../document/types";
import { ColumnsOf, OnlyThese, limited } from "./ThisOnce";
import { languageName, tr } from "../i18n";

const SAMPLE = 8;
const QUIET = 300;

/** Pick, answer, get the file: what a runner needs of a template, also on a phone. */
export function Runner() {
  const id = Number(useParams().id);
  const questions = useQuery({
    queryKey: ["questions", id],
    queryFn: () =>
      answer(api.GET("/api/v1/templates/{template_id}/questions", { params: { path: { template_id: id } } })),
    gcTime: 0,
  });
  if (!questions.data)
    return <NothingHere error={questions.error} back="/templates" words={tr("Back to the templates")} />;
  return <Asking key={id} known={questions.data} />;
}

function Asking({ known }: { known: Questions }) {
  const { news } = useShell();
  const mayRun = useMay("run");
  const mayDesign = useMay("design");
  const zone = known.document.zone ?? "Europe/London";
  const [answers, setAnswers] = useState<Answers>(() =>
    Object.fromEntries(known.asks.map((q) => [q.name, q.answer])),
  );
  useSourceOf(known.source);
  const [windows, setWindows] = useState<Record<string, Window>>({});
  const [format, setFormat] = useState(known.format);
  const [language, setLanguage] = useState(known.document.output?.language ?? "");
  const [view, setView] = useState<ViewInfo>();
  const [purpose, setPurpose] = useState("");
  const asked = useDebounced({ answers, windows }, QUIET);
  const [once, setOnce] = useState<Narrowing[]>([]);
  const document = limited(withWindows(known.document, asked.windows), once);
  const body = {
    document,
    answers: asked.answers,
    limit: SAMPLE,
    offset: 0,
    bench: "",
    keys: false,
    template_id: known.id,
  };
  const ready = allAnswered(known.asks, answers);
  const look = useQuery({
    queryKey: ["runner-look", body, view?.id, language],
    enabled: ready,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) =>
      answer(
        api.POST("/api/v1/design/look", {
          body: { ...body, document: headedIn(document, language), view: view?.id },
          signal,
        }),
      ),
  });
  const tally = useQuery({
    queryKey: ["runner-tally", body],
    enabled: ready,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => answer(api.POST("/api/v1/design/tally", { body, signal })),
  });
  const counted = !tally.isPlaceholderData && asked.answers === answers && asked.windows === windows;
  const rows = counted ? tally.data?.steps.at(-1)?.rows : undefined;
  const start = useStartRun();
  const run = start.data ? (news.runs[start.data.id] ?? start.data) : undefined;
  const problems = look.data?.problems ?? [];
  const personal = view ? (look.data?.personal ?? []) : known.personal;
  const may = mayRun && ready && problems.length === 0 && (personal.length === 0 || purpose.trim() !== "");
  return (
    <>
      <div className="strip">
        <Link to="/templates" aria-label={tr("Back to the templates")}>
          <Icon name="chevronLeft" />
        </Link>
        <h1>{known.name}</h1>
        <span className="tag">
          {known.version ? tr("version {{version}}", { version: known.version }) : tr("draft")}
        </span>
        <span className="fill" />
        {mayDesign && (
          <Link className="btn btn-quiet" to={`/templates/${known.id}`}>
            {tr("To the bench")}
          </Link>
        )}
      </div>
      <main className="body runner">
        <Form
          className="slab"
          onSubmit={(e) => {
            e.preventDefault();
            if (may)
              start.mutate({
                template_id: known.id,
                use: known.version ? "saved" : "draft",
                answers,
                windows,
                view: view?.id,
                also: once.length > 0 ? { all: once } : undefined,
                format,
                language: known.languages.length > 0 ? language : undefined,
                purpose,
              });
          }}
        >
          {known.about && <p className="soft">{known.about}</p>}
          <AnswerForm questions={known.asks} answers={answers} onAnswers={setAnswers} zone={zone} />
          <Periods
            periods={known.periods}
            sentence={look.data?.sentence}
            zone={zone}
            windows={windows}
            onWindows={setWindows}
          />
          <FileForm
            languages={known.languages}
            format={format}
            language={language}
            onFormat={setFormat}
            onLanguage={setLanguage}
          />
          <OnlyThese known={known} onOnce={setOnce} />
          <ColumnsOf known={known} view={view} onView={setView} />
          <div className="mt-3">
            {!view && <NotIncluded missed={known.not_included} />}
            <Purpose personal={personal} purpose={purpose} onPurpose={setPurpose} />
          </div>
          <div className="runner-count" role="status">
            {!ready ? (
              tr("Answer what is asked; then you see how many rows it comes to.")
            ) : rows === undefined ? (
              tr("counting…")
            ) : (
              <>
                <b>{count(rows)}</b> {tr("rows", { count: rows })}
              </>
            )}
            <div className="expected">
              {ready && <Expected templateId={known.id} rows={rows} format={format} />}
            </div>
          </div>
          {problems.map((p) => (
            <div key={p.message} className="field-trouble" role="alert">
              {p.message}
            </div>
          ))}
          <Trouble error={start.error ?? look.error} />
          <Button type="submit" size="lg" disabled={!may || start.isPending}>
            <Icon name="play" /> {tr("Get the file")}
          </Button>
          {!mayRun && (
            <p className="soft mt-2">
              {tr("You may look at templates but not run them. Ask an administrator.")}
            </p>
          )}
          {run && (
            <div className="mt-3">
              <RunNews run={run} />
            </div>
          )}
        </Form>
        <Sample look={look.data} rows={rows} />
      </main>
    </>
  );
}

interface PeriodsProps {
  periods: Questions["periods"];
  sentence: Look["sentence"] | undefined;
  zone: string;
  windows: Record<string, Window>;
  onWindows: (windows: Record<string, Window>) => void;
}

/** The windows of the template, each to be another for this once. */
function Periods({ periods, sentence, zone, windows, onWindows }: PeriodsProps) {
  return (
    <>
      {periods.map((p) => (
        <Form.Group key={p.place} controlId={`period-${p.place}`} className="mt-3">
          <Form.Label>
            {said(sentence, p.place)} <span className="soft fw-normal">{tr("for this once")}</span>
          </Form.Label>
          <PeriodInput
            id={`period-${p.place}`}
            zone={zone}
            value={windows[p.place] ?? p.window}
            onValue={(value) => onWindows({ ...windows, [p.place]: value })}
          />
        </Form.Group>
      ))}
    </>
  );
}

interface FileFormProps {
  languages: Questions["languages"];
  format: FormatName;
  language: string;
  onFormat: (format: FormatName) => void;
  onLanguage: (language: string) => void;
}

/** The format of the file, and the language of its headings where the template knows several. */
function FileForm({ languages, format, language, onFormat, onLanguage }: FileFormProps) {
  const formats = useFormats();
  return (
    <>
      <fieldset className="mt-3">
        <legend className="form-label">{tr("As")}</legend>
        <Form.Select
          aria-label={tr("As")}
          value={format}
          onChange={(e) => onFormat(e.target.value as FormatName)}
        >
          {formats.map((f) => (
            <option key={f.name} value={f.name}>
              {f.label}
            </option>
          ))}
        </Form.Select>
      </fieldset>
      {languages.length > 0 && (
        <Form.Group className="mt-3" controlId="run-language">
          <Form.Label>{tr("Headings in")}</Form.Label>
          <Form.Select value={language} onChange={(e) => onLanguage(e.target.value)}>
            <option value="">{tr("as the columns say")}</option>
            {languages.map((code) => (
              <option key={code} value={code}>
                {languageName(code)}
              </option>
            ))}
          </Form.Select>
        </Form.Group>
      )}
    </>
  );
}

/** What it comes to: the template in words, and its first rows as the file will show them. */
function Sample({ look, rows }: { look: Look | undefined; rows: number | undefined }) {
  return (
    <section aria-label={tr("A sample")} className="runner-sample">
      {look && (
        <>
          <p className="sentence-plain">
            {look.sentence.map((p) => p.text + (p.note ? ` (${p.note})` : "")).join("")}
          </p>
          <div className="grid-wrap" tabIndex={0} role="region" aria-label={tr("The first rows")}>
            <table className="grid">
              <thead>
                <tr>
                  {look.columns.map((c, n) => (
                    <th key={n}>{c.heading}</th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {look.rows.map((row, n) => (
                  <tr key={n}>
                    {row.map((v, k) => (
                      <td key={k} className="mono">
                        {v ?? <span className="soft">{tr("empty")}</span>}
                      </td>
                    ))}
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
          <p className="soft small">
            {look.rows.length === 0
              ? tr("No row fits.")
              : tr("The first {{rows}}{{rows2}}; the file has them all.", {
                  rows: count(look.rows.length),
                  rows2: rows === undefined ? "" : tr(" of {{rows}}", { rows: count(rows) }),
                })}
          </p>
        </>
      )}
    </section>
  );
}

/** The field that the window at a place is of, as the sentence names it. */
function said(parts: { text: string; role: string; place: string }[] | undefined, place: string): string {
  const name = parts?.find((p) => p.role === "field" && p.place === place)?.text ?? "period";
  return capital(name);
}

/** A document whose file has headings in a language. */
function headedIn(document: Document, language: string): Document {
  return { ...document, output: { ...document.output, language } };
}

/** The document with other windows at the places of its conditions. */
function withWindows(document: Document, windows: Record<string, Window>): Document {
  const copy = structuredClone(document);
  for (const [place, window] of Object.entries(windows)) {
    let node: unknown = copy;
    for (const step of place.match(/[^.[\]]+/g) ?? [])
      node = (node as Record<string, unknown> | undefined)?.[step];
    if (node && typeof node === "object") (node as Record<string, unknown>).window = window;
  }
  return copy;
}
