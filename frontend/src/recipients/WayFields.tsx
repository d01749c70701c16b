import { useQuery } from "@tanstack/react-query";
import { Button, Form } from "react-bootstrap";
import { resources } from "../api";
import type { WayOfRecipient } from "../api";
import { Icon, Trouble } from "../shared";
import { SchemaForm } from "./SchemaForm";
import { tr } from "../i18n";

/** Ways by which one recipient receives, with the first. */
const MOST = 6;

interface Props {
  id: string;
  label: string;
  way: WayOfRecipient;
  onChange: (way: WayOfRecipient) => void;
}

/** By what files go, and where to. */
export function WayFields({ id, label, way, onChange }: Props) {
  const ways = useQuery(resources.ways());
  const means = useQuery(resources.means());
  const chosen = means.data?.find((m) => m.id === way.means_id);
  const described = ways.data?.find((w) => w.kind === chosen?.kind);
  return (
    <>
      <Form.Group controlId={`${id}-means`}>
        <Form.Label>{label}</Form.Label>
        <Form.Select
          required
          value={way.means_id || ""}
          onChange={(e) => onChange({ means_id: Number(e.target.value), address: {} })}
        >
          <option value="">{tr("choose a way out")}</option>
          {means.data?.map((m) => (
            <option key={m.id} value={m.id}>
              {m.name} ({m.label.toLowerCase()})
            </option>
          ))}
        </Form.Select>
        {means.data?.length === 0 && (
          <Form.Text>{tr("No way out is set up yet; an administrator does that under Set-up.")}</Form.Text>
        )}
      </Form.Group>
      {described && (
        <SchemaForm
          id={id}
          schema={described.address}
          values={way.address ?? {}}
          onChange={(address) => onChange({ ...way, address })}
        />
      )}
      <Trouble error={means.error} />
    </>
  );
}

/** By which they receive the same files as well. */
export function MoreWays({
  ways,
  onChange,
}: {
  ways: WayOfRecipient[];
  onChange: (ways: WayOfRecipient[]) => void;
}) {
  return (
    <>
      {ways.map((way, n) => (
        <fieldset key={n} className="another-way">
          <WayFields
            id={`recipient-way-${n}`}
            label={tr("And by")}
            way={way}
            onChange={(changed) => onChange(ways.map((w, at) => (at === n ? changed : w)))}
          />
          <Button
            variant="quiet"
            size="sm"
            className="own-width"
            aria-label={tr("Remove way {{n}}", { n: n + 2 })}
            onClick={() => onChange(ways.filter((_, at) => at !== n))}
          >
            {tr("Remove this way")}
          </Button>
        </fieldset>
      ))}
      {ways.length < MOST - 1 && (
        <Button
          variant="quiet"
          size="sm"
          className="own-width"
          onClick={() => onChange([...ways, { means_id: 0, address: {} }])}
        >
          <Icon name="plus" /> {tr("Another way")}
        </Button>
      )}
    </>
  );
}
