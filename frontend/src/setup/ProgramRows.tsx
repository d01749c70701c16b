import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button } from "react-bootstrap";
import { answer, api } from "../api";
import type { Program } from "../api";
import { Confirm, shortDay, shortMoment } from "../shared";

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
        <span className="name">{program.name}</span> <span className="tag">program</span>
        <div className="soft">
          <span className="mono">{program.hint}…</span>, until {shortDay(program.expires_at)}
        </div>
      </td>
      <td>
        {program.acts.includes("run") ? "May look and run" : "May look"}, for {program.acts_for} and with
        their rights.
      </td>
      <td className="text-nowrap soft">
        {program.last_used_at ? shortMoment(program.last_used_at) : "never"}
      </td>
      <td className="text-end">
        <Button variant="quiet" onClick={() => setAsked(true)} aria-label={`End ${program.name}`}>
          End
        </Button>
        {asked && (
          <Confirm
            title={`End ${program.name}?`}
            act="End it"
            busy={end.isPending}
            error={end.error}
            onAct={() => end.mutate()}
            onClose={() => setAsked(false)}
          >
            Its token is worthless at once. Whoever needs it makes a new one.
          </Confirm>
        )}
      </td>
    </tr>
  );
}
