import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { answer, api, resources } from "../api";
import type { Account, NewAccount } from "../api";
import { FormDialog } from "../shared";
import { useShell } from "../shell";
import { LimitFields } from "./LimitFields";
import { RightFields } from "./RightFields";
import { isWhole, toldScope } from "./right";
import { RoleChecks } from "./RoleChecks";
import { useGroups } from "./useGroups";
import { tr } from "../i18n";

interface Props {
  /** Who is changed; somebody new where there is nobody. */
  person?: Account;
  onClose: () => void;
  onAdded?: (name: string, password: string | null) => void;
}

/** Name, roles, groups and what somebody may see. */
export function PersonDialog({ person, onClose, onAdded }: Props) {
  const client = useQueryClient();
  const { mail } = useShell().session;
  const [name, setName] = useState(person?.name ?? "");
  const [email, setEmail] = useState(person?.email ?? "");
  const [roles, setRoles] = useState<string[]>(person?.own_roles ?? ["runner"]);
  const [scope, setScope] = useState(person?.own_scope ?? null);
  const [limits, setLimits] = useState(person?.own_limits ?? null);
  const [asGroups, setAsGroups] = useState(person?.as_groups ?? false);
  const [groups, setGroups] = useState<number[]>(person?.groups.map((g) => g.id) ?? []);
  const [invite, setInvite] = useState(mail && !person);
  const known = useGroups();
  const ways = useQuery(resources.waysIn());
  const invites = !person && ways.data?.by_mail === true;
  const save = useMutation({
    mutationFn: async () => {
      const facts = {
        name,
        roles: roles as NewAccount["roles"],
        scope: toldScope(scope),
        limits,
        as_groups: asGroups,
        groups,
      };
      if (person) {
        const path = { params: { path: { person_id: person.id } } };
        await answer(api.PATCH("/api/v1/people/{person_id}", { ...path, body: facts }));
        return null;
      }
      return answer(api.POST("/api/v1/people", { body: { ...facts, email, invite: invites && invite } }));
    },
    onSuccess: (made) => {
      void client.invalidateQueries({ queryKey: ["people"] });
      void client.invalidateQueries({ queryKey: ["groups"] });
      if (made) onAdded?.(made.person.name, made.password);
      else onClose();
    },
  });
  const ready =
    name.trim() !== "" &&
    email.includes("@") &&
    (asGroups || isWhole(scope)) &&
    roles.length + groups.length > 0;
  return (
    <FormDialog
      title={person ? person.name : tr("Add somebody")}
      act={person ? tr("Save") : tr("Add")}
      ready={ready}
      busy={save.isPending}
      error={save.error}
      onAct={() => save.mutate()}
      onClose={onClose}
    >
      <Form.Group controlId="person-name">
        <Form.Label>{tr("Name")}</Form.Label>
        <Form.Control autoFocus maxLength={200} value={name} onChange={(e) => setName(e.target.value)} />
      </Form.Group>
      {!person && (
        <Form.Group controlId="person-email">
          <Form.Label>{tr("E-mail address")}</Form.Label>
          <Form.Control
            type="email"
            maxLength={254}
            value={email}
            onChange={(e) => setEmail(e.target.value)}
          />
        </Form.Group>
      )}
      {invites && (
        <Form.Check
          id="person-invite"
          label={tr("Send them a link to choose their own password")}
          checked={invite}
          onChange={(e) => setInvite(e.target.checked)}
        />
      )}
      <RoleChecks roles={roles} onRoles={setRoles} />
      {(known.data ?? []).length > 0 && (
        <fieldset>
          <legend className="form-label">{tr("In the groups")}</legend>
          {known.data?.map((g) => (
            <Form.Check
              key={g.id}
              id={`group-${g.id}`}
              label={g.name}
              checked={groups.includes(g.id)}
              onChange={(e) =>
                setGroups(e.target.checked ? [...groups, g.id] : groups.filter((id) => id !== g.id))
              }
            />
          ))}
          <Form.Check
            type="switch"
            id="as-groups"
            label={tr("They see what their groups see, and nothing else")}
            checked={asGroups}
            onChange={(e) => setAsGroups(e.target.checked)}
          />
        </fieldset>
      )}
      {!asGroups && (
        <>
          <RightFields scope={scope} onScope={setScope} />
          <LimitFields limits={limits} onLimits={setLimits} />
        </>
      )}
    </FormDialog>
  );
}
