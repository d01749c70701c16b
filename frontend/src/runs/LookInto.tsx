import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Modal } from "react-bootstrap";
import { answer, api } from "../api";
import type { Run } from "../api";
import { Trouble, count, plural, size } from "../shared";
import { tr } from "../i18n";

/** A file as it was written: its first and last lines, or the first rows of its sheets. */
export function LookInto({
  run,
  file,
  onClose,
}: {
  run: number;
  file: Run["files"][number];
  onClose: () => void;
}) {
  const [sheet, setSheet] = useState(0);
  const found = useQuery({
    queryKey: ["look-into", run, file.id],
    queryFn: () =>
      answer(
        api.GET("/api/v1/runs/{run_id}/files/{file_id}/look", {
          params: { path: { run_id: run, file_id: file.id } },
        }),
      ),
    staleTime: Infinity,
  });
  const known = found.data;
  const shown = known?.sheets[sheet];
  const empty = known && known.first.length === 0 && known.sheets.length === 0;
  return (
    <Modal show size="xl" scrollable onHide={onClose} aria-labelledby="look-into">
      <Modal.Header closeButton>
        <Modal.Title id="look-into">{file.name}</Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <p className="soft">
          {size(file.size)}
          {file.rows > 0 && `, ${plural(file.rows, "row")}`}
          {known?.encoding && tr(", letters in {{encoding}}", { encoding: known.encoding })}
          {known && known.first.length > 0 && !known.whole && tr("; its first and its last lines")}
        </p>
        <Trouble error={found.error} />
        {empty && (
          <div className="nothing">
            {tr("It is empty, or too large to be shown here. Download it to see it.")}
          </div>
        )}
        {known && known.first.length > 0 && (
          <pre className="first-lines mono small" tabIndex={0} aria-label={tr("Lines of the file")}>
            {[...known.first, ...(known.whole ? [] : ["⋮"]), ...known.last].join("\n")}
          </pre>
        )}
        {known && known.sheets.length > 1 && (
          <div className="d-flex gap-2 mb-2 flex-wrap" role="tablist" aria-label={tr("Sheets")}>
            {known.sheets.map((s, n) => (
              <button
                key={s.name}
                type="button"
                role="tab"
                aria-selected={n === sheet}
                className={`tag ${n === sheet ? "ready" : ""}`}
                onClick={() => setSheet(n)}
              >
                {s.name}
              </button>
            ))}
          </div>
        )}
        {shown && (
          <div className="grid-wrap" tabIndex={0} role="region" aria-label={tr("The first rows")}>
            <table className="grid">
              <tbody>
                {shown.rows.map((row, n) => (
                  <tr key={n}>
                    {row.map((cell, k) => (
                      <td key={k} className="mono">
                        {cell}
                      </td>
                    ))}
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        )}
        {shown && shown.total !== null && shown.total > shown.rows.length && (
          <p className="soft small mt-2 mb-0">
            {tr("the first {{rows}} of {{total}} lines", {
              rows: count(shown.rows.length),
              total: count(shown.total),
            })}
          </p>
        )}
      </Modal.Body>
    </Modal>
  );
}
