import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button } from "react-bootstrap";
import { answer, api } from "../api";
import type { Program } from "../api";
import { Confirm, shortDay, shortMoment } from "../shared";
import { tr } from "../i18n";

/** Programs that act for people by tokens: for whom, what they may, until when; ended. */
export function ProgramRows() {
  const programs = useQuery({
    queryKey: ["programs"],
    queryFn: () => answer(api.GET("/api/v1/programs")),
    staleTime: 0,
  });
  return programs.data?.map((program) => <ProgramRow key={`t${program.id}`} program={program} />);
}

function ProgramRow({ program }: { program: Program }) {
  const client = useQueryClient();
  const [asked, setAsked] = useState(false);
  const end = useMutation({
    mutationFn: () =>
      answer(api.DELETE("/api/v1/programs/{token_id}", { params: { path: { token_id: program.id } } })),
    onSuccess: () => void client.invalidateQueries({ queryKey: ["programs"] }),
  });
  return (
    <tr>
      <td>
        <span className="name">{program.name}</span> <span className="tag">{tr("program")}</span>
        <div className="soft">
          <span className="mono">{program.hint}…</span>
          {tr(", until {{expires_at}}", { expires_at: shortDay(program.expires_at) })}
        </div>
      </td>
      <td>
        {tr("{{value}}, for {{acts_for}} and with their rights.", {
          value: program.acts.includes("run") ? tr("May look and run") : tr("May look"),
          acts_for: program.acts_for,
        })}
      </td>
      <td className="text-nowrap soft">
        {program.last_used_at ? shortMoment(program.last_used_at) : tr("never")}
      </td>
      <td className="text-end">
        <Button
          variant="quiet"
          onClick={() => setAsked(true)}
          aria-label={tr("End {{program}}", { program: program.name })}
        >
          {tr("End")}
        </Button>
        {asked && (
          <Confirm
            title={tr("End {{program}}?", { program: program.name })}
            act={tr("End it")}
            busy={end.isPending}
            error={end.error}
            onAct={() => end.mutate()}
            onClose={() => setAsked(false)}
          >
            {tr("Its token is worthless at once. Whoever needs it makes a new one.")}
          </Confirm>
        )}
      </td>
    </tr>
  );
}
