import { useQuery } from "@tanstack/react-query";
import { Form } from "react-bootstrap";
import { answer, api } from "../api";
import type { SharedWith as Entry } from "../api";
import { useShell } from "../shell";
import { tr } from "../i18n";

/** The people and groups with whom something can be shared. */
export function useNames(enabled = true) {
  return useQuery({
    queryKey: ["people", "names"],
    queryFn: () => answer(api.GET("/api/v1/people/names")),
    enabled,
  });
}

interface Props {
  legend: string;
  entries: Entry[];
  onChange: (entries: Entry[]) => void;
}

/** With which people and groups something is shared. */
export function SharedWith({ legend, entries, onChange }: Props) {
  const { session } = useShell();
  const names = useNames();
  const keys = entries.map(keyOf);
  if (!names.data) return null;
  return (
    <fieldset>
      <legend className="form-label">{legend}</legend>
      <div className="pick-types">
        {[
          ...names.data.groups.map((g) => ({
            entry: { group: g.id },
            label: tr("{{name}} (group)", { name: g.name }),
          })),
          ...names.data.people
            .filter((p) => p.id !== session.person.id)
            .map((p) => ({ entry: { person: p.id }, label: p.name })),
        ].map(({ entry, label }) => (
          <Form.Check
            key={keyOf(entry)}
            id={`share-${keyOf(entry)}`}
            label={label}
            checked={keys.includes(keyOf(entry))}
            onChange={(e) =>
              onChange(
                e.target.checked ? [...entries, entry] : entries.filter((one) => keyOf(one) !== keyOf(entry)),
              )
            }
          />
        ))}
      </div>
    </fieldset>
  );
}

function keyOf(entry: Entry): string {
  return entry.group != null ? `group:${entry.group}` : `person:${entry.person}`;
}
