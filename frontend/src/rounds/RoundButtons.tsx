import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Button } from "react-bootstrap";
import { Link } from "react-router";
import { answer, api, resources } from "../api";
import type { RoundInfo } from "../api";
import { Icon, Trouble } from "../shared";
import { useCurrentSource, useMay } from "../shell";
import { tr } from "../i18n";

/** The buttons of rounds that wait to be pressed, each under its own words; of one record type, if it is given. */
export function RoundButtons({ records }: { records?: string }) {
  const mayRun = useMay("run");
  const source = useCurrentSource()?.key;
  const rounds = useQuery({ ...resources.rounds(), staleTime: 60_000, enabled: mayRun });
  const shown = (rounds.data ?? []).filter(
    (r) =>
      r.trigger === "called" &&
      r.event?.button &&
      !r.paused &&
      (records === undefined || (r.records === records && r.source === source)),
  );
  return shown.map((round) => <Press key={round.id} round={round} />);
}

function Press({ round }: { round: RoundInfo }) {
  const client = useQueryClient();
  const call = useMutation({
    mutationFn: () =>
      answer(
        api.POST("/api/v1/rounds/{round_id}/call", {
          params: { path: { round_id: round.id }, header: { "Idempotency-Key": crypto.randomUUID() } },
        }),
      ),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["rounds"] });
      void client.invalidateQueries({ queryKey: ["runs"] });
    },
  });
  return (
    <>
      <Button
        variant="quiet"
        title={tr("Runs {{template}}", { template: round.template })}
        disabled={call.isPending}
        onClick={() => call.mutate()}
      >
        <Icon name="play" /> {round.event?.button}
      </Button>
      {call.data && <Link to={`/runs/${call.data.id}`}>{tr("Run {{id}}", { id: call.data.id })}</Link>}
      <Trouble error={call.error} />
    </>
  );
}
