import type { Run } from "../api";
import { Icon, clock, count, duration, plural } from "../shared";
import { isMade } from "./slip";
import { tr } from "../i18n";

type Stage = { label: string; detail: string; state: "done" | "now" | "bad" | "held" | "wait" };

/** Asked for, counted, written, checked, delivered: how far a run has come. */
export function Stages({ run }: { run: Run }) {
  return (
    <ol className="stages">
      {stagesOf(run).map((stage) => (
        <li key={stage.label} className={stage.state}>
          <span className="dot">
            {stage.state === "done" && <Icon name="check" label={tr("done")} />}
            {stage.state === "bad" && <Icon name="x" label={tr("ended here")} />}
            {stage.state === "held" && <Icon name="pauseBars" label={tr("waits here")} />}
          </span>
          <div className="fw-bold">{stage.label}</div>
          <div className="soft">{stage.detail || "\u00a0"}</div>
        </li>
      ))}
    </ol>
  );
}

function stagesOf(run: Run): Stage[] {
  const made = isMade(run) || run.status === "discarded";
  const bad = run.status === "failed" || run.status === "cancelled";
  const counted = run.rows_announced !== null;
  const written = made || (run.slip ?? null) !== null || ["checking", "packing"].includes(run.stage);
  const asked = (run.slip?.checks ?? []).length;
  const spoke = (run.slip?.checks ?? []).filter((c) => c.objections > 0).length;
  const state = (done: boolean, now: boolean): Stage["state"] =>
    done ? "done" : now ? (bad ? "bad" : "now") : "wait";
  const checked = !asked
    ? tr("nothing to check")
    : spoke
      ? tr("{{spoke}} of {{asked}} failed", { spoke, asked: plural(asked, "check") })
      : tr("{{asked}} content", { asked: plural(asked, "check") });
  return [
    { label: tr("Asked for"), detail: clock(run.asked_at), state: "done" },
    {
      label: tr("Counted"),
      detail: run.rows_announced !== null ? plural(run.rows_announced, "row") : "",
      state: state(counted || made, run.status !== "asked"),
    },
    {
      label: tr("Written"),
      detail: made
        ? `${plural(run.files.length, "file")}, ${took(run)}`
        : counted
          ? count(run.rows_written)
          : "",
      state: state(written, counted),
    },
    {
      label: tr("Checked"),
      detail: made || written ? checked : "",
      state: run.status === "held" ? "held" : state(made, written),
    },
    lastStage(run, bad),
  ];
}

function lastStage(run: Run, bad: boolean): Stage {
  const at = run.finished_at ? clock(run.finished_at) : "";
  if (bad)
    return { label: run.status === "failed" ? tr("Failed") : tr("Cancelled"), detail: at, state: "bad" };
  if (run.status === "discarded")
    return { label: tr("Discarded"), detail: run.reviewed_by ?? "", state: "bad" };
  const label = run.delivered_to.length || run.via === "round" ? tr("Delivered") : tr("Ready");
  if (run.status === "ready") return { label, detail: at, state: "done" };
  return { label, detail: tr("waiting"), state: run.status === "releasing" ? "now" : "wait" };
}

function took(run: Run): string {
  if (!run.started_at || !run.finished_at) return "";
  return duration((new Date(run.finished_at).getTime() - new Date(run.started_at).getTime()) / 1000);
}
