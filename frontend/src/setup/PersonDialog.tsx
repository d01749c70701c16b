import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { answer, api, currentSource } from "../api";
import type { Account, NewAccount } from "../api";
import { FormDialog } from "../shared";
import { ROLES } from "./roles";

interface Props {
  /** Who is changed; somebody new where there is nobody. */
  person?: Account;
  onClose: () => void;
  onAdded?: (name: string, password: string) => void;
}

/** Name, roles and what somebody may see. */
export function PersonDialog({ person, onClose, onAdded }: Props) {
  const client = useQueryClient();
  const [name, setName] = useState(person?.name ?? "");
  const [email, setEmail] = useState(person?.email ?? "");
  const [roles, setRoles] = useState<string[]>(person?.roles ?? ["runner"]);
  const [scope, setScope] = useState(person?.scope ?? null);
  const [values, setValues] = useState((person?.scope?.values ?? []).join(", "));
  const told = scope && {
    ...scope,
    values: values
      .split(",")
      .map((v) => v.trim())
      .filter(Boolean),
  };
  const save = useMutation({
    mutationFn: async () => {
      const facts = { name, roles: roles as NewAccount["roles"], scope: told };
      if (person) {
        const path = { params: { path: { person_id: person.id } } };
        await answer(api.PATCH("/api/v1/people/{person_id}", { ...path, body: facts }));
        return null;
      }
      return answer(api.POST("/api/v1/people", { body: { ...facts, email } }));
    },
    onSuccess: (made) => {
      void client.invalidateQueries({ queryKey: ["people"] });
      if (made) onAdded?.(made.person.name, made.password);
      else onClose();
    },
  });
  const ready =
    name.trim() !== "" &&
    email.includes("@") &&
    roles.length > 0 &&
    (!told || (told.field !== "" && told.values.length > 0));
  return (
    <FormDialog
      title={person ? person.name : "Add somebody"}
      act={person ? "Save" : "Add"}
      ready={ready}
      busy={save.isPending}
      error={save.error}
      onAct={() => save.mutate()}
      onClose={onClose}
    >
      <Form.Group controlId="person-name">
        <Form.Label>Name</Form.Label>
        <Form.Control autoFocus maxLength={200} value={name} onChange={(e) => setName(e.target.value)} />
      </Form.Group>
      {!person && (
        <Form.Group controlId="person-email">
          <Form.Label>E-mail address</Form.Label>
          <Form.Control
            type="email"
            maxLength={254}
            value={email}
            onChange={(e) => setEmail(e.target.value)}
          />
        </Form.Group>
      )}
      <fieldset>
        <legend className="form-label">They may</legend>
        {Object.entries(ROLES).map(([role, words]) => (
          <Form.Check
            key={role}
            id={`role-${role}`}
            label={words}
            checked={roles.includes(role)}
            onChange={(e) => setRoles(e.target.checked ? [...roles, role] : roles.filter((r) => r !== role))}
          />
        ))}
      </fieldset>
      <fieldset>
        <legend className="form-label">They see</legend>
        <Form.Check
          type="radio"
          name="sees"
          id="sees-all"
          label="everything"
          checked={scope === null}
          onChange={() => setScope(null)}
        />
        <Form.Check
          type="radio"
          name="sees"
          id="sees-part"
          label="only what belongs to some values of a field, such as their wards"
          checked={scope !== null}
          onChange={() => setScope(scope ?? { source: "", records: "", field: "", values: [] })}
        />
      </fieldset>
      {scope && <ScopeFields scope={scope} values={values} onScope={setScope} onValues={setValues} />}
    </FormDialog>
  );
}

interface ScopeProps {
  scope: NonNullable<Account["scope"]>;
  values: string;
  onScope: (scope: NonNullable<Account["scope"]>) => void;
  onValues: (values: string) => void;
}

function ScopeFields({ scope, values, onScope, onValues }: ScopeProps) {
  const types = useQuery({
    queryKey: ["record-types"],
    queryFn: () => answer(api.GET("/api/v1/record-types")),
  });
  const records = scope.records;
  const fields = useQuery({
    queryKey: ["record-type", records],
    enabled: records !== "",
    queryFn: () => answer(api.GET("/api/v1/record-types/{name}", { params: { path: { name: records } } })),
  });
  return (
    <div className="d-grid gap-2">
      <div className="d-flex gap-2">
        <Form.Select
          aria-label="Record type"
          value={records}
          onChange={(e) => onScope({ ...scope, source: currentSource(), records: e.target.value, field: "" })}
        >
          <option value="">record type</option>
          {types.data?.map((t) => (
            <option key={t.name} value={t.name}>
              {t.label}
            </option>
          ))}
        </Form.Select>
        <Form.Select
          aria-label="Field"
          value={scope.field}
          onChange={(e) => onScope({ ...scope, field: e.target.value })}
        >
          <option value="">field</option>
          {fields.data?.groups[0]?.fields.map((f) => (
            <option key={f.path} value={f.path}>
              {f.label}
            </option>
          ))}
        </Form.Select>
      </div>
      <Form.Control
        className="mono"
        aria-label="Values, separated by commas"
        placeholder="03, 07"
        value={values}
        onChange={(e) => onValues(e.target.value)}
      />
      <Form.Text>Records of other types are theirs when they lead to such a record.</Form.Text>
    </div>
  );
}
