import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Button, Modal } from "react-bootstrap";
import { answer, api } from "../api";
import { ActionsHead, Trouble, shortMoment } from "../shared";

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
        <Modal.Title id="sessions">Where I am signed in</Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <Trouble error={known.error ?? end.error ?? endOthers.error} />
        <table className="board plain">
          <thead>
            <tr>
              <th>Browser</th>
              <th>Signed in</th>
              <th>Last used</th>
              <ActionsHead />
            </tr>
          </thead>
          <tbody>
            {sessions.map((s) => (
              <tr key={s.number}>
                <td>
                  {browserOf(s.agent)}
                  <div className="soft small">{s.address && `from ${s.address}`}</div>
                </td>
                <td>{s.created_at && shortMoment(s.created_at)}</td>
                <td>{s.here ? "this one" : s.seen_at && shortMoment(s.seen_at)}</td>
                <td className="text-end">
                  {!s.here && (
                    <Button variant="quiet" size="sm" onClick={() => end.mutate(s.number)}>
                      Sign out
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
          Sign out everywhere else
        </Button>
        <Button onClick={onClose}>Done</Button>
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
          : "A program";
  const system = /Android/.test(agent)
    ? " on Android"
    : /iPhone|iPad/.test(agent)
      ? " on iOS"
      : /Windows/.test(agent)
        ? " on Windows"
        : /Mac OS/.test(agent)
          ? " on a Mac"
          : /Linux/.test(agent)
            ? " on Linux"
            : "";
  return `${name}${system}`;
}
