import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { answer, api, resources } from "../api";
import type { Questions, ViewInfo } from "../api";
import { mineOf } from "../document/components/OnlyMine";
import type { Document, Narrowing } from "../document/types";
import { plural } from "../shared";
import { useMine } from "../shell";
import { tr } from "../i18n";

/** Whose columns the file has: the template’s own, or, for this once, those of a view of the same records. */
export function ColumnsOf({
  known,
  view,
  onView,
}: {
  known: Questions;
  view: ViewInfo | undefined;
  onView: (view: ViewInfo | undefined) => void;
}) {
  const { records, rows } = known.document;
  const perRecord = (rows?.per ?? "record") === "record";
  const views = useQuery({
    queryKey: ["views", records, known.source],
    enabled: perRecord,
    queryFn: () =>
      answer(
        api.GET("/api/v1/records/{name}/views", {
          params: { path: { name: records }, query: { source: known.source } },
        }),
      ),
  });
  if (!perRecord || !views.data?.length) return null;
  return (
    <Form.Group className="mt-3" controlId="columns-of">
      <Form.Label>
        {tr("Columns")} <span className="soft fw-normal">{tr("for this once")}</span>
      </Form.Label>
      <Form.Select
        value={view?.id ?? ""}
        onChange={(e) => onView(views.data.find((v) => String(v.id) === e.target.value))}
      >
        <option value="">{tr("the template’s own")}</option>
        {views.data.map((v) => (
          <option key={v.id} value={v.id}>
            {tr("of the view “{{name}}”{{mine}}", { name: v.name, mine: v.mine ? "" : ` (${v.owner})` })}
          </option>
        ))}
      </Form.Select>
    </Form.Group>
  );
}

/** A template’s document with further narrowings. */
export function limited(document: Document, once: Narrowing[]): Document {
  if (once.length === 0) return document;
  return { ...document, filter: { all: [...(document.filter ? [document.filter] : []), ...once] } };
}

/** For this once only the records of one or several saved lists, or only one’s own. */
export function OnlyThese({ known, onOnce }: { known: Questions; onOnce: (once: Narrowing[]) => void }) {
  const { records } = known.document;
  const mine = useMine();
  const lists = useQuery({
    queryKey: ["picks", records, known.source],
    queryFn: () => answer(api.GET("/api/v1/picks", { params: { query: { source: known.source, records } } })),
  });
  const types = useQuery(resources.recordTypes(known.source));
  const whose = types.data?.find((t) => t.name === records)?.belongs_to;
  const [chosen, setChosen] = useState<string[]>([]);
  const [own, setOwn] = useState(false);
  const put = (names: string[], onlyMine: boolean) => {
    setChosen(names);
    setOwn(onlyMine);
    onOnce([
      ...(names.length > 0 ? [{ any: names.map((picks) => ({ picks })) } as Narrowing] : []),
      ...(onlyMine && whose ? [mineOf(whose, mine)] : []),
    ]);
  };
  if (!whose && !lists.data?.length) return null;
  return (
    <fieldset className="mt-3">
      <legend className="form-label">
        {tr("Only")} <span className="soft fw-normal">{tr("for this once")}</span>
      </legend>
      {whose && (
        <Form.Check
          id="only-mine"
          label={tr("mine")}
          title={tr("What says {{mine}}", { mine: mine.join(tr(" or ")) })}
          checked={own}
          onChange={(e) => put(chosen, e.target.checked)}
        />
      )}
      {lists.data?.map((list) => (
        <Form.Check
          key={list.name}
          id={`list-${list.name}`}
          label={tr("of the list “{{list}}” ({{size}})", {
            list: list.name,
            size: plural(list.size, "record"),
          })}
          checked={chosen.includes(list.name)}
          onChange={(e) =>
            put(e.target.checked ? [...chosen, list.name] : chosen.filter((n) => n !== list.name), own)
          }
        />
      ))}
    </fieldset>
  );
}
