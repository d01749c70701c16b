import { useQuery } from "@tanstack/react-query";
import { Form } from "react-bootstrap";
import { Link } from "react-router";
import { ApiError, resources } from "../api";
import type { FormatName, NewRound as Draft, Planned } from "../api";
import { Help } from "../guide";
import { Icon, fullMoment, useFormats } from "../shared";
import { WAITS } from "./TriggerFields";
import { inZone } from "./words";
import { tr } from "../i18n";

export const OWN_ZONE = Intl.DateTimeFormat().resolvedOptions().timeZone;

/** What may become of an earlier file of the same name, with what follows from it. */
const MODES: [Draft["mode"], string][] = [
  ["new", tr("stays; the new one gets a number behind its name")],
  ["replace", tr("is replaced, at one moment; readers never see half a file")],
  ["append", tr("grows: rows are added at its end, once, under the same headings")],
];

interface PartProps {
  draft: Draft;
  onChange: (part: Partial<Draft>) => void;
}

/** What runs: a template that was saved, or a bundle. */
export function TemplateChoice({ draft, fixed, onChange }: PartProps & { fixed: boolean }) {
  const templates = useQuery(resources.templates());
  const bundles = useQuery(resources.bundles());
  return (
    <Form.Group controlId="round-template">
      <Form.Label>{tr("Template or bundle")}</Form.Label>
      <Form.Select
        value={draft.template_id}
        onChange={(e) => {
          const picked = templates.data?.find((t) => t.id === Number(e.target.value));
          onChange({
            template_id: Number(e.target.value),
            answers: {},
            format: (picked?.format ?? "csv") as FormatName,
          });
        }}
        required
        disabled={fixed}
      >
        <option value={0} disabled>
          {tr("Choose a template")}
        </option>
        {templates.data?.map((t) => (
          <option key={t.id} value={t.id} disabled={t.version === 0}>
            {t.name}
            {t.version === 0 ? tr(" (never saved)") : ""}
          </option>
        ))}
        {(bundles.data ?? []).length > 0 && (
          <optgroup label={tr("Bundles")}>
            {bundles.data?.map((b) => (
              <option key={b.id} value={b.id}>
                {b.name}
              </option>
            ))}
          </optgroup>
        )}
      </Form.Select>
    </Form.Group>
  );
}

/** The folder of the server that the file goes into, and its format. */
export function FolderFields({ draft, trouble, onChange }: PartProps & { trouble: string | undefined }) {
  const formats = useFormats();
  return (
    <div className="d-flex gap-2">
      <Form.Group controlId="round-folder" className="flex-fill">
        <Form.Label>{tr("And into a folder of the server, if any")}</Form.Label>
        <Form.Control
          placeholder="canopy-register"
          value={draft.folder}
          onChange={(e) => onChange({ folder: e.target.value })}
        />
        {trouble && <div className="field-trouble">{trouble}</div>}
        <Form.Text>{tr("Below the folder set aside for rounds on the server.")}</Form.Text>
      </Form.Group>
      <Form.Group controlId="round-format">
        <Form.Label>{tr("As")}</Form.Label>
        <Form.Select
          value={draft.format}
          onChange={(e) => onChange({ format: e.target.value as Draft["format"] })}
        >
          {formats.map((f) => (
            <option key={f.name} value={f.name}>
              {f.label}
            </option>
          ))}
        </Form.Select>
      </Form.Group>
    </div>
  );
}

/** What becomes of an earlier file of the same name. */
export function EarlierFile({ draft, onChange }: PartProps) {
  return (
    <fieldset>
      <legend className="form-label">{tr("An earlier file of the same name there")}</legend>
      {MODES.map(([mode, words]) => (
        <Form.Check
          key={mode}
          type="radio"
          name="round-mode"
          id={`round-mode-${mode}`}
          label={words}
          checked={draft.mode === mode}
          disabled={mode === "append" && draft.format === "xlsx"}
          onChange={() => onChange({ mode })}
        />
      ))}
    </fieldset>
  );
}

interface MomentsProps {
  draft: Draft;
  planned: Planned | undefined;
  error: Error | null;
}

/** When it runs: the next five moments, and the days that these cover. */
export function NextMoments({ draft, planned, error }: MomentsProps) {
  const byCalendar = draft.trigger === "calendar";
  return (
    <div className="slab" aria-live="polite">
      <h2>{byCalendar ? tr("The next five") : tr("When it runs")}</h2>
      {!byCalendar && <p className="soft">{WAITS[draft.trigger]}</p>}
      {byCalendar && planned && !error && <div className="soft small mb-1">{planned.words}</div>}
      {error && <div className="field-trouble">{rhythmTrouble(error)}</div>}
      {planned?.next.length === 0 && <div className="field-trouble">{tr("It never comes to a moment.")}</div>}
      {byCalendar &&
        planned?.next.map((at) => (
          <div key={at} className="mono small py-1">
            {inZone(at, draft.zone)}
          </div>
        ))}
      {byCalendar && draft.zone !== OWN_ZONE && planned?.next[0] && (
        <div className="soft small mt-2">
          {tr("First on your clock: {{next}}", { next: fullMoment(planned.next[0]) })}
        </div>
      )}
      {byCalendar && planned && <Covers planned={planned} template={draft.template_id} />}
    </div>
  );
}

/** Which days of the next year would be in no run, or in several, and what would have each in one. */
function Covers({ planned, template }: { planned: Planned; template: number }) {
  if (planned.coverage.length === 0) return null;
  return (
    <div className="mt-3">
      <h2>
        {tr("The days it covers")} <Help topic="rounds#the-days-it-covers" />
      </h2>
      {planned.coverage.map((said, n) => (
        <p key={said} className={planned.covered ? "soft small mb-1" : "small mb-1"}>
          {!planned.covered && !(planned.cure && n === planned.coverage.length - 1) && (
            <Icon name="exclamation" />
          )}{" "}
          {said}
        </p>
      ))}
      {planned.cure && (
        <Link className="small" to={`/templates/${template}`} target="_blank">
          {tr("Choose that window in the template")}
        </Link>
      )}
    </div>
  );
}

/** What is wrong with a rhythm, in the server's words for its first problem. */
function rhythmTrouble(error: Error): string {
  const said = error instanceof ApiError ? error.problem.errors?.[0]?.message : undefined;
  return (said ?? error.message).replace(/^Value error, /, "");
}
