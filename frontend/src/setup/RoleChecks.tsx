import { Form } from "react-bootstrap";
import { ROLES } from "./roles";
import { tr } from "../i18n";

/** What somebody, or a group, may do. */
export function RoleChecks({ roles, onRoles }: { roles: string[]; onRoles: (roles: string[]) => void }) {
  return (
    <fieldset>
      <legend className="form-label">{tr("They may")}</legend>
      {Object.entries(ROLES).map(([role, words]) => (
        <Form.Check
          key={role}
          id={`role-${role}`}
          label={words}
          checked={roles.includes(role)}
          onChange={(e) => onRoles(e.target.checked ? [...roles, role] : roles.filter((r) => r !== role))}
        />
      ))}
    </fieldset>
  );
}
