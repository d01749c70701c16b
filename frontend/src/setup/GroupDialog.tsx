import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { answer, api, resources } from "../api";
import type { Account, GroupInfo, NewGroup } from "../api";
import { FormDialog } from "../shared";
import { LimitFields } from "./LimitFields";
import { RightFields } from "./RightFields";
import { isWhole, toldScope } from "./right";
import { RoleChecks } from "./RoleChecks";
import { tr } from "../i18n";

interface Props {
  /** What is changed; a new group where there is none. */
  group?: GroupInfo;
  people: Account[];
  onClose: () => void;
}

/** A group: what it is called, who is in it, what they may do and see. */
export function GroupDialog({ group, people, onClose }: Props) {
  const client = useQueryClient();
  const [name, setName] = useState(group?.name ?? "");
  const [claim, setClaim] = useState(group?.claim ?? "");
  const [roles, setRoles] = useState<string[]>(group?.roles ?? ["runner"]);
  const [scope, setScope] = useState(group?.scope ?? null);
  const [limits, setLimits] = useState(group?.limits ?? null);
  const [members, setMembers] = useState<number[]>(group?.members ?? []);
  const ways = useQuery(resources.waysIn());
  const save = useMutation({
    mutationFn: () => {
      const body = {
        name,
        meaning: group?.meaning ?? "",
        claim,
        roles: roles as NewGroup["roles"],
        scope: toldScope(scope),
        limits,
        members,
      };
      if (!group) return answer(api.POST("/api/v1/groups", { body }));
      const params = { path: { group_id: group.id } };
      return answer(api.PATCH("/api/v1/groups/{group_id}", { params, body }));
    },
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["people"] });
      void client.invalidateQueries({ queryKey: ["groups"] });
      onClose();
    },
  });
  return (
    <FormDialog
      title={group ? group.name : tr("New group")}
      act={group ? tr("Save") : tr("Make it")}
      ready={name.trim() !== "" && isWhole(scope)}
      busy={save.isPending}
      error={save.error}
      onAct={() => save.mutate()}
      onClose={onClose}
    >
      <Form.Group controlId="group-name">
        <Form.Label>{tr("Name")}</Form.Label>
        <Form.Control autoFocus maxLength={200} value={name} onChange={(e) => setName(e.target.value)} />
      </Form.Group>
      {ways.data?.house && (
        <Form.Group controlId="group-claim">
          <Form.Label>{tr("What {{house}} calls it", { house: ways.data.house })}</Form.Label>
          <Form.Control
            className="mono"
            maxLength={200}
            value={claim}
            onChange={(e) => setClaim(e.target.value)}
          />
          <Form.Text>{tr("Who is in it there is in it here, from their next sign-in on.")}</Form.Text>
        </Form.Group>
      )}
      <fieldset>
        <legend className="form-label">{tr("In it")}</legend>
        <div className="pick-types">
          {people
            .filter((p) => p.disabled_at === null)
            .map((p) => (
              <Form.Check
                key={p.id}
                id={`member-${p.id}`}
                label={p.name}
                checked={members.includes(p.id)}
                onChange={(e) =>
                  setMembers(e.target.checked ? [...members, p.id] : members.filter((id) => id !== p.id))
                }
              />
            ))}
        </div>
      </fieldset>
      <RoleChecks roles={roles} onRoles={setRoles} />
      <RightFields scope={scope} onScope={setScope} />
      <LimitFields limits={limits} onLimits={setLimits} />
    </FormDialog>
  );
}
