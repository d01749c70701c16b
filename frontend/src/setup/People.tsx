import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Dropdown } from "react-bootstrap";
import { answer, api } from "../api";
import type { Account } from "../api";
import { ActionsHead, Confirm, Icon, Trouble, plural } from "../shared";
import { useShell } from "../shell";
import { PersonDialog } from "./PersonDialog";
import { ROLES } from "./roles";

/** Everybody who can sign in: let in, limited, given a new password, let go. */
export function People() {
  const [adding, setAdding] = useState(false);
  const [given, setGiven] = useState<{ name: string; password: string } | null>(null);
  const people = useQuery({
    queryKey: ["people"],
    queryFn: () => answer(api.GET("/api/v1/people")),
    staleTime: 0,
  });
  return (
    <>
      <Trouble error={people.error} />
      {given && <Given {...given} onClose={() => setGiven(null)} />}
      {people.data && (
        <table className="board">
          <thead>
            <tr>
              <th>Who</th>
              <th>May</th>
              <th>Sees</th>
              <ActionsHead />
            </tr>
          </thead>
          <tbody>
            {people.data.map((person) => (
              <PersonRow
                key={person.id}
                person={person}
                onPassword={(password) => setGiven({ name: person.name, password })}
              />
            ))}
          </tbody>
        </table>
      )}
      <Button variant="quiet" className="mt-3" onClick={() => setAdding(true)}>
        <Icon name="plus" /> Add somebody
      </Button>
      {adding && (
        <PersonDialog
          onClose={() => setAdding(false)}
          onAdded={(name, password) => {
            setAdding(false);
            setGiven({ name, password });
          }}
        />
      )}
    </>
  );
}

/** A password that was made for somebody, shown this once. */
function Given({ name, password, onClose }: { name: string; password: string; onClose: () => void }) {
  return (
    <div className="new-token mb-3" role="status">
      <div>{name} signs in with this password first, and is asked to change it. It is shown this once:</div>
      <code>{password}</code>{" "}
      <Button size="sm" variant="quiet" onClick={() => void navigator.clipboard.writeText(password)}>
        <Icon name="copy" /> Copy
      </Button>{" "}
      <Button size="sm" variant="quiet" onClick={onClose}>
        Done
      </Button>
    </div>
  );
}

function PersonRow({ person, onPassword }: { person: Account; onPassword: (password: string) => void }) {
  const client = useQueryClient();
  const { session } = useShell();
  const [dialog, setDialog] = useState<"change" | "let go" | null>(null);
  const path = { params: { path: { person_id: person.id } } };
  const again = () => void client.invalidateQueries({ queryKey: ["people"] });
  const change = useMutation({
    mutationFn: (disabled: boolean) =>
      answer(api.PATCH("/api/v1/people/{person_id}", { ...path, body: { disabled } })),
    onSuccess: () => {
      setDialog(null);
      again();
    },
  });
  const password = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/people/{person_id}/password", path)),
    onSuccess: (made) => {
      onPassword(made.password);
      again();
    },
  });
  const gone = person.disabled_at !== null;
  const self = person.id === session.person.id;
  return (
    <tr className={gone ? "soft" : undefined}>
      <td>
        <span className="name">{person.name}</span> {self && <span className="soft">you</span>}
        {gone && <span className="tag discarded">let go</span>}
        {person.password_given && !gone && <span className="tag held">password not changed yet</span>}
        <div className="soft">{person.email}</div>
        <Trouble error={password.error} />
      </td>
      <td>{person.roles.map((r) => ROLES[r] ?? r).join(", ")}</td>
      <td>
        {person.scope ? (
          <>
            only <span className="mono">{`${person.scope.records}.${person.scope.field}`}</span>{" "}
            {person.scope.values.join(", ")}
            {person.scope.source && <span className="soft"> of {person.scope.source}</span>}
          </>
        ) : (
          "everything"
        )}
      </td>
      <td className="text-end text-nowrap">
        {gone ? (
          <Button variant="quiet" onClick={() => change.mutate(false)}>
            Let in again
          </Button>
        ) : (
          <Dropdown align="end" className="d-inline-block">
            <Dropdown.Toggle variant="link" bsPrefix="btn" aria-label={`More for ${person.name}`}>
              ⋮
            </Dropdown.Toggle>
            <Dropdown.Menu>
              <Dropdown.Item as="button" onClick={() => setDialog("change")}>
                Name, roles, what they see…
              </Dropdown.Item>
              <Dropdown.Item as="button" disabled={self} onClick={() => password.mutate()}>
                Make a new password
              </Dropdown.Item>
              <Dropdown.Item as="button" disabled={self} onClick={() => setDialog("let go")}>
                Let go…
              </Dropdown.Item>
            </Dropdown.Menu>
          </Dropdown>
        )}
        {dialog === "change" && <PersonDialog person={person} onClose={() => setDialog(null)} />}
        {dialog === "let go" && (
          <Confirm
            title={`Let ${person.name} go?`}
            act="Let go"
            busy={change.isPending}
            error={change.error}
            onAct={() => change.mutate(true)}
            onClose={() => setDialog(null)}
          >
            They are signed out everywhere and cannot sign in; their tokens end.
            {person.rounds > 0 && ` ${plural(person.rounds, "round")} of theirs pause.`} What they made stays.
          </Confirm>
        )}
      </td>
    </tr>
  );
}
