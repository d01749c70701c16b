import { useQuery } from "@tanstack/react-query";
import { Form } from "react-bootstrap";
import { resources } from "../api";
import type { NewRound as Draft } from "../api";
import { eventOf } from "./event";
import { Help } from "../guide";
import { tr } from "../i18n";

type Trigger = NonNullable<Draft["trigger"]>;

const TRIGGERS: Record<Trigger, string> = {
  calendar: tr("by the calendar"),
  after: tr("after another round"),
  appears: tr("when records appear"),
  closes: tr("when something is closed"),
  called: tr("when it is called"),
};

/** What a round waits for that the calendar does not start. */
export const WAITS: Record<string, string> = {
  after: tr("As soon as a run of the other round is done, counted from the same moment."),
  appears: tr(
    "When there are records that pass the template’s filter and that this round did not send yet. The template sends only what is new.",
  ),
  closes: tr(
    "When a record comes to meet the condition: a shift is closed, an order is paid. Its fields can answer what the template asks.",
  ),
  called: tr(
    "When somebody presses “Call now”, or a program asks for it with a token. Each call is one run.",
  ),
};

interface Props {
  draft: Draft;
  /** The round itself, which cannot wait for itself. */
  own?: number;
  onChange: (part: Partial<Draft>) => void;
}

/** What starts a round. */
export function TriggerFields({ draft, own, onChange }: Props) {
  const rounds = useQuery({ ...resources.rounds(), enabled: draft.trigger === "after" });
  const event = eventOf(draft);
  return (
    <div className="d-flex flex-wrap gap-2">
      <Form.Group controlId="round-trigger" className="flex-fill">
        <Form.Label>{tr("It runs")}</Form.Label> <Help topic="rounds#when-something-happens" />
        <Form.Select
          value={draft.trigger}
          onChange={(e) => onChange({ trigger: e.target.value as Trigger, after_id: null })}
        >
          {Object.entries(TRIGGERS).map(([trigger, words]) => (
            <option key={trigger} value={trigger}>
              {words}
            </option>
          ))}
        </Form.Select>
      </Form.Group>
      {draft.trigger === "after" && (
        <Form.Group controlId="round-after" className="flex-fill">
          <Form.Label>{tr("After")}</Form.Label>
          <Form.Select
            value={draft.after_id ?? ""}
            onChange={(e) => onChange({ after_id: Number(e.target.value) || null })}
          >
            <option value="">{tr("choose a round")}</option>
            {rounds.data
              ?.filter((r) => r.id !== own)
              .map((r) => (
                <option key={r.id} value={r.id}>
                  {r.template}, {r.words}
                </option>
              ))}
          </Form.Select>
        </Form.Group>
      )}
      {draft.trigger === "appears" && <WatchFields draft={draft} onChange={onChange} />}
      {draft.trigger === "closes" && <Every draft={draft} onChange={onChange} />}
      {draft.trigger === "called" && (
        <Form.Group controlId="round-button" className="flex-fill">
          <Form.Label>{tr("By a button that says")}</Form.Label>
          <Form.Control
            maxLength={60}
            placeholder={tr("Close the day")}
            value={event.button}
            onChange={(e) => onChange({ event: { ...event, button: e.target.value } })}
          />
        </Form.Group>
      )}
      {draft.trigger === "appears" && (
        <Form.Check
          id="round-each"
          className="w-100"
          label={tr("a run of its own for each record")}
          checked={event.each}
          onChange={(e) => onChange({ event: { ...event, each: e.target.checked } })}
        />
      )}
      {(draft.trigger === "appears" || draft.trigger === "closes") && (
        <Form.Group controlId="round-channel" className="w-100">
          <Form.Label>{tr("At once, when the source’s PostgreSQL notifies the channel")}</Form.Label>
          <Form.Control
            pattern="([a-z_][a-z0-9_]*)?"
            maxLength={63}
            placeholder={tr("none")}
            value={event.channel}
            onChange={(e) => onChange({ event: { ...event, channel: e.target.value } })}
          />
        </Form.Group>
      )}
    </div>
  );
}

/** How often a record that closes is looked for. */
function Every({ draft, onChange }: Pick<Props, "draft" | "onChange">) {
  const watch = draft.watch ?? EVERY;
  return (
    <Form.Group controlId="round-watch-every">
      <Form.Label>{tr("Look every (seconds)")}</Form.Label>
      <Form.Control
        type="number"
        min={10}
        max={3600}
        required
        value={watch.every}
        onChange={(e) => onChange({ watch: { ...watch, every: Number(e.target.value) } })}
      />
    </Form.Group>
  );
}

const EVERY = { every: 60, quiet: 0, longest: 600 };

/** How often records are looked for, and how long what appears is gathered. */
function WatchFields({ draft, onChange }: Pick<Props, "draft" | "onChange">) {
  const watch = draft.watch ?? EVERY;
  const field = (name: keyof typeof EVERY, label: string, least: number, most: number) => (
    <Form.Group controlId={`round-watch-${name}`}>
      <Form.Label>{label}</Form.Label>
      <Form.Control
        type="number"
        min={least}
        max={most}
        required
        value={watch[name]}
        onChange={(e) => onChange({ watch: { ...watch, [name]: Number(e.target.value) } })}
      />
    </Form.Group>
  );
  return (
    <>
      {field("every", tr("Look every (seconds)"), 10, 3600)}
      {field("quiet", tr("Wait until quiet for (seconds)"), 0, 3600)}
      {field("longest", tr("But at most (seconds)"), 0, 86400)}
    </>
  );
}
