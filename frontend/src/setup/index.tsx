import { SetUp } from "./SetUp";
import { Health } from "./Health";
import { Journal } from "./Journal";
import { People } from "./People";
import { Sources } from "./Sources";
import { WaysOut } from "./WaysOut";

export { Catalogue as CataloguePlace } from "./Catalogue";

/** Set-up › People. */
export function PeoplePlace() {
  return (
    <SetUp>
      <People />
    </SetUp>
  );
}

/** Set-up › Sources. */
export function SourcesPlace() {
  return (
    <SetUp>
      <Sources />
    </SetUp>
  );
}

/** Set-up › Ways out. */
export function WaysOutPlace() {
  return (
    <SetUp>
      <WaysOut />
    </SetUp>
  );
}

/** Set-up › Journal. */
export function JournalPlace() {
  return (
    <SetUp>
      <Journal />
    </SetUp>
  );
}

/** Set-up › Health. */
export function HealthPlace() {
  return (
    <SetUp>
      <Health />
    </SetUp>
  );
}
