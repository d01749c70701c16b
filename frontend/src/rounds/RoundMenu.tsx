import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Dropdown } from "react-bootstrap";
import { answer, api } from "../api";
import type { RoundInfo } from "../api";
import { Confirm, Trouble, shortMoment } from "../shared";
import { useMay } from "../shell";
import { HandOver } from "./HandOver";
import { LookAfter } from "./LookAfter";
import { NewRound } from "./NewRound";
import { tr } from "../i18n";

/** What can be done with a round. */
export function RoundMenu({ round }: { round: RoundInfo }) {
  const client = useQueryClient();
  const mayDesign = useMay("design");
  const mayRun = useMay("run");
  const mayKeep = useMay("keep");
  const [dialog, setDialog] = useState<"remove" | "change" | "hand over" | "others" | null>(null);
  const path = { path: { round_id: round.id } };
  const renew = () => void client.invalidateQueries({ queryKey: ["rounds"] });
  const pause = useMutation({
    mutationFn: () =>
      answer(api.PATCH("/api/v1/rounds/{round_id}", { params: path, body: { paused: !round.paused } })),
    onSuccess: renew,
  });
  const runNow = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/rounds/{round_id}/run", { params: path })),
    onSuccess: renew,
  });
  const skip = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/rounds/{round_id}/skip", { params: path })),
    onSuccess: renew,
  });
  const remove = useMutation({
    mutationFn: () => answer(api.DELETE("/api/v1/rounds/{round_id}", { params: path })),
    onSuccess: () => {
      setDialog(null);
      renew();
    },
  });
  const call = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/rounds/{round_id}/call", { params: path })),
    onSuccess: renew,
  });
  const owns = mayDesign && (round.mine || mayKeep);
  if (!round.looked_after && round.trigger !== "called") return null;
  if (!round.looked_after) {
    return (
      <Button variant="quiet" size="sm" disabled={!mayRun || round.paused} onClick={() => call.mutate()}>
        {round.event?.button || tr("Call now")}
      </Button>
    );
  }
  return (
    <>
      <Dropdown align="end">
        <Dropdown.Toggle
          variant="link"
          bsPrefix="btn px-1"
          aria-label={tr("More for {{template}}", { template: round.template })}
        >
          ⋮
        </Dropdown.Toggle>
        <Dropdown.Menu>
          {round.trigger === "called" ? (
            <Dropdown.Item as="button" disabled={round.paused} onClick={() => call.mutate()}>
              {round.event?.button || tr("Call now")}
            </Dropdown.Item>
          ) : (
            <Dropdown.Item as="button" onClick={() => runNow.mutate()}>
              {tr("Run now")}
            </Dropdown.Item>
          )}
          <Dropdown.Item as="button" disabled={!owns} onClick={() => setDialog("change")}>
            {tr("Change…")}
          </Dropdown.Item>
          {round.next[0] && (
            <Dropdown.Item as="button" onClick={() => skip.mutate()}>
              {tr("Skip the next ({{next}})", { next: shortMoment(round.next[0]) })}
            </Dropdown.Item>
          )}
          <Dropdown.Item as="button" onClick={() => pause.mutate()}>
            {round.paused ? tr("Let it go on") : tr("Pause")}
          </Dropdown.Item>
          <Dropdown.Item as="button" disabled={!owns} onClick={() => setDialog("others")}>
            {tr("Who looks after it…")}
          </Dropdown.Item>
          <Dropdown.Item as="button" disabled={!owns} onClick={() => setDialog("hand over")}>
            {tr("Hand over…")}
          </Dropdown.Item>
          <Dropdown.Item as="button" disabled={!owns} onClick={() => setDialog("remove")}>
            {tr("Remove…")}
          </Dropdown.Item>
        </Dropdown.Menu>
      </Dropdown>
      <Trouble error={runNow.error ?? call.error ?? skip.error ?? pause.error} />
      {dialog === "change" && <NewRound template={null} round={round} onClose={() => setDialog(null)} />}
      {dialog === "others" && <LookAfter round={round} onClose={() => setDialog(null)} />}
      {dialog === "hand over" && <HandOver round={round} onClose={() => setDialog(null)} />}
      {dialog === "remove" && (
        <Confirm
          title={tr("Remove this round?")}
          act={tr("Remove")}
          error={remove.error}
          onAct={() => remove.mutate()}
          onClose={() => setDialog(null)}
        >
          {tr("“{{template}}” will no longer run {{round}}. Its template and past runs stay.", {
            template: round.template,
            round: round.words,
          })}
        </Confirm>
      )}
    </>
  );
}
