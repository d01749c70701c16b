import { Button } from "react-bootstrap";
import { lookThrough } from "../api";
import { Icon } from "../shared";
import { tr } from "../i18n";

/** Says on every screen that an administrator sees what somebody else sees. */
export function EyesBanner({ name }: { name: string }) {
  return (
    <div className="banner" role="status">
      <Icon name="eye" />{" "}
      {tr("You see what {{name}} sees. Nothing is changed, and nothing taken along.", { name })}
      <Button variant="quiet" size="sm" onClick={() => lookThrough(null)}>
        {tr("Stop looking")}
      </Button>
    </div>
  );
}
