import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import type { Candidate, FieldInfo, Matched } from "../api";
import { FieldPicker } from "../document/components/FieldPicker";
import type { ColumnValue, Show } from "../document/types";
import { tr } from "../i18n";

/** What fills one heading, as a person left it. */
export interface Filling {
  value: ColumnValue;
  trail: string;
  first: string | null;
  show?: Show;
  accepted: boolean;
}

export function fillingOf(candidate: Candidate): Filling {
  return {
    value: { field: candidate.path },
    trail: candidate.trail,
    first: candidate.value,
    show: candidate.show as Show,
    accepted: true,
  };
}

export function shown(show: Show | undefined): string {
  if (!show) return "";
  const parts = [
    show.date && tr("written {{date}}", { date: show.date }),
    show.factor && tr("times {{factor}}", { factor: show.factor }),
    show.decimals !== undefined &&
      show.decimals !== null &&
      tr("{{decimals}} decimals", { decimals: show.decimals }),
    show.choice === "code" && tr("as its code"),
    show.yes && tr("written {{yes}} / {{no}}", { yes: show.yes, no: show.no }),
  ].filter(Boolean);
  return parts.length ? `· ${parts.join(", ")}` : "";
}

export function Choices({
  heading,
  groups,
  filling,
  onFill,
}: {
  heading: Matched;
  groups: Parameters<typeof FieldPicker>[0]["groups"];
  filling: Filling | null;
  onFill: (filling: Filling) => void;
}) {
  const [picking, setPicking] = useState(false);
  const isField = (path: string) =>
    filling !== null && "field" in filling.value && filling.value.field === path;
  return (
    <>
      <h2 className="mono">{heading.heading}</h2>
      {heading.samples.length > 0 && (
        <p className="mb-2">
          {tr("Their sample shows")} <span className="mono">{heading.samples.slice(0, 3).join(", ")}</span>.
        </p>
      )}
      {heading.candidates.map((c) => (
        <button
          key={c.path}
          type="button"
          className="candidate"
          aria-pressed={isField(c.path)}
          onClick={() => onFill(fillingOf(c))}
        >
          <b className={c.retired ? "retired" : ""}>{c.trail}</b>{" "}
          <span className="tag">{Math.round(c.score * 100)}</span>
          <span className="mono d-block">{c.value ?? tr("no value yet")}</span>
          <span className="soft small d-block">{c.reasons.join("; ")}</span>
        </button>
      ))}
      <h3>{tr("Something else")}</h3>
      {picking ? (
        <FieldPicker
          groups={groups}
          onPick={(field: FieldInfo, group) => {
            setPicking(false);
            onFill({
              value: { field: field.path },
              trail: group.path ? `${group.label} › ${field.label}` : field.label,
              first: field.personal ? "•••" : field.example,
              accepted: true,
            });
          }}
        />
      ) : (
        <div className="d-flex gap-2 flex-wrap">
          <Button variant="quiet" size="sm" onClick={() => setPicking(true)}>
            {tr("another field")}
          </Button>
          <Button
            variant="quiet"
            size="sm"
            onClick={() =>
              onFill({
                value: { constant: heading.samples[0] ?? "" },
                trail: tr("the same text in every row"),
                first: heading.samples[0] ?? "",
                accepted: true,
              })
            }
          >
            {tr("one fixed text")}
          </Button>
          <Button
            variant="quiet"
            size="sm"
            onClick={() =>
              onFill({
                value: { formula: '""' },
                trail: tr("a formula, written on the bench"),
                first: null,
                accepted: true,
              })
            }
          >
            {tr("a formula")}
          </Button>
          <Button
            variant="quiet"
            size="sm"
            onClick={() =>
              onFill({ value: { constant: "" }, trail: tr("left blank"), first: "", accepted: true })
            }
          >
            {tr("leave it blank")}
          </Button>
        </div>
      )}
      {filling && "constant" in filling.value && filling.trail !== tr("left blank") && (
        <Form.Control
          className="mt-2"
          aria-label={tr("The fixed text")}
          value={filling.value.constant}
          onChange={(e) => onFill({ ...filling, value: { constant: e.target.value }, first: e.target.value })}
        />
      )}
      <p className="soft small mt-3">
        {tr(
          "Nothing is taken without your eye: Space accepts a line, arrows move. “Sure” needs the name, the kind of value and their sample to agree with ours.",
        )}
      </p>
    </>
  );
}
