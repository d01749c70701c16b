import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { answer, api } from "../api";
import type { DaysOffInfo } from "../api";
import { FileInput, FormDialog, Trouble } from "../shared";
import { DAYS } from "./rhythm";
import { tr } from "../i18n";

/** The days on which the house does not work, for rounds that mind them. */
export function DaysOff({ onClose }: { onClose: () => void }) {
  const known = useQuery({
    queryKey: ["rounds", "days-off"],
    queryFn: () => answer(api.GET("/api/v1/rounds/days-off")),
  });
  if (!known.data) return <Trouble error={known.error} />;
  return <Editor known={known.data} onClose={onClose} />;
}

function Editor({ known, onClose }: { known: DaysOffInfo; onClose: () => void }) {
  const client = useQueryClient();
  const [weekend, setWeekend] = useState(known.weekend ?? []);
  const [country, setCountry] = useState(known.country ?? "");
  const [region, setRegion] = useState(known.region ?? "");
  const [text, setText] = useState((known.days ?? []).map((d) => `${d.day} ${d.name}`.trim()).join("\n"));
  const lines = text.split("\n").filter((l) => l.trim());
  const wrong = lines.find((l) => !/^\d{4}-\d\d-\d\d(\s|$)/.test(l.trim()));
  const read = useMutation({
    mutationFn: async (file: File) =>
      answer(api.POST("/api/v1/rounds/days-off/read", { body: { text: await file.text() } })),
    onSuccess: (days) => {
      const taken = new Set(lines.map((l) => l.trim().slice(0, 10)));
      const added = days.filter((d) => !taken.has(d.day)).map((d) => `${d.day} ${d.name}`.trim());
      setText([...lines, ...added].sort().join("\n"));
    },
  });
  const save = useMutation({
    mutationFn: () =>
      answer(
        api.PUT("/api/v1/rounds/days-off", {
          body: {
            weekend,
            country: country.trim().toUpperCase(),
            region: region.trim().toUpperCase(),
            days: lines.map((l) => ({ day: l.trim().slice(0, 10), name: l.trim().slice(10).trim() })),
          },
        }),
      ),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["rounds"] });
      onClose();
    },
  });
  return (
    <FormDialog
      title={tr("Days off")}
      act={tr("Save")}
      busy={save.isPending}
      ready={!wrong}
      error={save.error ?? read.error}
      onAct={() => save.mutate()}
      onClose={onClose}
    >
      <fieldset className="mb-2">
        <legend className="form-label">{tr("Days of the week that are off")}</legend>
        <div className="d-flex gap-3 flex-wrap">
          {DAYS.map((day, n) => (
            <Form.Check
              key={day}
              id={`off-${n}`}
              label={day}
              checked={weekend.includes(n)}
              onChange={(e) =>
                setWeekend(e.target.checked ? [...weekend, n] : weekend.filter((d) => d !== n))
              }
            />
          ))}
        </div>
      </fieldset>
      <div className="d-flex gap-2 mb-2">
        <Form.Group controlId="off-country">
          <Form.Label>{tr("Public holidays of (country, such as GB)")}</Form.Label>
          <Form.Control value={country} maxLength={2} onChange={(e) => setCountry(e.target.value)} />
        </Form.Group>
        <Form.Group controlId="off-region">
          <Form.Label>{tr("Region, such as ENG")}</Form.Label>
          <Form.Control value={region} maxLength={6} onChange={(e) => setRegion(e.target.value)} />
        </Form.Group>
      </div>
      <Form.Group controlId="off-own">
        <Form.Label>{tr("Days of your own, one a line: a date and a name")}</Form.Label>
        <Form.Control
          as="textarea"
          rows={4}
          placeholder={tr("2026-12-24 Office closed")}
          value={text}
          isInvalid={!!wrong}
          onChange={(e) => setText(e.target.value)}
        />
        {wrong && (
          <div className="field-trouble">
            {tr("“{{wrong}}” does not begin with a date such as 2026-12-24.", { wrong })}
          </div>
        )}
      </Form.Group>
      <label className="btn btn-quiet btn-sm mt-1">
        {tr("Add the days of a calendar file…")}
        <FileInput accept=".ics,text/calendar" onFile={read.mutate} />
      </label>
      {known.next.length > 0 && (
        <p className="soft small mt-2 mb-0">
          {tr("Next as saved: {{next}}", {
            next: known.next
              .slice(0, 4)
              .map((d) => `${d.day} ${d.name}`)
              .join(" · "),
          })}
        </p>
      )}
    </FormDialog>
  );
}
