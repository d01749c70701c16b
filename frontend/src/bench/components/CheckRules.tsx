import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { Link } from "react-router";
import { recordsAt } from "../../api";
import type { CheckCount, Look, Problem } from "../../api";
import { Icon, count, plural, vocabulary } from "../../shared";
import { checksFor, newCheck, tidied } from "../checks";
import type { Check } from "../checks";
import { useChecks } from "../hooks/useChecks";
import { useTried } from "../../document/tried";
import type { Document } from "../../document/types";
import { CheckForm } from "./CheckForm";
import { Spread } from "./Spread";
import { Help } from "../../guide";
import { tr } from "../../i18n";

interface Props {
  document: Document;
  templateId: number;
  look: Look | undefined;
  problems: Problem[];
  editable: boolean;
  /** The record type that a row stands for, where its records have pages. */
  rowsOf: string | undefined;
  onChecks: (checks: Check[]) => void;
}

/** The rules that rows and file must meet, each with how many rows object to it as they are now. */
export function CheckRules(props: Props) {
  const { document, templateId, problems, editable, onChecks } = props;
  const checks = document.checks ?? [];
  const counts = useChecks(document, templateId);
  const [open, setOpen] = useState<number | null>(null);
  const put = (n: number, check: Check) => onChecks(checks.map((c, k) => (k === n ? tidied(check) : c)));
  const add = (what: string) => {
    onChecks([...checks, newCheck(what, document.columns ?? [])]);
    setOpen(checks.length);
  };
  return (
    <>
      <h3>
        {tr("Checks on every run")} <Help topic="checks#checks-of-columns-and-rows" />
        {counts.isFetching && <span className="soft small fw-normal"> {tr("counting…")}</span>}
      </h3>
      {checks.length === 0 && (
        <p className="soft small">
          {tr(
            "A check looks at every row, or at the whole file, and notes what is odd, holds the file back, or stops it.",
          )}
        </p>
      )}
      {checks.map((check, n) => {
        const place = `checks[${n}]`;
        return (
          <Rule
            key={n}
            {...props}
            check={check}
            place={place}
            found={(counts.data?.checks ?? []).filter((c) => c.place === place)}
            fresh={counts.data !== undefined && !counts.isPlaceholderData}
            wrong={problems.filter((p) => p.place.startsWith(place))}
            open={open === n}
            onOpen={() => setOpen(open === n ? null : n)}
            onCheck={(next) => put(n, next)}
            onRemove={() => {
              onChecks(checks.filter((_, k) => k !== n));
              setOpen(null);
            }}
          />
        );
      })}
      {editable && (
        <div className="check-add">
          <Form.Select
            size="sm"
            aria-label={tr("Add a check")}
            value=""
            onChange={(e) => add(e.target.value)}
          >
            <option value="" disabled>
              {tr("+ Add a check…")}
            </option>
            <optgroup label={tr("of a column")}>
              {(document.columns ?? [])
                .filter((c) => !("constant" in c.value))
                .map((c) => (
                  <option key={c.id} value={c.id}>
                    {c.heading}
                  </option>
                ))}
            </optgroup>
            <optgroup label={tr("of more")}>
              <option value="row">{tr("of a row, by a formula")}</option>
              <option value="file">{tr("of the file as a whole")}</option>
            </optgroup>
          </Form.Select>
        </div>
      )}
    </>
  );
}

interface RuleProps extends Props {
  check: Check;
  place: string;
  found: CheckCount[];
  fresh: boolean;
  wrong: Problem[];
  open: boolean;
  onOpen: () => void;
  onCheck: (check: Check) => void;
  onRemove: () => void;
}

function Rule({ check, found, wrong, open, onOpen, fresh, editable, onRemove, ...rest }: RuleProps) {
  const severity = check.severity ?? "note";
  const objections = found.reduce((n, c) => n + c.objections, 0);
  const words = found[0]?.words ?? roughWords(check, rest.document);
  return (
    <div className={`rule is-${severity} ${objections ? "objecting" : ""}`}>
      <div className="rule-head">
        <button type="button" className="rule-words" aria-expanded={open} onClick={onOpen}>
          {words}
          <span className="soft small d-block">
            {{ note: tr("noted"), hold: tr("holds the file"), stop: tr("stops the run") }[severity]}
          </span>
        </button>
        <span className="rule-count num" aria-live="polite">
          {wrong.length > 0 ? (
            <Icon name="exclamation" label={tr("to be filled in")} />
          ) : found.some((c) => c.whole) ? (
            found[0]!.at_run ? (
              <span className="soft small">{tr("at the run")}</span>
            ) : objections ? (
              tr("objects")
            ) : (
              <Icon name="check" label={tr("content")} />
            )
          ) : found.length ? (
            objections ? (
              <>
                {count(objections)} <span className="soft small">{tr("rows", { count: objections })}</span>
              </>
            ) : (
              <Icon name="check" label={tr("content")} />
            )
          ) : (
            "…"
          )}
        </span>
      </div>
      {wrong.map((p) => (
        <div key={p.message} className="field-trouble" role="alert">
          {p.message}
        </div>
      ))}
      {open && (
        <div className="rule-body">
          {editable && <CheckForm check={check} {...rest} />}
          {fresh && found[0]?.usual && <Spread usual={found[0].usual} />}
          {fresh && <Objected found={found} rowsOf={rest.rowsOf} />}
          {editable && (
            <Button variant="quiet" size="sm" onClick={onRemove}>
              <Icon name="trash" /> {tr("Remove this check")}
            </Button>
          )}
        </div>
      )}
    </div>
  );
}

function Objected({ found, rowsOf }: { found: CheckCount[]; rowsOf: string | undefined }) {
  const { elsewhere } = useTried();
  const rows = found.flatMap((c) => c.rows);
  const said = found.map((c) => c.saw).filter(Boolean);
  if (said.length) return <div className="small">{said.join("; ")}</div>;
  if (!rows.length) return null;
  const all = found.reduce((n, c) => n + c.objections, 0);
  return (
    <div className="small">
      <div className="soft">
        {all > rows.length
          ? tr("{{rows}} of {{all}}:", { rows: rows.length, all: plural(all, "row") })
          : tr("These rows:")}
      </div>
      {rows.map((r, n) => (
        <div key={n} className="d-flex justify-content-between gap-2">
          {rowsOf && elsewhere === null && r.key.length ? (
            <Link to={recordsAt(rowsOf, r.key)} className="mono">
              {r.key.join(", ")}
            </Link>
          ) : (
            <span className="mono">{r.key.join(", ")}</span>
          )}
          <span className="mono one-line">{r.value ?? tr("empty")}</span>
        </div>
      ))}
    </div>
  );
}

/** A check in words before the server has said it better. */
function roughWords(check: Check, document: Document): string {
  if ("formula" in check) return check.say || check.formula || tr("a formula that must hold");
  if ("file" in check)
    return tr("The file {{words}}", {
      words: vocabulary().file_checks.find((f) => f.name === check.file)?.words ?? "",
    });
  const heading = (document.columns ?? []).find((c) => c.id === check.column)?.heading ?? check.column;
  return `${heading} ${checksFor("").find((m) => m.name === check.must)?.words ?? "…"}`;
}
