import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { answer, api } from "../api";
import type { RoundInfo } from "../api";
import { FormDialog, Trouble } from "../shared";
import { useNames } from "../templates/SharedWith";
import { tr } from "../i18n";

/** To whom a round is handed over: from then on it runs with their rights. */
export function HandOver({ round, onClose }: { round: RoundInfo; onClose: () => void }) {
  const client = useQueryClient();
  const [to, setTo] = useState("");
  const names = useNames();
  const hand = useMutation({
    mutationFn: () =>
      answer(
        api.POST("/api/v1/rounds/{round_id}/hand-over", {
          params: { path: { round_id: round.id } },
          body: { to: Number(to) },
        }),
      ),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["rounds"] });
      onClose();
    },
  });
  return (
    <FormDialog
      title={tr("Hand this round over")}
      act={tr("Hand over")}
      ready={to !== ""}
      busy={hand.isPending}
      error={hand.error}
      onAct={() => hand.mutate()}
      onClose={onClose}
    >
      <Trouble error={names.error} />
      <p className="m-0">
        {tr("“{{template}}” runs {{round}} for {{owner}}: with their rights, and in their name.", {
          template: round.template,
          round: round.words,
          owner: round.owner,
        })}
      </p>
      <Form.Group controlId="round-to">
        <Form.Label>{tr("From now on it runs for")}</Form.Label>
        <Form.Select value={to} onChange={(e) => setTo(e.target.value)}>
          <option value="">{tr("choose somebody")}</option>
          {names.data?.people
            .filter((p) => p.id !== round.owner_id)
            .map((p) => (
              <option key={p.id} value={p.id}>
                {p.name}
              </option>
            ))}
        </Form.Select>
      </Form.Group>
    </FormDialog>
  );
}
