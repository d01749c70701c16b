import { useQuery } from "@tanstack/react-query";
import { answer, api, useSource } from "../api";
import { Trouble } from "../shared";
import { tr } from "../i18n";

const ROWS = 4;

/** The first rows of the template that is proposed for a record type, before it is opened. */
export function Proposed({ records }: { records: string }) {
  const source = useSource();
  const found = useQuery({
    queryKey: ["proposal", source, records],
    queryFn: async ({ signal }) => {
      const { document } = await answer(
        api.GET("/api/v1/record-types/{name}/proposal", { params: { path: { name: records } }, signal }),
      );
      const body = { document, limit: ROWS, offset: 0, bench: "", keys: false };
      return answer(api.POST("/api/v1/design/look", { body, signal }));
    },
  });
  if (found.error) return <Trouble error={found.error} />;
  const look = found.data;
  return (
    <div className="proposed" aria-busy={found.isPending} aria-label={tr("First rows")}>
      {look && (
        <table className="board plain">
          <thead>
            <tr>
              {look.columns.map((c) => (
                <th key={c.id}>{c.heading}</th>
              ))}
            </tr>
          </thead>
          <tbody>
            {look.rows.map((row, n) => (
              <tr key={n}>
                {row.map((cell, m) => (
                  <td key={m}>{cell}</td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {look?.rows.length === 0 && <p className="soft mb-0">{tr("No records yet.")}</p>}
    </div>
  );
}
