import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Dropdown } from "react-bootstrap";
import { answer, api, lookThrough } from "../api";
import type { Account, GroupInfo } from "../api";
import { ActionsHead, Confirm, Icon, Trouble, plural, shortMoment } from "../shared";
import { useShell } from "../shell";
import { Belongings } from "./Belongings";
import { GroupDialog } from "./GroupDialog";
import { Leaves } from "./Leaves";
import { PersonDialog } from "./PersonDialog";
import { ProgramRows } from "./ProgramRows";
import { Purposes } from "./Purposes";
import { useGroups } from "./useGroups";
import { tr } from "../i18n";

/** Everybody who can sign in, and their groups: what each may do and see, in words; let in, limited, let go. */
export function People() {
  const [adding, setAdding] = useState<"person" | "group" | null>(null);
  const [given, setGiven] = useState<{ name: string; password: string | null } | null>(null);
  const [chosen, setChosen] = useState<number | null>(null);
  const people = useQuery({
    queryKey: ["people"],
    queryFn: () => answer(api.GET("/api/v1/people")),
    staleTime: 0,
  });
  const groups = useGroups();
  const shown = people.data?.find((p) => p.id === chosen);
  return (
    <>
      <Trouble error={people.error ?? groups.error} />
      {given && <Given {...given} onClose={() => setGiven(null)} />}
      {people.data && (
        <table className="board">
          <thead>
            <tr>
              <th>{tr("Who")}</th>
              <th>{tr("May, and sees")}</th>
              <th>{tr("Last here")}</th>
              <ActionsHead />
            </tr>
          </thead>
          <tbody>
            {people.data.map((person) => (
              <PersonRow
                key={person.id}
                person={person}
                people={people.data}
                chosen={person.id === chosen}
                onChoose={() => setChosen(person.id === chosen ? null : person.id)}
                onPassword={(password) => setGiven({ name: person.name, password })}
              />
            ))}
            {groups.data?.map((group) => (
              <GroupRow key={`g${group.id}`} group={group} people={people.data} />
            ))}
            <ProgramRows />
          </tbody>
        </table>
      )}
      <div className="mt-3 d-flex gap-2">
        <Button variant="quiet" onClick={() => setAdding("person")}>
          <Icon name="plus" /> {tr("Add somebody")}
        </Button>
        <Button variant="quiet" onClick={() => setAdding("group")}>
          <Icon name="plus" /> {tr("Make a group")}
        </Button>
        <Purposes />
      </div>
      {shown && <Leaves person={shown} />}
      {adding === "person" && (
        <PersonDialog
          onClose={() => setAdding(null)}
          onAdded={(name, password) => {
            setAdding(null);
            setGiven({ name, password });
          }}
        />
      )}
      {adding === "group" && <GroupDialog people={people.data ?? []} onClose={() => setAdding(null)} />}
    </>
  );
}

/** A password that was made for somebody, shown this once; or that they were sent a link. */
function Given({ name, password, onClose }: { name: string; password: string | null; onClose: () => void }) {
  if (password === null)
    return (
      <div className="new-token mb-3" role="status">
        <div>{tr("{{name}} was sent a link to choose a password. It is good for seven days.", { name })}</div>
        <Button size="sm" variant="quiet" onClick={onClose}>
          {tr("Done")}
        </Button>
      </div>
    );
  return (
    <div className="new-token mb-3" role="status">
      <div>
        {tr("{{name}} signs in with this password first, and is asked to change it. It is shown this once:", {
          name,
        })}
      </div>
      <code>{password}</code>{" "}
      <Button size="sm" variant="quiet" onClick={() => void navigator.clipboard.writeText(password)}>
        <Icon name="copy" /> {tr("Copy")}
      </Button>{" "}
      <Button size="sm" variant="quiet" onClick={onClose}>
        {tr("Done")}
      </Button>
    </div>
  );
}

interface PersonRowProps {
  person: Account;
  people: Account[];
  chosen: boolean;
  onChoose: () => void;
  onPassword: (password: string) => void;
}

function PersonRow({ person, people, chosen, onChoose, onPassword }: PersonRowProps) {
  const client = useQueryClient();
  const { session } = useShell();
  const [dialog, setDialog] = useState<"change" | "let go" | "belongings" | null>(null);
  const path = { params: { path: { person_id: person.id } } };
  const again = () => void client.invalidateQueries({ queryKey: ["people"] });
  const change = useMutation({
    mutationFn: (body: { disabled: boolean } | { codes: false }) =>
      answer(api.PATCH("/api/v1/people/{person_id}", { ...path, body })),
    onSuccess: () => {
      setDialog(null);
      again();
    },
  });
  const password = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/people/{person_id}/password", path)),
    onSuccess: (made) => {
      onPassword(made.password ?? "");
      again();
    },
  });
  const look = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/people/{person_id}/eyes", path)),
    onSuccess: () => lookThrough({ id: person.id, name: person.name }),
  });
  const gone = person.disabled_at !== null;
  const self = person.id === session.person.id;
  return (
    <tr className={gone ? "soft" : chosen ? "chosen" : undefined}>
      <td>
        <button type="button" className="name as-link" aria-expanded={chosen} onClick={onChoose}>
          {person.name}
        </button>{" "}
        {self && <span className="soft">{tr("you")}</span>}
        {gone && <span className="tag discarded">{tr("let go")}</span>}
        {person.password_given && !gone && <span className="tag held">{tr("password not changed yet")}</span>}
        {person.codes && <span className="tag">{tr("signs in with codes")}</span>}
        <div className="soft">{person.email}</div>
        <Trouble error={password.error ?? look.error} />
      </td>
      <td>
        {person.words}
        {person.groups.length > 0 && (
          <div className="soft">
            {tr("in {{groups}}", { groups: person.groups.map((g) => g.name).join(", ") })}
          </div>
        )}
      </td>
      <td className="text-nowrap soft">{person.last_seen && shortMoment(person.last_seen)}</td>
      <td className="text-end text-nowrap">
        {gone ? (
          <>
            <Button variant="quiet" className="me-2" onClick={() => setDialog("belongings")}>
              {tr("What is theirs…")}
            </Button>
            <Button variant="quiet" onClick={() => change.mutate({ disabled: false })}>
              {tr("Let in again")}
            </Button>
          </>
        ) : (
          <Dropdown align="end" className="d-inline-block">
            <Dropdown.Toggle
              variant="link"
              bsPrefix="btn"
              aria-label={tr("More for {{person}}", { person: person.name })}
            >
              ⋮
            </Dropdown.Toggle>
            <Dropdown.Menu>
              <Dropdown.Item as="button" onClick={() => setDialog("change")}>
                {tr("Name, roles, groups, what they see…")}
              </Dropdown.Item>
              <Dropdown.Item as="button" onClick={() => setDialog("belongings")}>
                {tr("What is theirs, hand it over…")}
              </Dropdown.Item>
              <Dropdown.Item as="button" disabled={self} onClick={() => look.mutate()}>
                {tr("Look through their eyes")}
              </Dropdown.Item>
              {person.codes && (
                <Dropdown.Item as="button" onClick={() => change.mutate({ codes: false })}>
                  {tr("Ask no codes of them any more")}
                </Dropdown.Item>
              )}
              <Dropdown.Item as="button" disabled={self} onClick={() => password.mutate()}>
                {tr("Make a new password")}
              </Dropdown.Item>
              <Dropdown.Item as="button" disabled={self} onClick={() => setDialog("let go")}>
                {tr("Let go…")}
              </Dropdown.Item>
            </Dropdown.Menu>
          </Dropdown>
        )}
        {dialog === "change" && <PersonDialog person={person} onClose={() => setDialog(null)} />}
        {dialog === "belongings" && (
          <Belongings person={person} people={people} onClose={() => setDialog(null)} />
        )}
        {dialog === "let go" && (
          <Confirm
            title={tr("Let {{person}} go?", { person: person.name })}
            act={tr("Let go")}
            busy={change.isPending}
            error={change.error}
            onAct={() => change.mutate({ disabled: true })}
            onClose={() => setDialog(null)}
          >
            {tr("They are signed out everywhere and cannot sign in; their tokens end.")}
            {person.rounds > 0 &&
              ` ${tr("{{rounds}} of theirs pause.", { rounds: plural(person.rounds, "round"), count: person.rounds })}`}{" "}
            {tr(
              "What they made stays theirs until you hand it over; what of theirs still waits to be sent is not.",
            )}
          </Confirm>
        )}
      </td>
    </tr>
  );
}

function GroupRow({ group, people }: { group: GroupInfo; people: Account[] }) {
  const client = useQueryClient();
  const [dialog, setDialog] = useState<"change" | "remove" | null>(null);
  const remove = useMutation({
    mutationFn: () =>
      answer(api.DELETE("/api/v1/groups/{group_id}", { params: { path: { group_id: group.id } } })),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["people"] });
      void client.invalidateQueries({ queryKey: ["groups"] });
      setDialog(null);
    },
  });
  return (
    <tr>
      <td>
        <span className="name">{group.name}</span>{" "}
        <span className="tag">{tr("group, {{members}}", { members: group.members.length })}</span>
        {group.claim && (
          <div className="soft">
            {tr("from the house’s sign-in:")} <span className="mono">{group.claim}</span>
          </div>
        )}
      </td>
      <td>{group.words}</td>
      <td />
      <td className="text-end text-nowrap">
        <Dropdown align="end" className="d-inline-block">
          <Dropdown.Toggle
            variant="link"
            bsPrefix="btn"
            aria-label={tr("More for {{group}}", { group: group.name })}
          >
            ⋮
          </Dropdown.Toggle>
          <Dropdown.Menu>
            <Dropdown.Item as="button" onClick={() => setDialog("change")}>
              {tr("Name, members, what they see…")}
            </Dropdown.Item>
            <Dropdown.Item as="button" onClick={() => setDialog("remove")}>
              {tr("Remove…")}
            </Dropdown.Item>
          </Dropdown.Menu>
        </Dropdown>
        {dialog === "change" && <GroupDialog group={group} people={people} onClose={() => setDialog(null)} />}
        {dialog === "remove" && (
          <Confirm
            title={tr("Remove the group {{group}}?", { group: group.name })}
            act={tr("Remove")}
            busy={remove.isPending}
            error={remove.error}
            onAct={() => remove.mutate()}
            onClose={() => setDialog(null)}
          >
            {tr("{{members}} lose what it gave them. What was shared with it is not shared any more.", {
              members: plural(group.members.length, "member"),
            })}
          </Confirm>
        )}
      </td>
    </tr>
  );
}
