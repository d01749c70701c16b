import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form, Modal } from "react-bootstrap";
import { answer, api } from "../api";
import { Icon, Trouble, shortDay, shortMoment } from "../shared";
import { tr } from "../i18n";

/** The secrets by which programs act for me: made, shown once, taken back. */
export function Tokens({ onClose }: { onClose: () => void }) {
  const client = useQueryClient();
  const [name, setName] = useState("");
  const [runs, setRuns] = useState(false);
  const [days, setDays] = useState(90);
  const known = useQuery({ queryKey: ["tokens"], queryFn: () => answer(api.GET("/api/v1/tokens")) });
  const fresh = () => void client.invalidateQueries({ queryKey: ["tokens"] });
  const add = useMutation({
    mutationFn: () =>
      answer(
        api.POST("/api/v1/tokens", {
          body: { name: name.trim(), acts: runs ? ["look", "run"] : ["look"], days },
        }),
      ),
    onSuccess: () => {
      setName("");
      fresh();
    },
  });
  const remove = useMutation({
    mutationFn: (id: number) =>
      answer(api.DELETE("/api/v1/tokens/{token_id}", { params: { path: { token_id: id } } })),
    onSuccess: fresh,
  });
  return (
    <Modal show onHide={onClose} size="lg" aria-labelledby="tokens">
      <Modal.Header closeButton>
        <Modal.Title id="tokens">{tr("Tokens for programs")}</Modal.Title>
      </Modal.Header>
      <Modal.Body className="d-grid gap-3">
        <p className="soft mb-0">
          {tr(
            "A script or a spreadsheet that fetches files by itself signs in with a token instead of your password. It can do no more than you, and only what you tick here.",
          )}
        </p>
        {add.data?.secret && (
          <div className="new-token" role="status">
            <div>
              <b>{add.data.name}</b>
              {tr(": copy it now; it is shown this once.")}
            </div>
            <code className="mono">{add.data.secret}</code>{" "}
            <Button
              variant="quiet"
              size="sm"
              onClick={() => void navigator.clipboard?.writeText(add.data.secret!)}
            >
              <Icon name="copy" /> {tr("Copy")}
            </Button>
          </div>
        )}
        <Form
          className="d-flex gap-2 align-items-end flex-wrap"
          onSubmit={(e) => {
            e.preventDefault();
            if (name.trim()) add.mutate();
          }}
        >
          <Form.Group controlId="token-name" className="flex-fill">
            <Form.Label>{tr("What it is for")}</Form.Label>
            <Form.Control
              value={name}
              maxLength={80}
              placeholder={tr("nightly load of the register")}
              onChange={(e) => setName(e.target.value)}
            />
          </Form.Group>
          <Form.Group controlId="token-days">
            <Form.Label>{tr("Good for")}</Form.Label>
            <Form.Select value={days} onChange={(e) => setDays(Number(e.target.value))}>
              <option value={7}>{tr("a week")}</option>
              <option value={90}>{tr("90 days")}</option>
              <option value={365}>{tr("a year")}</option>
            </Form.Select>
          </Form.Group>
          <Form.Check
            id="token-runs"
            className="mb-2"
            label={tr("may also ask for runs")}
            checked={runs}
            onChange={(e) => setRuns(e.target.checked)}
          />
          <Button type="submit" disabled={!name.trim() || add.isPending}>
            {tr("Make a token")}
          </Button>
        </Form>
        <Trouble error={add.error ?? remove.error ?? known.error} />
        {known.data && known.data.length > 0 && (
          <table className="board">
            <thead>
              <tr>
                <th>{tr("For")}</th>
                <th>{tr("Begins with")}</th>
                <th>{tr("May")}</th>
                <th>{tr("Until")}</th>
                <th>{tr("Last used")}</th>
                <th />
              </tr>
            </thead>
            <tbody>
              {known.data.map((t) => (
                <tr key={t.id}>
                  <td>{t.name}</td>
                  <td className="mono">{t.hint}…</td>
                  <td>{t.acts.includes("run") ? tr("read and run") : tr("read")}</td>
                  <td className="text-nowrap">{shortDay(t.expires_at)}</td>
                  <td className="text-nowrap">
                    {t.last_used_at ? shortMoment(t.last_used_at) : tr("never")}
                  </td>
                  <td className="text-end">
                    <Button variant="quiet" size="sm" onClick={() => remove.mutate(t.id)}>
                      {tr("Take back")}
                    </Button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </Modal.Body>
    </Modal>
  );
}
