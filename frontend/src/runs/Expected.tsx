import { useQuery } from "@tanstack/react-query";
import { answer, api } from "../api";
import { duration, plural, size } from "../shared";
import { tr } from "../i18n";

/** How large a run will be and how long it will take, from its count and from earlier runs. */
export function Expected({
  templateId,
  rows,
  format,
  lead = "",
}: {
  templateId: number;
  rows: number | null | undefined;
  format: string;
  /** What stands before it, where it is known. */
  lead?: string;
}) {
  const known = useQuery({
    queryKey: ["expected", templateId, rows, format],
    enabled: typeof rows === "number",
    queryFn: () =>
      answer(
        api.GET("/api/v1/templates/{template_id}/expected", {
          params: { path: { template_id: templateId }, query: { rows: rows!, format } },
        }),
      ),
  });
  if (!known.data) return null;
  return (
    <span className="soft">
      {tr("{{lead}}about {{bytes}}, {{seconds}}", {
        lead,
        bytes: size(known.data.bytes),
        seconds: known.data.seconds < 1 ? tr("less than a second") : duration(known.data.seconds),
      })}
      {known.data.runs > 0 && tr(" (by the last {{runs}})", { runs: plural(known.data.runs, "run") })}
    </span>
  );
}
