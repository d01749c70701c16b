import type { FieldGroup, FieldInfo } from "../../api";
import { Icon, KIND_ICONS, count } from "../../shared";
import type { useFind } from "../../document/hooks/useFind";
import { tr } from "../../i18n";

/** Fields shown of those that hold a value. */
const HITS = 6;

type Finding = ReturnType<typeof useFind>;

interface Props {
  wanted: string;
  finding: Finding;
  found: { hit: Finding["hits"][number]; field: FieldInfo; group: FieldGroup }[];
  editable: boolean;
  onAdd: (field: FieldInfo, group: FieldGroup) => void;
}

/** Fields in whose records a text was found as a value. */
export function ShelfHits({ wanted, finding, found, editable, onAdd }: Props) {
  return (
    <section aria-label={tr("Fields that hold this value")}>
      <div className="group">
        {tr("Holding “{{wanted}}”", { wanted })}{" "}
        <span>
          {finding.done || finding.failed
            ? ""
            : tr("searched {{searched}} %", { searched: Math.round(finding.searched * 100) })}
        </span>
      </div>
      {found.slice(0, HITS).map(({ hit, field, group }) => (
        <button
          key={`${hit.path} ${hit.value}`}
          type="button"
          className="shelf-field"
          onDoubleClick={() => editable && onAdd(field, group)}
          onKeyDown={(e) => {
            if (e.key === "Enter" && editable) {
              e.preventDefault();
              onAdd(field, group);
            }
          }}
        >
          <Icon name={KIND_ICONS[field.kind] ?? "fileText"} />
          <span className="d-block overflow-hidden">
            <span className="nm">{field.label}</span>{" "}
            <span className="soft small">{group.path ? group.label : ""}</span>
            <span className="eg one-line d-block">{field.personal ? "•••" : hit.value}</span>
          </span>
          <span className="pc" title={hit.exact ? "" : tr("so far")}>
            {count(hit.count)}
            {hit.exact ? "" : "+"}
          </span>
        </button>
      ))}
      {found.length === 0 && (
        <div className="soft small px-3 pb-2" role="status">
          {finding.failed
            ? tr("Not searched: the source did not answer, or you may see only a part of it.")
            : finding.done
              ? tr("No field holds this.")
              : tr("searching the records…")}
        </div>
      )}
    </section>
  );
}
