import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo, useRef, useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link, useNavigate } from "react-router";
import { answer, api, resources } from "../api";
import type { Matched } from "../api";
import { useRecordType } from "../document/hooks/useFields";
import type { Column } from "../document/types";
import { Hint } from "../shell";
import { FileInput, Icon, Trouble, capital, count, plural, useDebounced } from "../shared";
import { Help } from "../guide";
import { Choices, fillingOf, shown } from "./MatchChoices";
import type { Filling } from "./MatchChoices";
import { tr } from "../i18n";

const QUIET = 350;

const SEPARATORS: Record<string, string> = {
  "\t": tr("tabs"),
  ";": tr("semicolons"),
  "|": tr("bars"),
  ",": tr("commas"),
};

/** A header row held against a record type: what was pasted, what fills each heading, and the template made of it. */
function useMatching() {
  const go = useNavigate();
  const client = useQueryClient();
  const [text, setText] = useState("");
  const [records, setRecords] = useState("");
  const [at, setAt] = useState(0);
  const [chosen, setChosen] = useState<Record<number, Filling>>({});
  const types = useQuery(resources.recordTypes());
  const settled = useDebounced(text, QUIET);
  const matches = useQuery({
    queryKey: ["match", records, settled],
    enabled: records !== "" && settled.trim() !== "",
    queryFn: () => answer(api.POST("/api/v1/design/match", { body: { records, text: settled } })),
    staleTime: Infinity,
  });
  const type = useRecordType(records);
  const headings = useMemo(() => matches.data?.headings ?? [], [matches.data]);
  const fillings = headings.map((h, n): Filling | null => chosen[n] ?? proposed(h));
  const sure = headings.filter((h, n) => chosen[n]?.accepted ?? h.confidence === "sure").length;
  const open = fillings.filter((f) => f === null).length;

  const read = useMutation({
    mutationFn: async (file: File) => {
      if (/\.(csv|tsv|txt)$/i.test(file.name))
        return (await file.slice(0, 100_000).text()).split(/\r?\n/).slice(0, 6).join("\n");
      const response = await fetch("/api/v1/design/header-of-file", {
        method: "POST",
        headers: { "Content-Type": "application/octet-stream" },
        body: file,
      });
      const said = (await response.json()) as { text?: string; detail?: string };
      if (!response.ok) throw new Error(said.detail ?? tr("This file could not be read."));
      return said.text ?? "";
    },
    onSuccess: (read_) => {
      setText(read_);
      setChosen({});
      setAt(0);
    },
  });
  const make = useMutation({
    mutationFn: () => {
      const label = type.data?.record_type.plural ?? records;
      const columns: Column[] = headings.map((h, n) => {
        const filling = fillings[n];
        return {
          id: `c${n + 1}`,
          heading: h.heading,
          value: filling?.value ?? { constant: "" },
          ...(filling?.show && Object.keys(filling.show).length ? { show: filling.show } : {}),
        };
      });
      const document = {
        name: tr("{{label}}, a layout of {{columns}} columns", {
          label: capital(label),
          columns: columns.length,
        }),
        records,
        columns,
        filter: { all: type.data?.proposed ?? [] },
      };
      return answer(
        api.POST("/api/v1/templates", {
          body: { everyday: false, free_name: true, document },
        }),
      );
    },
    onSuccess: (made) => {
      void client.invalidateQueries({ queryKey: ["templates"] });
      void go(`/templates/${made.id}`);
    },
  });
  const anew = () => {
    setChosen({});
    setAt(0);
  };
  const fill = (n: number, filling: Filling) => setChosen((known) => ({ ...known, [n]: filling }));
  return {
    text,
    setText: (next: string) => {
      setText(next);
      anew();
    },
    records,
    setRecords: (next: string) => {
      setRecords(next);
      anew();
    },
    at,
    setAt,
    chosen,
    types,
    type,
    matches,
    headings,
    fillings,
    sure,
    open,
    read,
    make,
    fill,
    accept: (n: number) => {
      const filling = fillings[n];
      if (filling) fill(n, { ...filling, accepted: true });
    },
  };
}

/** Start from a header row somebody sent: each name matched to a field, scored, accepted by a person. */
export function Match() {
  const matching = useMatching();
  const { text, records, at, types, type, matches, headings, fillings, sure, open, read, make } = matching;
  const here = headings[at];
  return (
    <>
      <div className="strip">
        <Link to="/templates" aria-label={tr("Back to the templates")}>
          <Icon name="chevronLeft" />
        </Link>
        <h1>{tr("Start from a header row")}</h1>
        <Help topic="header-row#how-headings-are-matched" />
        <label className="tag d-flex gap-1 align-items-center">
          {tr("one row per")}
          <Form.Select
            size="sm"
            aria-label={tr("One row per")}
            value={records}
            onChange={(e) => matching.setRecords(e.target.value)}
          >
            <option value="">{tr("choose…")}</option>
            {types.data?.map((t) => (
              <option key={t.name} value={t.name}>
                {t.label}
              </option>
            ))}
          </Form.Select>
        </label>
        {headings.length > 0 && (
          <span className="soft" role="status">
            {tr("{{sure}} sure · {{headings}} to check · {{open}} open", {
              sure: count(sure),
              headings: count(headings.length - sure - open),
              open: count(open),
            })}
          </span>
        )}
        <span className="fill" />
        <Button disabled={headings.length === 0 || make.isPending} onClick={() => make.mutate()}>
          {tr("To the bench")}
          {headings.length > 0 && tr(" with {{headings}}", { headings: plural(headings.length, "column") })}
        </Button>
      </div>
      <main className="body match">
        <div>
          <div className="slab paste">
            <Form.Control
              as="textarea"
              rows={headings.length ? 3 : 5}
              className="mono"
              aria-label={tr("Header row")}
              placeholder={tr(
                "Paste a header row, with a few rows below it if you have them:\nTREE_REF;SPECIES_LATIN;INSP_DATE",
              )}
              spellCheck={false}
              value={text}
              onChange={(e) => matching.setText(e.target.value)}
            />
            <div className="d-flex gap-3 align-items-center mt-2">
              <label className="btn btn-quiet btn-sm">
                <Icon name="paperclip" /> {tr("or take it from a sample file")}
                <FileInput accept=".csv,.tsv,.txt,.xlsx,.xls,.ods" onFile={read.mutate} />
              </label>
              {matches.data && (
                <span className="soft">
                  {matches.data.separator ? `${SEPARATORS[matches.data.separator] ?? tr("separated")}, ` : ""}
                  {plural(headings.length, "name")}, {plural(matches.data.samples, "sample row")}
                </span>
              )}
            </div>
          </div>
          {text.trim() !== "" && records === "" && (
            <p className="mt-3">{tr("Now say above what one row stands for.")}</p>
          )}
          <Trouble
            error={matches.error ?? make.error ?? (read.error instanceof Error ? read.error.message : null)}
          />
          {headings.length > 0 && <MatchTable matching={matching} />}
        </div>
        <aside className="match-side" aria-label={tr("What could fill it")}>
          {here ? (
            <Choices
              key={at}
              heading={here}
              groups={type.data?.groups ?? []}
              filling={fillings[at] ?? null}
              onFill={(f) => matching.fill(at, f)}
            />
          ) : (
            <Hint name="match">
              {tr(
                "Somebody sent you the columns they want? Paste their header row, say what one row stands for, and each name is held against your fields: by label, technical name, synonyms and the sample values.",
              )}
            </Hint>
          )}
        </aside>
      </main>
    </>
  );
}

/** How sure it is what fills a heading. */
const STATES: Record<Matched["confidence"], string> = {
  sure: tr("sure"),
  check: tr("to check"),
  open: tr("open"),
};

/** Each heading with what fills it; arrows go along, and the space bar accepts. */
function MatchTable({ matching }: { matching: ReturnType<typeof useMatching> }) {
  const { at, chosen, headings, fillings } = matching;
  const list = useRef<HTMLTableSectionElement>(null);
  const focus = (n: number) => {
    matching.setAt(n);
    list.current?.querySelectorAll<HTMLElement>("tr")[n]?.focus();
  };
  return (
    <table className="board match-table">
      <thead>
        <tr>
          <th style={{ width: 34 }}>
            <span className="visually-hidden">{tr("Place")}</span>
          </th>
          <th>{tr("Heading they want")}</th>
          <th>{tr("What fills it")}</th>
          <th>{tr("First value")}</th>
          <th style={{ width: 92 }}>
            <span className="visually-hidden">{tr("How sure")}</span>
          </th>
        </tr>
      </thead>
      <tbody ref={list}>
        {headings.map((h, n) => {
          const filling = fillings[n];
          const state = chosen[n]?.accepted ? "sure" : filling ? h.confidence : "open";
          return (
            <tr
              key={n}
              tabIndex={n === at ? 0 : -1}
              aria-selected={n === at}
              className={n === at ? "here" : ""}
              onClick={() => matching.setAt(n)}
              onKeyDown={(e) => {
                if (e.key === "ArrowDown") focus(Math.min(n + 1, headings.length - 1));
                else if (e.key === "ArrowUp") focus(Math.max(n - 1, 0));
                else if (e.key === " ") {
                  matching.accept(n);
                  focus(Math.min(n + 1, headings.length - 1));
                } else return;
                e.preventDefault();
              }}
            >
              <td className="soft mono">{n + 1}</td>
              <td className="mono fw-bold">{h.heading}</td>
              <td>
                {filling ? (
                  <>
                    {filling.trail} <span className="soft small">{shown(filling.show)}</span>
                  </>
                ) : (
                  <span className="soft">
                    {tr(
                      "nothing here holds this surely: choose a field, one text, a formula, or leave it blank",
                    )}
                  </span>
                )}
              </td>
              <td className="mono one-line">{filling?.first}</td>
              <td>
                <span
                  className={`tag ${state === "sure" ? "ready" : state === "check" ? "practice" : "failed"}`}
                >
                  {STATES[state]}
                </span>
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

/** The best candidate, where it is good enough to stand until a person says otherwise. */
function proposed(heading: Matched): Filling | null {
  const best = heading.candidates[0];
  if (!best || heading.confidence === "open") return null;
  return { ...fillingOf(best), accepted: heading.confidence === "sure" };
}
