import { useQuery } from "@tanstack/react-query";
import { Form } from "react-bootstrap";
import { Link } from "react-router";
import { resources } from "../api";
import { Trouble, plural } from "../shared";
import type { NewRound as Draft, Planned, RecipientInfo } from "../api";
import { CHOICES } from "../document/components/Memory";
import { Help } from "../guide";
import { tr } from "../i18n";

interface Props {
  draft: Draft;
  /** The parts there would be now, and those of nobody. */
  planned: Planned | undefined;
  onChange: (part: Partial<Draft>) => void;
}

/** Whom a round sends to: recipients, each with everything, or each with their own part. */
export function SendTo({ draft, planned, onChange }: Props) {
  const recipients = useQuery({
    ...resources.recipients(),
    // Whoever misses one adds it, here or in another window, and comes back.
    refetchOnMount: "always",
    refetchInterval: 15_000,
  });
  const chosen = draft.recipients ?? [];
  const facts = [
    ...new Set(
      (recipients.data ?? []).flatMap((r) =>
        Object.keys((r.acceptance.facts as Record<string, string> | undefined) ?? {}),
      ),
    ),
  ].sort();
  const put = (id: number, change: Partial<(typeof chosen)[number]> | null) => {
    const others = chosen.filter((c) => c.recipient_id !== id);
    const known = chosen.find((c) => c.recipient_id === id);
    const start = { recipient_id: id, must: true, when_empty: "send" as const };
    onChange({ recipients: change === null ? others : [...others, { ...start, ...known, ...change }] });
  };
  return (
    <fieldset>
      <legend className="form-label">
        {tr("It is sent to")} <Help topic="sending#a-round-that-sends-to-them" />
      </legend>
      <Trouble error={recipients.error} />
      {recipients.data?.length === 0 && (
        <p className="soft m-0">
          {tr("There are no recipients yet.")}{" "}
          <Link to="/recipients" className="text-decoration-underline">
            {tr("Add one")}
          </Link>
          {tr(", or give a folder or addresses below.")}
        </p>
      )}
      {!draft.own_part && (
        <div className="send-to">
          {recipients.data?.map((r) => {
            const entry = chosen.find((c) => c.recipient_id === r.id);
            return <Receiver key={r.id} recipient={r} entry={entry} onPut={(change) => put(r.id, change)} />;
          })}
        </div>
      )}
      {(facts.length > 0 || draft.own_part) && (
        <OwnPart draft={draft} facts={facts} planned={planned} onChange={onChange} />
      )}
    </fieldset>
  );
}

type Entry = NonNullable<Draft["recipients"]>[number];

interface ReceiverProps {
  recipient: RecipientInfo;
  /** How they receive it; none where they do not. */
  entry: Entry | undefined;
  onPut: (change: Partial<Entry> | null) => void;
}

/** One recipient: whether they receive it, what of it, and whether it must arrive. */
function Receiver({ recipient, entry, onPut }: ReceiverProps) {
  return (
    <div className="d-flex column-gap-3 flex-wrap align-items-center">
      <Form.Check
        id={`send-to-${recipient.id}`}
        label={
          recipient.may_send
            ? recipient.name
            : tr("{{name}} (your files may not go there)", { name: recipient.name })
        }
        disabled={!recipient.may_send && entry === undefined}
        checked={entry !== undefined}
        onChange={(e) => onPut(e.target.checked ? {} : null)}
      />
      {entry && (
        <>
          <Form.Check
            id={`must-${recipient.id}`}
            className="small soft"
            label={tr("must arrive")}
            checked={entry.must}
            onChange={(e) => onPut({ must: e.target.checked })}
          />
          <div className="w-100 ps-4 pb-2 d-flex flex-wrap column-gap-3 row-gap-1">
            <label className="small soft d-flex gap-1 align-items-center">
              {tr("without rows")}
              <Form.Select
                size="sm"
                className="w-auto"
                aria-label={tr("Without rows, {{name}}", { name: recipient.name })}
                value={entry.when_empty}
                onChange={(e) => onPut({ when_empty: e.target.value as typeof entry.when_empty })}
              >
                <option value="send">{tr("gets the empty file")}</option>
                <option value="leave out">{tr("gets nothing")}</option>
                <option value="tell">{tr("is told that there is nothing (mail, webhook)")}</option>
              </Form.Select>
            </label>
            <label className="small soft d-flex gap-1 align-items-center">
              {tr("gets")}
              <Form.Select
                size="sm"
                className="w-auto"
                aria-label={tr("Which records, {{name}}", { name: recipient.name })}
                value={entry.only ?? ""}
                onChange={(e) => onPut({ only: (e.target.value || null) as typeof entry.only })}
              >
                <option value="">{tr("what the template says")}</option>
                {Object.entries(CHOICES).map(([only, words]) => (
                  <option key={only} value={only}>
                    {words}
                  </option>
                ))}
              </Form.Select>
            </label>
          </div>
        </>
      )}
    </div>
  );
}

/** Whether each gets their own part, and what becomes of parts that are nobody's. */
function OwnPart({ draft, facts, planned, onChange }: Props & { facts: string[] }) {
  const chosen = draft.recipients ?? [];
  return (
    <>
      <div className="d-flex gap-2 align-items-center flex-wrap mt-1">
        <Form.Select
          size="sm"
          className="w-auto"
          aria-label={tr("Whether each gets their own part")}
          value={draft.own_part?.fact ?? ""}
          onChange={(e) =>
            onChange({
              own_part: e.target.value ? { fact: e.target.value, missing: "hold" } : null,
              recipients: e.target.value ? [] : chosen,
            })
          }
        >
          <option value="">{tr("each gets everything")}</option>
          {facts.map((fact) => (
            <option key={fact} value={fact}>
              {tr("each gets the part with their {{fact}}", { fact })}
            </option>
          ))}
        </Form.Select>
        {draft.own_part && (
          <Form.Select
            size="sm"
            className="w-auto"
            aria-label={tr("What becomes of parts that nobody receives")}
            value={draft.own_part.missing}
            onChange={(e) =>
              onChange({
                own_part: { ...draft.own_part!, missing: e.target.value as "hold" | "keep" | "tell" },
              })
            }
          >
            <option value="hold">{tr("parts of nobody: wait for me")}</option>
            <option value="keep">{tr("parts of nobody: keep them")}</option>
            <option value="tell">{tr("parts of nobody: keep them and tell me")}</option>
          </Form.Select>
        )}
      </div>
      {draft.own_part && planned?.parts != null && (
        <p className="small m-0 mt-1">
          {tr("{{parts}} now: {{parts2}} have a recipient", {
            parts: plural(planned.parts, "part"),
            parts2: planned.parts - (planned.parts_of_nobody?.length ?? 0),
          })}
          {planned.parts_of_nobody &&
            planned.parts_of_nobody.length > 0 &&
            tr(", none has {{parts_of_nobody}}", {
              parts_of_nobody: planned.parts_of_nobody.slice(0, 8).join(", "),
            })}
          .
        </p>
      )}
    </>
  );
}
