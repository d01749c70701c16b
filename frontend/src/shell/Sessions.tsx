import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Button, Modal } from "react-bootstrap";
import { answer, api } from "../api";
import { ActionsHead, Trouble, shortMoment } from "../shared";
import { tr } from "../i18n";

/** The browsers in which I am signed in; each can be signed out from here. */
export function Sessions({ onClose }: { onClose: () => void }) {
  const client = useQueryClient();
  const known = useQuery({
    queryKey: ["sessions"],
    queryFn: () => answer(api.GET("/api/v1/session/all")),
    staleTime: 0,
  });
  const renew = () => void client.invalidateQueries({ queryKey: ["sessions"] });
  const end = useMutation({
    mutationFn: (number: number) =>
      answer(api.DELETE("/api/v1/session/all/{number}", { params: { path: { number } } })),
    onSuccess: renew,
  });
  const endOthers = useMutation({
    mutationFn: () => answer(api.DELETE("/api/v1/session/all")),
    onSuccess: renew,
  });
  const sessions = known.data ?? [];
  return (
    <Modal show onHide={onClose} size="lg" aria-labelledby="sessions">
      <Modal.Header closeButton>
        <Modal.Title id="sessions">{tr("Where I am signed in")}</Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <Trouble error={known.error ?? end.error ?? endOthers.error} />
        <table className="board plain">
          <thead>
            <tr>
              <th>{tr("Browser")}</th>
              <th>{tr("Signed in")}</th>
              <th>{tr("Last used")}</th>
              <ActionsHead />
            </tr>
          </thead>
          <tbody>
            {sessions.map((s) => (
              <tr key={s.number}>
                <td>
                  {browserOf(s.agent)}
                  <div className="soft small">
                    {s.address && tr("from {{address}}", { address: s.address })}
                  </div>
                </td>
                <td>{s.created_at && shortMoment(s.created_at)}</td>
                <td>{s.here ? tr("this one") : s.seen_at && shortMoment(s.seen_at)}</td>
                <td className="text-end">
                  {!s.here && (
                    <Button variant="quiet" size="sm" onClick={() => end.mutate(s.number)}>
                      {tr("Sign out")}
                    </Button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </Modal.Body>
      <Modal.Footer>
        <Button
          variant="quiet"
          disabled={sessions.length < 2 || endOthers.isPending}
          onClick={() => endOthers.mutate()}
        >
          {tr("Sign out everywhere else")}
        </Button>
        <Button onClick={onClose}>{tr("Done")}</Button>
      </Modal.Footer>
    </Modal>
  );
}

/** What a browser calls itself, as people would. */
export function browserOf(agent: string): string {
  const name = /Firefox/.test(agent)
    ? "Firefox"
    : /Edg\//.test(agent)
      ? "Edge"
      : /Chrome/.test(agent)
        ? "Chrome"
        : /Safari/.test(agent)
          ? "Safari"
          : tr("A program");
  const system = /Android/.test(agent)
    ? tr(" on Android")
    : /iPhone|iPad/.test(agent)
      ? tr(" on iOS")
      : /Windows/.test(agent)
        ? tr(" on Windows")
        : /Mac OS/.test(agent)
          ? tr(" on a Mac")
          : /Linux/.test(agent)
            ? tr(" on Linux")
            : "";
  return `${name}${system}`;
}
