import { SetUp } from "./SetUp";
import { Sources } from "./Sources";

/** Set-up › Sources. */
export function SourcesPlace() {
  return (
    <SetUp>
      <Sources />
    </SetUp>
  );
}
