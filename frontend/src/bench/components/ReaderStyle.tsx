import { Form } from "react-bootstrap";
import type { Document, Output } from "../../document/types";
import { Help } from "../../guide";
import { tr } from "../../i18n";

/** Levels of groups in a file for readers. */
const DEEPEST = 3;

/** For programs or for people: one switch on the same template. */
export function ReaderStyle({
  document,
  output,
  set,
}: {
  document: Document;
  output: Output;
  set: (part: Partial<Output>) => void;
}) {
  const reader = output.style === "reader";
  const options = output.reader ?? {};
  const setReader = (part: Output["reader"]) => set({ reader: { ...options, ...part } });
  return (
    <>
      <div role="radiogroup" aria-label={tr("Style")} className="d-flex gap-3">
        <Form.Check
          type="radio"
          id="style-machine"
          label={tr("for programs")}
          title={tr("ISO dates, plain numbers, nothing but headings and rows")}
          checked={!reader}
          onChange={() => set({ style: undefined })}
        />
        <Form.Check
          type="radio"
          id="style-reader"
          label={tr("for readers")}
          title={tr("Dates and numbers as people write them, titles, groups, totals")}
          checked={reader}
          onChange={() => set({ style: "reader" })}
        />
      </div>
      {reader && (
        <div className="indented">
          <Form.Group controlId="reader-locale">
            <Form.Label>{tr("Dates and numbers as in")}</Form.Label> <Help topic="files#for-readers" />
            <Form.Select value={output.locale ?? "en_GB"} onChange={(e) => set({ locale: e.target.value })}>
              {LOCALES.map(([code, words]) => (
                <option key={code} value={code}>
                  {words}
                </option>
              ))}
            </Form.Select>
          </Form.Group>
          <GroupLevels
            document={document}
            groups={options.groups ?? []}
            onGroups={(groups) => setReader({ groups: groups.length ? groups : undefined })}
          />
          <Form.Check
            id="reader-title"
            label={tr("lines of title above the headings")}
            checked={options.title ?? true}
            onChange={(e) => setReader({ title: e.target.checked })}
          />
          <Form.Check
            id="reader-subtotals"
            label={tr("subtotals of each group")}
            checked={options.subtotals ?? true}
            onChange={(e) => setReader({ subtotals: e.target.checked })}
          />
          <Form.Check
            id="reader-total"
            label={tr("a total at the end")}
            checked={options.grand_total ?? true}
            onChange={(e) => setReader({ grand_total: e.target.checked })}
          />
        </div>
      )}
      {output.format !== "xlsx" && (
        <Form.Check
          id="guard"
          label={tr("guard texts that begin like formulas")}
          checked={output.guard_formulas ?? reader}
          onChange={(e) =>
            set({ guard_formulas: e.target.checked === reader ? undefined : e.target.checked })
          }
        />
      )}
    </>
  );
}

const LOCALES: [string, string][] = [
  ["en_GB", tr("Britain: 22/11/2026, 1,234.50")],
  ["en_US", tr("United States: 11/22/26, 1,234.50")],
  ["en_IE", tr("Ireland: 22/11/2026, 1,234.50")],
  ["de_DE", tr("Germany: 22.11.2026, 1.234,50")],
  ["de_CH", tr("Switzerland: 22.11.2026, 1’234.50")],
  ["fr_FR", tr("France: 22/11/2026, 1 234,50")],
  ["nl_NL", tr("Netherlands: 22-11-2026, 1.234,50")],
  ["es_ES", tr("Spain: 22/11/2026, 1234,50")],
  ["it_IT", tr("Italy: 22/11/2026, 1.234,50")],
  ["pl_PL", tr("Poland: 22.11.2026, 1234,50")],
  ["sv_SE", tr("Sweden: 2026-11-22, 1 234,50")],
];

/** The columns by which a file for readers is cut into groups, each within the one before. */
function GroupLevels({
  document,
  groups,
  onGroups,
}: {
  document: Document;
  groups: string[];
  onGroups: (groups: string[]) => void;
}) {
  const levels = groups.length < DEEPEST ? [...groups, ""] : groups;
  const free = (level: number) =>
    (document.columns ?? []).filter((c) => !groups.includes(c.id) || c.id === groups[level]);
  return levels.map((column, n) => (
    <Form.Group key={n} controlId={`reader-group-${n}`}>
      <Form.Label>{n === 0 ? tr("A heading line for each") : tr("and, within it, for each")}</Form.Label>
      <Form.Select
        value={column}
        onChange={(e) => onGroups([...groups.slice(0, n), ...(e.target.value ? [e.target.value] : [])])}
      >
        <option value="">{n === 0 ? tr("no groups") : tr("nothing more")}</option>
        {free(n).map((c) => (
          <option key={c.id} value={c.id}>
            {c.heading}
          </option>
        ))}
      </Form.Select>
    </Form.Group>
  ));
}
