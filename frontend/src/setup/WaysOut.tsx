import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form } from "react-bootstrap";
import { answer, api, resources } from "../api";
import type { MeansInfo } from "../api";
import { SchemaForm, filled } from "../recipients";
import { ActionsHead, Confirm, Icon, Trouble, fullMoment } from "../shared";
import { Steps } from "./Steps";
import { useTrying } from "./useTrying";
import { tr } from "../i18n";

/** The servers, buckets and folders that files leave by. */
export function WaysOut() {
  const [adding, setAdding] = useState(false);
  const means = useQuery(resources.means());
  const none = means.data?.length === 0;
  return (
    <>
      <Trouble error={means.error} />
      {none && (
        <p className="soft">
          {tr(
            "Files leave by nothing yet but the rounds’ own folder. Set up a mail server, an SFTP server, a program, an object store, a folder or links; recipients are reached by these.",
          )}
        </p>
      )}
      {means.data && means.data.length > 0 && (
        <table className="board">
          <thead>
            <tr>
              <th>{tr("Way out")}</th>
              <th>{tr("Kind")}</th>
              <th>{tr("Recipients")}</th>
              <th>{tr("Just now")}</th>
              <ActionsHead />
            </tr>
          </thead>
          <tbody>
            {means.data.map((one) => (
              <MeansRow key={one.id} means={one} />
            ))}
          </tbody>
        </table>
      )}
      {adding || none ? (
        <>
          <h2 className="h6 mt-3">{tr("A new way out")}</h2>
          <MeansForm onDone={() => setAdding(false)} />
        </>
      ) : means.data ? (
        <Button variant="quiet" className="mt-3" onClick={() => setAdding(true)}>
          <Icon name="plus" /> {tr("Add a way out")}
        </Button>
      ) : null}
    </>
  );
}

function MeansRow({ means }: { means: MeansInfo }) {
  const client = useQueryClient();
  const [act, setAct] = useState<"change" | "remove" | null>(null);
  const remove = useMutation({
    mutationFn: () =>
      answer(api.DELETE("/api/v1/means/{means_id}", { params: { path: { means_id: means.id } } })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["means"] }),
  });
  return (
    <>
      <tr>
        <td className="name">{means.name}</td>
        <td>{means.label}</td>
        <td>{means.recipients.length === 0 ? tr("none") : means.recipients.join(", ")}</td>
        <td>
          {means.down_until ? (
            <>
              <span className="tag failed">
                {tr("left alone until {{down_until}}", { down_until: fullMoment(means.down_until) })}
              </span>
              <div className="small">{means.said}</div>
            </>
          ) : means.said ? (
            <span className="small">{means.said}</span>
          ) : (
            <span className="soft">{tr("nothing went wrong")}</span>
          )}
        </td>
        <td className="text-end text-nowrap">
          <Button variant="quiet" onClick={() => setAct(act === "change" ? null : "change")}>
            {tr("Change or try")}
          </Button>{" "}
          <Button variant="quiet" onClick={() => setAct("remove")}>
            {tr("Remove")}
          </Button>
        </td>
      </tr>
      {act === "change" && (
        <tr>
          <td colSpan={5}>
            <MeansForm means={means} onDone={() => setAct(null)} />
          </td>
        </tr>
      )}
      {act === "remove" && (
        <Confirm
          title={tr("Remove {{means}}?", { means: means.name })}
          act={tr("Remove")}
          busy={remove.isPending}
          error={remove.error}
          onAct={() => remove.mutate()}
          onClose={() => setAct(null)}
        >
          {tr("Bouquet forgets its password or key. Nothing changes at the other side.")}
        </Confirm>
      )}
    </>
  );
}

/** Say where files go, try it step by step, and keep it. */
function MeansForm({ means, onDone }: { means?: MeansInfo; onDone: () => void }) {
  const client = useQueryClient();
  const ways = useQuery(resources.ways());
  const [kind, setKind] = useState(means?.kind ?? "mail");
  const [name, setName] = useState(means?.name ?? "");
  const [settings, setSettings] = useState<Record<string, unknown>>(means?.settings ?? {});
  const [secret, setSecret] = useState("");
  const trying = useTrying("/api/v1/means/try");
  const way = ways.data?.find((w) => w.kind === kind);
  const asked = { kind, settings: filled(settings), secret, means_id: means?.id };
  const keep = useMutation({
    mutationFn: () =>
      means
        ? answer(
            api.PATCH("/api/v1/means/{means_id}", {
              params: { path: { means_id: means.id } },
              body: { name: name.trim(), settings: filled(settings), ...(secret ? { secret } : {}) },
            }),
          )
        : answer(
            api.POST("/api/v1/means", {
              body: { name: name.trim(), kind, settings: filled(settings), secret },
            }),
          ),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["means"] });
      onDone();
    },
  });
  const shownKey = trying.steps
    .find((s) => s.name === "host key" && s.mark === "care")
    ?.says.match(/: (\S+ \S+) \(/)?.[1];
  return (
    <Form
      className="slab source-form"
      onSubmit={(event) => {
        event.preventDefault();
        keep.mutate();
      }}
    >
      <div className="source-parts">
        {!means && (
          <Form.Group controlId="means-kind">
            <Form.Label>{tr("By")}</Form.Label>
            <Form.Select
              value={kind}
              onChange={(e) => {
                setKind(e.target.value);
                setSettings({});
              }}
            >
              {ways.data?.map((w) => (
                <option key={w.kind} value={w.kind}>
                  {w.label}
                </option>
              ))}
            </Form.Select>
          </Form.Group>
        )}
        <Form.Group controlId="means-name">
          <Form.Label>{tr("Call it")}</Form.Label>
          <Form.Control required maxLength={80} value={name} onChange={(e) => setName(e.target.value)} />
        </Form.Group>
        {way && <SchemaForm id="means" schema={way.settings} values={settings} onChange={setSettings} />}
        {way?.secret && (
          <Form.Group controlId="means-secret">
            <Form.Label>{way.secret}</Form.Label>
            <Form.Control
              as={kind === "sftp" ? "textarea" : undefined}
              type={kind === "sftp" ? undefined : "password"}
              autoComplete="off"
              className="mono secret-text"
              placeholder={means?.has_secret ? tr("kept; type another to change it") : ""}
              value={secret}
              onChange={(e) => setSecret(e.target.value)}
            />
          </Form.Group>
        )}
      </div>
      <div className="d-flex gap-2 align-items-center">
        <Button variant="quiet" disabled={trying.busy} onClick={() => void trying.run(asked)}>
          {trying.steps.length > 0 ? tr("Try again") : tr("Try it")}
        </Button>
        <Button type="submit" disabled={!name.trim() || keep.isPending}>
          {means ? tr("Save") : tr("Keep it")}
        </Button>
        {shownKey && (
          <Button variant="quiet" onClick={() => setSettings({ ...settings, host_key: shownKey })}>
            {tr("This is their key; pin it")}
          </Button>
        )}
        <span className="soft">{tr("Passwords and keys are kept encrypted and never shown again.")}</span>
      </div>
      <Trouble error={keep.error ?? trying.error} />
      <Steps trying={trying} />
    </Form>
  );
}
