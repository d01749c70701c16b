import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { useNavigate } from "react-router";
import { answer, api } from "../api";
import { FormDialog, capital } from "../shared";
import { useStartRun } from "./useStartRun";

/** Several templates and whole record types at one moment, in one archive with one slip. */
export function BundleDialog({ onClose }: { onClose: () => void }) {
  const go = useNavigate();
  const start = useStartRun();
  const templates = useQuery({
    queryKey: ["templates"],
    queryFn: () => answer(api.GET("/api/v1/templates")),
  });
  const types = useQuery({
    queryKey: ["record-types"],
    queryFn: () => answer(api.GET("/api/v1/record-types")),
  });
  const [name, setName] = useState("Hand-over");
  const [chosen, setChosen] = useState<number[]>([]);
  const [records, setRecords] = useState<string[]>([]);
  const [everything, setEverything] = useState(false);
  const [format, setFormat] = useState("");
  const [purpose, setPurpose] = useState("");
  const toggle = <T,>(list: T[], one: T) =>
    list.includes(one) ? list.filter((x) => x !== one) : [...list, one];
  const some = everything || chosen.length + records.length > 0;
  return (
    <FormDialog
      title="Several in one"
      act="Run them"
      ready={some && name.trim() !== ""}
      busy={start.isPending}
      error={start.error}
      onClose={onClose}
      onAct={() =>
        start.mutate(
          {
            use: "saved",
            purpose: purpose.trim(),
            format: (format || undefined) as "csv" | undefined,
            bundle: { name: name.trim(), templates: chosen, records, everything },
          },
          { onSuccess: (run) => void go(`/runs/${run.id}`) },
        )
      }
    >
      <p className="soft mb-1">
        Everything is read at one moment, and comes as one archive with one slip: for a yearly hand-over, or
        as a copy of all there is.
      </p>
      <Form.Group controlId="bundle-name">
        <Form.Label>Name</Form.Label>
        <Form.Control value={name} maxLength={120} onChange={(e) => setName(e.target.value)} />
      </Form.Group>
      <fieldset>
        <legend className="form-label">Templates</legend>
        <div className="tick-list">
          {templates.data?.map((t) => (
            <Form.Check
              key={t.id}
              id={`bundle-template-${t.id}`}
              label={t.name}
              disabled={t.asks > 0}
              title={t.asks > 0 ? "It asks questions; run it by itself" : undefined}
              checked={chosen.includes(t.id)}
              onChange={() => setChosen(toggle(chosen, t.id))}
            />
          ))}
        </div>
      </fieldset>
      <fieldset>
        <legend className="form-label">Whole record types, with all their fields</legend>
        <Form.Check
          id="bundle-everything"
          className="fw-bold"
          label="all of them"
          checked={everything}
          onChange={(e) => setEverything(e.target.checked)}
        />
        {!everything && (
          <div className="tick-list">
            {types.data?.map((t) => (
              <Form.Check
                key={t.name}
                id={`bundle-records-${t.name}`}
                label={capital(t.plural)}
                checked={records.includes(t.name)}
                onChange={() => setRecords(toggle(records, t.name))}
              />
            ))}
          </div>
        )}
      </fieldset>
      <div className="pair">
        <Form.Group controlId="bundle-format">
          <Form.Label>As</Form.Label>
          <Form.Select value={format} onChange={(e) => setFormat(e.target.value)}>
            <option value="">each as it is set</option>
            <option value="csv">CSV</option>
            <option value="xlsx">Spreadsheets</option>
            <option value="jsonl">JSON Lines</option>
          </Form.Select>
        </Form.Group>
        <Form.Group controlId="bundle-purpose">
          <Form.Label>What personal data in it is for</Form.Label>
          <Form.Control
            value={purpose}
            maxLength={300}
            placeholder="only if there is any"
            onChange={(e) => setPurpose(e.target.value)}
          />
        </Form.Group>
      </div>
    </FormDialog>
  );
}
