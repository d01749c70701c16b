import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Button } from "react-bootstrap";
import { Link } from "react-router";
import { answer, api } from "../api";
import type { RemovedInfo } from "../api";
import { ActionsHead, Trouble, shortMoment } from "../shared";
import { tr } from "../i18n";

const WORDS: Record<RemovedInfo["kind"], string> = {
  template: tr("template"),
  bundle: tr("bundle"),
  round: tr("round"),
  picks: tr("saved list"),
  view: tr("view of records"),
};

/** What was removed and can be brought back. */
export function Removed() {
  const removed = useQuery({
    queryKey: ["removed"],
    queryFn: () => answer(api.GET("/api/v1/removed")),
    staleTime: 0,
  });
  return (
    <>
      <div className="strip">
        <h1>{tr("Removed")}</h1>
        <span className="soft">
          {tr("templates, bundles, rounds, saved lists and views that can be brought back")}
        </span>
        <span className="fill" />
        <Link className="btn btn-quiet" to="/templates">
          {tr("All templates")}
        </Link>
      </div>
      <main className="body">
        <Trouble error={removed.error} />
        {removed.data?.length === 0 && <div className="nothing slab">{tr("Nothing was removed.")}</div>}
        {removed.data && removed.data.length > 0 && (
          <table className="board" style={{ maxWidth: 900 }}>
            <thead>
              <tr>
                <th>{tr("Name")}</th>
                <th>{tr("What")}</th>
                <th>{tr("Whose")}</th>
                <th>{tr("Removed")}</th>
                <ActionsHead />
              </tr>
            </thead>
            <tbody>
              {removed.data.map((entry) => (
                <Entry key={`${entry.kind} ${entry.id}`} entry={entry} />
              ))}
            </tbody>
          </table>
        )}
      </main>
    </>
  );
}

function Entry({ entry }: { entry: RemovedInfo }) {
  const client = useQueryClient();
  const restore = useMutation({
    mutationFn: () => restored(entry),
    onSuccess: () => client.invalidateQueries(),
  });
  return (
    <tr>
      <td>{entry.kind === "round" ? tr("Round of {{entry}}", { entry: entry.name }) : entry.name}</td>
      <td>{WORDS[entry.kind]}</td>
      <td>{entry.owner}</td>
      <td>{shortMoment(entry.removed_at)}</td>
      <td className="text-end">
        <Button
          variant="quiet"
          disabled={restore.isPending || restore.isSuccess}
          onClick={() => restore.mutate()}
          aria-label={tr("Bring back {{entry}}", { entry: entry.name })}
        >
          {tr("Bring back")}
        </Button>
        <Trouble error={restore.error} />
      </td>
    </tr>
  );
}

/** Each kind is brought back at its own address. */
async function restored({ kind, id }: RemovedInfo): Promise<unknown> {
  switch (kind) {
    case "template":
      return answer(
        api.POST("/api/v1/templates/{template_id}/restore", { params: { path: { template_id: id } } }),
      );
    case "bundle":
      return answer(api.POST("/api/v1/bundles/{bundle_id}/restore", { params: { path: { bundle_id: id } } }));
    case "round":
      return answer(api.POST("/api/v1/rounds/{round_id}/restore", { params: { path: { round_id: id } } }));
    case "picks":
      return answer(
        api.POST("/api/v1/picks/removed/{picks_id}/restore", { params: { path: { picks_id: id } } }),
      );
    case "view":
      return answer(
        api.POST("/api/v1/records/views/{view_id}/restore", { params: { path: { view_id: id } } }),
      );
  }
}
