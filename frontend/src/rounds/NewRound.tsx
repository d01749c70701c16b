import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form, Modal } from "react-bootstrap";
import { Link } from "react-router";
import { ApiError, answer, api, resources } from "../api";
import type { NewRound as Draft, Planned, RoundInfo, FormatName } from "../api";
import { Icon, Trouble, fullMoment, useDebounced, useFormats } from "../shared";
import { ClosesFields, RoundAnswers } from "./EventFields";
import { DayOff, RhythmEditor } from "./RhythmEditor";
import { SendTo } from "./SendTo";
import { TriggerFields, WAITS } from "./TriggerFields";
import { KINDS } from "./rhythm";
import { inZone } from "./words";
import { Help } from "../guide";
import { tr } from "../i18n";

const OWN_ZONE = Intl.DateTimeFormat().resolvedOptions().timeZone;
const ZONES = [...new Set(["Europe/London", OWN_ZONE, ...Intl.supportedValuesOf("timeZone")])];

/** What may become of an earlier file of the same name, with what follows from it. */
const MODES: [Draft["mode"], string][] = [
  ["new", tr("stays; the new one gets a number behind its name")],
  ["replace", tr("is replaced, at one moment; readers never see half a file")],
  ["append", tr("grows: rows are added at its end, once, under the same headings")],
];

interface Props {
  template: string | null;
  /** The round that is changed; a new one where there is none. */
  round?: RoundInfo;
  onClose: () => void;
}

function startOf(template: string | null, round: RoundInfo | undefined): Draft {
  const facts = {
    template_id: template ? Number(template) : 0,
    beat: "daily" as const,
    day: 0,
    at: "06:00",
    trigger: "calendar" as const,
    after_id: null,
    when_empty: "send" as const,
    rhythm: { ...KINDS.weekdays!.start, times: ["06:00"] },
    zone: "Europe/London",
    folder: "",
    format: "csv" as const,
    mode: "new" as const,
    purpose: "",
    mail_to: [],
    recipients: [],
    own_part: null,
    event: null,
    answers: {},
  };
  if (!round) return facts;
  const { template_id, trigger, after_id, when_empty, zone, folder, purpose, mail_to } = round;
  const watch = round.watch as Draft["watch"];
  return {
    ...facts,
    ...{ template_id, trigger, after_id, when_empty, zone, folder, purpose, mail_to, watch },
    recipients: round.recipients.map(({ recipient_id, must, when_empty: empty, only }) => ({
      recipient_id,
      must,
      when_empty: empty,
      only,
    })),
    own_part: round.own_part,
    event: round.event as Draft["event"],
    answers: round.answers,
    rhythm: round.rhythm,
    format: round.format as Draft["format"],
    mode: round.mode as Draft["mode"],
  };
}

/** Set a template to run, by the calendar or by what happens; the next five moments are shown while choosing. */
export function NewRound({ template, round, onClose }: Props) {
  const client = useQueryClient();
  const formats = useFormats();
  const templates = useQuery(resources.templates());
  const bundles = useQuery(resources.bundles());
  const [draft, setDraft] = useState<Draft>(() => startOf(template, round));
  const [mailTo, setMailTo] = useState((round?.mail_to ?? []).join(", "));
  const change = (part: Partial<Draft>) => setDraft((known) => ({ ...known, ...part }));
  const asked = useDebounced({ ...draft, mail_to: [] }, 150);
  const planned = useQuery({
    queryKey: ["rounds", "preview", asked],
    queryFn: () => answer(api.POST("/api/v1/rounds/preview", { body: asked })),
    placeholderData: keepPreviousData,
  });
  const chosen = templates.data?.find((t) => t.id === draft.template_id);
  const asks = useQuery({
    queryKey: ["questions", draft.template_id],
    queryFn: () =>
      answer(
        api.GET("/api/v1/templates/{template_id}/questions", {
          params: { path: { template_id: draft.template_id } },
        }),
      ),
    enabled: (chosen?.asks ?? 0) > 0,
  });
  const questions = chosen?.asks ? (asks.data?.asks ?? []) : [];
  const add = useMutation({
    mutationFn: () =>
      round
        ? answer(
            api.PUT("/api/v1/rounds/{round_id}", { params: { path: { round_id: round.id } }, body: draft }),
          )
        : answer(api.POST("/api/v1/rounds", { body: draft })),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["rounds"] });
      void client.invalidateQueries({ queryKey: ["templates"] });
      onClose();
    },
  });
  const byCalendar = draft.trigger === "calendar";
  const folderTrouble = planned.error instanceof ApiError && planned.error.problem.type.endsWith("/folder");
  return (
    <Modal show onHide={onClose} size="lg" aria-labelledby="new-round">
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          add.mutate();
        }}
      >
        <Modal.Header closeButton>
          <Modal.Title id="new-round">{round ? tr("Change this round") : tr("New round")}</Modal.Title>
        </Modal.Header>
        <Modal.Body className="d-grid gap-3" style={{ gridTemplateColumns: "1fr 250px" }}>
          <div className="d-grid gap-2">
            <Form.Group controlId="round-template">
              <Form.Label>{tr("Template or bundle")}</Form.Label>
              <Form.Select
                value={draft.template_id}
                onChange={(e) => {
                  const picked = templates.data?.find((t) => t.id === Number(e.target.value));
                  change({
                    template_id: Number(e.target.value),
                    answers: {},
                    format: (picked?.format ?? "csv") as FormatName,
                  });
                }}
                required
                disabled={round !== undefined}
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
            <TriggerFields draft={draft} own={round?.id} onChange={change} />
            {byCalendar && (
              <RhythmEditor rhythm={draft.rhythm ?? {}} onChange={(rhythm) => change({ rhythm })} />
            )}
            <div className={byCalendar ? "d-flex gap-2" : "d-none"}>
              <DayOff rhythm={draft.rhythm ?? {}} onChange={(rhythm) => change({ rhythm })} />
              <Form.Group controlId="round-zone" className="flex-fill">
                <Form.Label>{tr("On the clock of")}</Form.Label>
                <Form.Select value={draft.zone} onChange={(e) => change({ zone: e.target.value })}>
                  {ZONES.map((zone) => (
                    <option key={zone}>{zone}</option>
                  ))}
                </Form.Select>
              </Form.Group>
            </div>
            {draft.trigger === "closes" && <ClosesFields draft={draft} onChange={change} />}
            <RoundAnswers draft={draft} questions={questions} onChange={change} />
            <SendTo draft={draft} planned={planned.data} onChange={change} />
            <div className="d-flex gap-2">
              <Form.Group controlId="round-folder" className="flex-fill">
                <Form.Label>{tr("And into a folder of the server, if any")}</Form.Label>
                <Form.Control
                  placeholder="canopy-register"
                  value={draft.folder}
                  onChange={(e) => change({ folder: e.target.value })}
                />
                {folderTrouble && <div className="field-trouble">{planned.error?.message}</div>}
                <Form.Text>{tr("Below the folder set aside for rounds on the server.")}</Form.Text>
              </Form.Group>
              <Form.Group controlId="round-format">
                <Form.Label>{tr("As")}</Form.Label>
                <Form.Select
                  value={draft.format}
                  onChange={(e) => change({ format: e.target.value as Draft["format"] })}
                >
                  {formats.map((f) => (
                    <option key={f.name} value={f.name}>
                      {f.label}
                    </option>
                  ))}
                </Form.Select>
              </Form.Group>
            </div>
            <Form.Group controlId="round-mail">
              <Form.Label>{tr("By mail, too, to")}</Form.Label>
              <Form.Control
                placeholder="auditor@regulator.example, canopy@town.example"
                value={mailTo}
                onChange={(e) => {
                  setMailTo(e.target.value);
                  change({ mail_to: e.target.value.split(/[\s,;]+/).filter(Boolean) });
                }}
              />
              <Form.Text>{tr("Addresses with commas between them; each gets the file once.")}</Form.Text>
            </Form.Group>
            {(chosen?.personal || bundles.data?.some((b) => b.id === draft.template_id)) && (
              <Form.Group controlId="round-purpose">
                <Form.Label>
                  {chosen
                    ? tr("It holds personal data. What is it for?")
                    : tr("What personal data in it is for")}
                </Form.Label>
                <Form.Control
                  required={chosen !== undefined}
                  maxLength={300}
                  value={draft.purpose}
                  onChange={(e) => change({ purpose: e.target.value })}
                />
                <Form.Text>{tr("It is kept with each run, with your name.")}</Form.Text>
              </Form.Group>
            )}
            <Form.Check
              id="round-empty"
              label={tr("Send nothing if there are no rows")}
              checked={draft.when_empty === "skip"}
              onChange={(e) => change({ when_empty: e.target.checked ? "skip" : "send" })}
            />
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
                  onChange={() => change({ mode })}
                />
              ))}
            </fieldset>
          </div>
          <div className="slab" aria-live="polite">
            <h2>{byCalendar ? tr("The next five") : tr("When it runs")}</h2>
            {!byCalendar && <p className="soft">{WAITS[draft.trigger]}</p>}
            {byCalendar && planned.data && !planned.error && (
              <div className="soft small mb-1">{planned.data.words}</div>
            )}
            {planned.error && !folderTrouble && (
              <div className="field-trouble">{rhythmTrouble(planned.error)}</div>
            )}
            {planned.data?.next.length === 0 && (
              <div className="field-trouble">{tr("It never comes to a moment.")}</div>
            )}
            {byCalendar &&
              planned.data?.next.map((at) => (
                <div key={at} className="mono small py-1">
                  {inZone(at, draft.zone)}
                </div>
              ))}
            {byCalendar && draft.zone !== OWN_ZONE && planned.data?.next[0] && (
              <div className="soft small mt-2">
                {tr("First on your clock: {{next}}", { next: fullMoment(planned.data.next[0]) })}
              </div>
            )}
            {byCalendar && planned.data && <Covers planned={planned.data} template={draft.template_id} />}
          </div>
        </Modal.Body>
        <Modal.Footer>
          <Trouble error={add.error} />
          <Button variant="quiet" onClick={onClose}>
            {tr("Cancel")}
          </Button>
          <Button
            type="submit"
            disabled={!draft.template_id || (draft.trigger === "after" && !draft.after_id) || add.isPending}
          >
            {round ? tr("Save") : tr("Set this round")}
          </Button>
        </Modal.Footer>
      </Form>
    </Modal>
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
