import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { resources, useSource } from "../api";
import type { RightScope } from "../api";
import { useVocabulary } from "../shared";
import { SourceChoice, useShell } from "../shell";
import { Help } from "../guide";
import { tr } from "../i18n";

type Treatment = NonNullable<RightScope["personal"]>[string];

interface Props {
  scope: RightScope | null;
  onScope: (scope: RightScope | null) => void;
}

/** What somebody may see: which records, which record types, and how personal data is shown to them. */
export function RightFields({ scope, onScope }: Props) {
  const { sources } = useShell().session;
  const tab = useSource();
  const [wanted, setWanted] = useState<string | null>(null);
  // A right goes on speaking of its source, whichever the tab is about; the house's first has an empty key.
  const spoke = scope?.records != null || scope?.types != null;
  const source = spoke ? (scope.source ?? "") : (wanted ?? (tab || (sources[0]?.key ?? "")));
  const change = (part: Partial<RightScope>) => {
    const next = { source, ...scope, ...part };
    const bound = next.records != null || next.types != null;
    const usual = next.personal && Object.values(next.personal).some((said) => said !== "seen");
    onScope(bound || usual ? { ...next, source: bound ? (part.source ?? source) : "" } : null);
  };
  const turn = (key: string) => {
    setWanted(key);
    // What was said of the records of one source says nothing of those of another.
    const narrowed = scope?.records != null;
    const records = {
      records: narrowed ? "" : null,
      field: narrowed ? "" : null,
      values: narrowed ? [] : null,
    };
    if (spoke) change({ source: key, types: null, ...records });
  };
  return (
    <>
      <SourceChoice id="right-source" value={source} onChange={turn} />
      <Narrowing scope={scope} source={source} onChange={change} />
      <Types scope={scope} source={source} onChange={change} />
      <PersonalData scope={scope} onChange={change} />
    </>
  );
}

interface PartProps {
  scope: RightScope | null;
  onChange: (part: Partial<RightScope>) => void;
}

interface OfRecords extends PartProps {
  /** The source whose records it is about. */
  source: string;
}

/** Only records that belong to some values of a field. */
function Narrowing({ scope, source, onChange }: OfRecords) {
  const types = useQuery(resources.recordTypes(source));
  const records = scope?.records ?? "";
  const fields = useQuery(resources.recordType(records, source));
  return (
    <fieldset>
      <legend className="form-label">
        {tr("They see")} <Help topic="people#rights" />
      </legend>
      <Form.Check
        type="radio"
        name="sees"
        id="sees-all"
        label={tr("all records")}
        checked={scope?.records == null}
        onChange={() => onChange({ records: null, field: null, values: null })}
      />
      <Form.Check
        type="radio"
        name="sees"
        id="sees-part"
        label={tr("only what belongs to some values of a field, such as their wards")}
        checked={scope?.records != null}
        onChange={() => onChange({ records: "", field: "", values: [] })}
      />
      {scope?.records != null && (
        <div className="d-grid gap-2 mt-1">
          <div className="d-flex gap-2">
            <Form.Select
              aria-label={tr("Record type")}
              value={records}
              onChange={(e) => onChange({ records: e.target.value, field: "" })}
            >
              <option value="">{tr("record type")}</option>
              {types.data?.map((t) => (
                <option key={t.name} value={t.name}>
                  {t.label}
                </option>
              ))}
            </Form.Select>
            <Form.Select
              aria-label={tr("Field")}
              value={scope.field ?? ""}
              onChange={(e) => onChange({ field: e.target.value })}
            >
              <option value="">{tr("field")}</option>
              {fields.data?.groups[0]?.fields.map((f) => (
                <option key={f.path} value={f.path}>
                  {f.label}
                </option>
              ))}
            </Form.Select>
          </div>
          <Form.Control
            className="mono"
            aria-label={tr("Values, separated by commas")}
            placeholder="03, 07"
            value={(scope.values ?? []).join(",")}
            onChange={(e) => onChange({ values: e.target.value.split(",") })}
          />
          <Form.Text>{tr("Records of other types are theirs when they lead to such a record.")}</Form.Text>
        </div>
      )}
    </fieldset>
  );
}

/** Which record types are open to them. */
function Types({ scope, source, onChange }: OfRecords) {
  const types = useQuery(resources.recordTypes(source));
  const open = scope?.types ?? null;
  return (
    <fieldset>
      <legend className="form-label">{tr("Of")}</legend>
      <Form.Check
        id="types-all"
        label={tr("all record types")}
        checked={open === null}
        // Before it is known which there are, none of them would be theirs.
        disabled={!types.data}
        onChange={(e) => onChange({ types: e.target.checked ? null : (types.data ?? []).map((t) => t.name) })}
      />
      {open !== null && (
        <div className="pick-types">
          {types.data?.map((t) => (
            <Form.Check
              key={t.name}
              id={`type-${t.name}`}
              label={t.plural}
              checked={open.includes(t.name)}
              onChange={(e) =>
                onChange({ types: e.target.checked ? [...open, t.name] : open.filter((n) => n !== t.name) })
              }
            />
          ))}
        </div>
      )}
    </fieldset>
  );
}

const TREATED: Record<Treatment, string> = {
  seen: tr("as it is"),
  masked: tr("masked"),
  hidden: tr("not at all"),
};

/** How each class of personal data is shown to them. */
function PersonalData({ scope, onChange }: PartProps) {
  const classes = useVocabulary().data?.personal ?? [];
  const personal = scope?.personal ?? {};
  const usual: Treatment = personal["*"] ?? "seen";
  const set = (name: string, said: Treatment | "") => {
    const next: Record<string, Treatment> = { ...personal, "*": usual };
    if (said === "") delete next[name];
    else next[name] = said;
    onChange({ personal: next as RightScope["personal"] });
  };
  return (
    <fieldset>
      <legend className="form-label">
        {tr("Personal data")} <Help topic="people#personal-data" />
      </legend>
      <div className="treatments">
        <label htmlFor="personal-usual">{tr("as a rule")}</label>
        <Form.Select
          id="personal-usual"
          size="sm"
          value={usual}
          onChange={(e) => set("*", e.target.value as Treatment)}
        >
          {Object.entries(TREATED).map(([name, words]) => (
            <option key={name} value={name}>
              {words}
            </option>
          ))}
        </Form.Select>
        {classes.map((c) => (
          <div key={c.name} className="contents">
            <label htmlFor={`personal-${c.name}`} title={c.meaning}>
              {c.title.toLowerCase()} <span className="soft">{c.meaning}</span>
            </label>
            <Form.Select
              id={`personal-${c.name}`}
              size="sm"
              value={personal[c.name] ?? ""}
              onChange={(e) => set(c.name, e.target.value as Treatment | "")}
            >
              <option value="">{tr("as the rule")}</option>
              <option value="seen">{tr("as it is")}</option>
              <option value="masked">{tr("masked: {{masked}}", { masked: c.masked })}</option>
              <option value="hidden">{tr("not at all")}</option>
            </Form.Select>
          </div>
        ))}
      </div>
    </fieldset>
  );
}
