import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form, Modal } from "react-bootstrap";
import { ApiError, answer, api, resources } from "../api";
import type { NewRound as Draft, RoundInfo } from "../api";
import { Trouble, useDebounced } from "../shared";
import { ClosesFields, RoundAnswers } from "./EventFields";
import { DayOff, RhythmEditor } from "./RhythmEditor";
import { SendTo } from "./SendTo";
import { EarlierFile, FolderFields, NextMoments, OWN_ZONE, TemplateChoice } from "./RoundParts";
import { TriggerFields } from "./TriggerFields";
import { KINDS } from "./rhythm";
import { tr } from "../i18n";

const ZONES = [...new Set(["Europe/London", OWN_ZONE, ...Intl.supportedValuesOf("timeZone")])];

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
  const source = (chosen ?? bundles.data?.find((b) => b.id === draft.template_id))?.source;
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
  const inFolder = planned.error instanceof ApiError && planned.error.problem.type.endsWith("/folder");
  const folderTrouble = inFolder ? planned.error?.message : undefined;
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
            <TemplateChoice draft={draft} fixed={round !== undefined} onChange={change} />
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
            {draft.trigger === "closes" && <ClosesFields draft={draft} source={source} onChange={change} />}
            <RoundAnswers draft={draft} source={source} questions={questions} onChange={change} />
            <SendTo draft={draft} planned={planned.data} onChange={change} />
            <FolderFields draft={draft} trouble={folderTrouble} onChange={change} />
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
            <EarlierFile draft={draft} onChange={change} />
          </div>
          <NextMoments draft={draft} planned={planned.data} error={folderTrouble ? null : planned.error} />
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
