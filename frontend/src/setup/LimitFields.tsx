import { useQuery } from "@tanstack/react-query";
import { Form } from "react-bootstrap";
import { resources } from "../api";
import type { Limits } from "../api";
import { Help } from "../guide";
import { tr } from "../i18n";

interface Props {
  limits: Limits | null;
  onLimits: (limits: Limits | null) => void;
}

/** What bounds somebody's acts: which templates they use, and where their files may go. */
export function LimitFields({ limits, onLimits }: Props) {
  const change = (part: Partial<Limits>) => {
    const next = { house_only: false, sends_to: null, ...limits, ...part };
    onLimits(next.house_only || next.sends_to !== null ? next : null);
  };
  return (
    <>
      <fieldset>
        <legend className="form-label">{tr("With templates")}</legend>
        <Form.Check
          id="house-only"
          label={tr("only the house’s standard ones, and their own")}
          checked={limits?.house_only ?? false}
          onChange={(e) => change({ house_only: e.target.checked })}
        />
      </fieldset>
      <SendsTo sendsTo={limits?.sends_to ?? null} onChange={(sends_to) => change({ sends_to })} />
    </>
  );
}

interface SendsToProps {
  /** The recipients to whom files may go; null for any way out. */
  sendsTo: number[] | null;
  onChange: (sendsTo: number[] | null) => void;
}

/** Where files may go by somebody's hand, or by their rounds. */
function SendsTo({ sendsTo, onChange }: SendsToProps) {
  const recipients = useQuery(resources.recipients());
  return (
    <fieldset>
      <legend className="form-label">
        {tr("Their files may go")} <Help topic="people#files-go" />
      </legend>
      <Form.Check
        type="radio"
        name="goes"
        id="goes-anywhere"
        label={tr("to any recipient, folder or mail address")}
        checked={sendsTo === null}
        onChange={() => onChange(null)}
      />
      <Form.Check
        type="radio"
        name="goes"
        id="goes-named"
        label={tr("only to the recipients ticked here; to nobody else where none is")}
        checked={sendsTo !== null}
        onChange={() => onChange([])}
      />
      {sendsTo !== null && (
        <div className="pick-types">
          {recipients.data?.map((r) => (
            <Form.Check
              key={r.id}
              id={`goes-to-${r.id}`}
              label={r.name}
              checked={sendsTo.includes(r.id)}
              onChange={(e) =>
                onChange(e.target.checked ? [...sendsTo, r.id] : sendsTo.filter((id) => id !== r.id))
              }
            />
          ))}
        </div>
      )}
    </fieldset>
  );
}
