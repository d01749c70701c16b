import { ApiError } from "../api";
import { Icon } from "./Icon";

/** What went wrong, in the server's words. */
export function Trouble({ error }: { error: unknown }) {
  if (!error) return null;
  const text = error instanceof ApiError ? error.problem.detail : String(error);
  return (
    <div className="trouble" role="alert">
      <Icon name="exclamation" /> {text}
    </div>
  );
}
