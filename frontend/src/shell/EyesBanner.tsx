import { Button } from "react-bootstrap";
import { lookThrough } from "../api";
import { Icon } from "../shared";

/** Says on every screen that an administrator sees what somebody else sees. */
export function EyesBanner({ name }: { name: string }) {
  return (
    <div className="banner" role="status">
      <Icon name="eye" /> You see what {name} sees. Nothing is changed, and nothing taken along.
      <Button variant="quiet" size="sm" onClick={() => lookThrough(null)}>
        Stop looking
      </Button>
    </div>
  );
}
