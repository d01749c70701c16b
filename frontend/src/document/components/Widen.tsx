import { useQuery } from "@tanstack/react-query";
import { Button } from "react-bootstrap";
import { answer, api } from "../../api";
import { count, plural } from "../../shared";
import { useAsked } from "../tried";
import type { Document } from "../types";
import { widened } from "../units";
import { tr } from "../../i18n";

interface Props {
  document: Document;
  templateId: number;
  unit: string;
  heading: string;
  /** Rows as they are now. */
  now: number;
  onWiden: (widen: (document: Document) => Document) => void;
}

/** From some units to all in one act: what else narrows stays, and the unit stands in a column. */
export function Widen({ document, templateId, unit, heading, now, onWiden }: Props) {
  const next = widened(document, unit, heading);
  const { elsewhere, template_id, params } = useAsked(templateId);
  const counted = useQuery({
    queryKey: ["per-value", next, unit, elsewhere],
    queryFn: () =>
      answer(
        api.POST("/api/v1/design/per-value", {
          body: { document: next, path: unit, template_id },
          params,
        }),
      ),
  });
  const all = (counted.data ?? []).reduce((n, v) => n + v.rows, 0);
  return (
    <div className="my-2">
      <Button size="sm" variant="quiet" onClick={() => onWiden((d) => widened(d, unit, heading))}>
        {tr("Widen to all")}
      </Button>{" "}
      <span className="small soft" role="status">
        {counted.data
          ? tr("from {{now}} to {{all}}, of {{counted}}", {
              now: plural(now, "row"),
              all: count(all),
              counted: plural(counted.data.length, "unit"),
            })
          : tr("counting…")}
      </span>
    </div>
  );
}
