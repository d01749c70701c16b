import { Button } from "react-bootstrap";
import { Icon, Trouble } from "../../shared";
import type { BenchState } from "../hooks/useBench";
import { Elsewhere } from "./Elsewhere";
import { KeepingBanner } from "./Keeping";
import { tr } from "../../i18n";
import { count } from "../../shared/format";

/** What is to be said above the sentence: of the draft, of trying it elsewhere or on some records, and what went wrong. */
export function BenchBanners({ bench }: { bench: BenchState }) {
  const {
    loaded,
    dispatch,
    keeping,
    overwrite,
    adopt,
    only,
    setParams,
    trouble,
    setTrouble,
    start,
    keepBoth,
  } = bench;
  return (
    <>
      <KeepingBanner
        keeping={keeping}
        onOverwrite={() => void overwrite()}
        onTheirs={() =>
          void adopt().then((theirs) => {
            if (theirs) dispatch({ type: "edit", document: theirs.document });
          })
        }
        onBoth={() => void keepBoth()}
      />
      <Elsewhere own={loaded.source} />
      {only && (
        <div className="banner">
          <Icon name="eye" />{" "}
          {tr("Tried on {{number}} records only; a run takes all.", {
            number: count(only.length),
            count: only.length,
          })}
          <Button variant="quiet" size="sm" onClick={() => setParams({}, { replace: true })}>
            {tr("Look at all")}
          </Button>
        </div>
      )}
      {(start.error ?? trouble) !== null && (
        <div className="banner">
          <Trouble error={start.error ?? trouble} />
          {start.error === null && (
            <Button variant="quiet" size="sm" onClick={() => setTrouble(null)}>
              {tr("Got it")}
            </Button>
          )}
        </div>
      )}
    </>
  );
}
