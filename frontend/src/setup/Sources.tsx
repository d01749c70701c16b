import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button } from "react-bootstrap";
import { useNavigate } from "react-router";
import { answer, api, turnTo } from "../api";
import type { SourceInfo } from "../api";
import { ActionsHead, Confirm, Icon, Trouble, plural } from "../shared";
import { SourceForm } from "./SourceForm";
import { tr } from "../i18n";

/** The databases that this house reads. */
export function Sources() {
  const go = useNavigate();
  const [adding, setAdding] = useState(false);
  const sources = useQuery({
    queryKey: ["sources"],
    queryFn: () => answer(api.GET("/api/v1/sources")),
    staleTime: 0,
  });
  const none = sources.data?.length === 0;
  return (
    <>
      <Trouble error={sources.error} />
      {none && (
        <p className="soft">
          {tr(
            "No database is read yet. Say where yours is; a role that can only read is all that is needed.",
          )}
        </p>
      )}
      {sources.data && sources.data.length > 0 && (
        <table className="board">
          <thead>
            <tr>
              <th>{tr("Source")}</th>
              <th>{tr("Where")}</th>
              <th>{tr("Data")}</th>
              <th className="num">{tr("Record types")}</th>
              <th>{tr("Templates")}</th>
              <ActionsHead />
            </tr>
          </thead>
          <tbody>
            {sources.data.map((source) => (
              <SourceRow key={source.key} source={source} />
            ))}
          </tbody>
        </table>
      )}
      {adding || none ? (
        <>
          <h2 className="h6 mt-3">{tr("A new source")}</h2>
          <SourceForm onDone={() => void go("/set-up/catalogue")} />
        </>
      ) : sources.data ? (
        <Button variant="quiet" className="mt-3" onClick={() => setAdding(true)}>
          <Icon name="plus" /> {tr("Add a source")}
        </Button>
      ) : null}
    </>
  );
}

function SourceRow({ source }: { source: SourceInfo }) {
  const client = useQueryClient();
  const go = useNavigate();
  const [act, setAct] = useState<"remove" | "address" | "copy" | null>(null);
  const readItself = useMutation({
    mutationFn: () =>
      answer(
        api.PATCH("/api/v1/sources/{name}", {
          params: { path: { name: source.key } },
          body: { copy_address: "", untried: false },
        }),
      ),
    onSuccess: () => void client.invalidateQueries({ queryKey: ["sources"] }),
  });
  const remove = useMutation({
    mutationFn: () =>
      answer(api.DELETE("/api/v1/sources/{name}", { params: { path: { name: source.key } } })),
    onSuccess: () => {
      turnTo(client, "");
      void client.invalidateQueries({ queryKey: ["sources"] });
      void client.invalidateQueries({ queryKey: ["session"] });
    },
  });
  const kept = source.kept === "store";
  return (
    <>
      <tr>
        <td className="name">
          {source.title}
          {source.trouble && <div className="text-danger">{source.trouble}</div>}
        </td>
        <td>
          <span className="mono">{source.where}</span>
          {!kept && <div className="soft">{tr("given in the settings")}</div>}
          {source.copy_at && (
            <div className="soft">
              {tr("runs read a copy:")} <span className="mono">{source.copy_at}</span>{" "}
              <Button variant="link" className="p-0" onClick={() => readItself.mutate()}>
                {tr("read the source itself")}
              </Button>
            </div>
          )}
          <Trouble error={readItself.error} />
        </td>
        <td>{source.environment === "practice" ? tr("practice") : tr("live")}</td>
        <td className="num">{source.record_types ?? "–"}</td>
        <td>{source.templates.length === 0 ? tr("none") : plural(source.templates.length, "template")}</td>
        <td className="text-end text-nowrap">
          <Button
            variant="quiet"
            onClick={() => {
              turnTo(client, source.key);
              void go("/set-up/catalogue");
            }}
          >
            {tr("Catalogue")}
          </Button>{" "}
          {kept && (
            <>
              <Button variant="quiet" onClick={() => setAct(act === "address" ? null : "address")}>
                {tr("Change address")}
              </Button>{" "}
              <Button variant="quiet" onClick={() => setAct(act === "copy" ? null : "copy")}>
                {tr("A copy for runs")}
              </Button>{" "}
              <Button variant="quiet" onClick={() => setAct("remove")}>
                {tr("Remove")}
              </Button>
            </>
          )}
        </td>
      </tr>
      {(act === "address" || act === "copy") && (
        <tr>
          <td colSpan={6}>
            {act === "copy" && (
              <p className="soft mb-1">
                {tr(
                  "A replica that runs read, so that long ones do not weigh on the source. Looking while designing stays with the source; each run’s slip says how far the copy was behind.",
                )}
              </p>
            )}
            <SourceForm key={act} name={source.key} copy={act === "copy"} onDone={() => setAct(null)} />
          </td>
        </tr>
      )}
      {act === "remove" && (
        <Confirm
          title={tr("Remove {{source}}?", { source: source.title })}
          act={tr("Remove")}
          busy={remove.isPending}
          error={remove.error}
          onAct={() => remove.mutate()}
          onClose={() => setAct(null)}
        >
          {tr("Bouquet forgets its address. The database itself is not touched.")}
        </Confirm>
      )}
    </>
  );
}
