import { plural } from "../shared";
import { tr } from "../i18n";

/** Labels told before the rest is counted. */
const TOLD = 6;

/** What a file does not hold of its records: nobody shall take a list for everything there is. */
export function NotIncluded({ missed }: { missed: Record<string, string[]> | undefined }) {
  const { files = [], records = [], fields = [] } = missed ?? {};
  if (files.length + records.length + fields.length === 0) return null;
  return (
    <div className="soft small">
      <b>{tr("Not included:")}</b>{" "}
      {[
        records.length > 0 && tr("{{records}} that belong to it", { records: listed(records) }),
        files.length > 0 && tr("files ({{files}})", { files: listed(files) }),
        fields.length > 0 && `${plural(fields.length, "other field")} (${listed(fields)})`,
      ]
        .filter(Boolean)
        .join("; ")}
      .
    </div>
  );
}

function listed(labels: string[]): string {
  const rest = labels.length - TOLD;
  return labels.slice(0, TOLD).join(", ") + (rest > 0 ? tr(" and {{rest}} more", { rest }) : "");
}
