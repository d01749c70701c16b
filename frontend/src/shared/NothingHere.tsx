import { Link } from "react-router";
import { Trouble } from "./Trouble";

interface Props {
  error: unknown;
  /** Where one goes on, and in which words. */
  back: string;
  words: string;
}

/** Stands where a page's thing cannot be had: why, and the way on. Nothing while it is being fetched. */
export function NothingHere({ error, back, words }: Props) {
  return (
    <main className="body">
      {!!error && (
        <div className="nothing slab">
          <Trouble error={error} />
          <Link to={back}>{words}</Link>
        </div>
      )}
    </main>
  );
}
