import { useMutation } from "@tanstack/react-query";
import { Button, ProgressBar } from "react-bootstrap";
import { answer, api } from "../api";
import type { Run } from "../api";
import { count, duration } from "../shared";
import { tr } from "../i18n";

/** How far a run has come: rows of rows, the time left, and a way to stop it. */
export function RunProgress({ run }: { run: Run }) {
  const cancel = useMutation({
    mutationFn: () =>
      answer(api.POST("/api/v1/runs/{run_id}/cancel", { params: { path: { run_id: run.id } } })),
  });
  const { rows_announced: announced, rows_written: written } = run;
  const share = announced ? written / announced : 0;
  const elapsed = run.started_at ? (Date.now() - new Date(run.started_at).getTime()) / 1000 : 0;
  const left =
    share > 0.03 && elapsed > 2
      ? tr(" · about {{elapsed}} left", { elapsed: duration((elapsed / share) * (1 - share)) })
      : "";
  return (
    <div className="d-flex align-items-center gap-3" role="status">
      <ProgressBar
        now={announced ? 100 * share : 100}
        animated={!announced}
        striped={!announced}
        label={`${Math.round(100 * share)} %`}
        visuallyHidden
        style={{ width: 180 }}
      />
      <span>
        {run.status === "asked"
          ? tr("Waiting for a worker")
          : announced === null
            ? tr("Counting")
            : tr("{{written}} of {{announced}} rows{{left}}", {
                written: count(written),
                announced: count(announced),
                left,
              })}
      </span>
      {run.mine && (
        <Button
          variant="quiet"
          size="sm"
          disabled={cancel.isPending || cancel.isSuccess}
          onClick={() => cancel.mutate()}
        >
          {cancel.isSuccess ? tr("Stopping…") : tr("Cancel")}
        </Button>
      )}
    </div>
  );
}
