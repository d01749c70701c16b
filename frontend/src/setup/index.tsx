import { SetUp } from "./SetUp";
import { Sources } from "./Sources";

export { Catalogue as CataloguePlace } from "./Catalogue";

/** Set-up › Sources. */
export function SourcesPlace() {
  return (
    <SetUp>
      <Sources />
    </SetUp>
  );
}
