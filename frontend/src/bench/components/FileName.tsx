import { useState } from "react";
import { Form } from "react-bootstrap";
import type { Problem } from "../../api";
import { Icon } from "../../shared";
import { USUAL_NAME, nameParts, partWords, patternOf, piecesOf } from "../fileName";
import type { Document } from "../../document/types";
import { Help } from "../../guide";
import { tr } from "../../i18n";

interface Props {
  document: Document;
  /** What the file would be called now. */
  today: string | undefined;
  problems: Problem[];
  editable: boolean;
  onName: (pattern: string | undefined) => void;
}

/** What the file is called: parts that each run fills in, as chips, and letters between them. */
export function FileName({ document, today, problems, editable, onName }: Props) {
  const [asked, setAsked] = useState(false);
  const pattern = document.output?.name ?? USUAL_NAME;
  const pieces = piecesOf(pattern);
  const put = (next: string) => onName(next === USUAL_NAME || next === "" ? undefined : next);
  const change = (at: number, text: string) =>
    put(patternOf(pieces.map((p, n) => (n === at ? { ...p, text } : p))));
  return (
    <fieldset className="file-name">
      <legend className="form-label">
        {tr("File name")} <Help topic="files#file-names" />
      </legend>
      <div className="name-pieces">
        {pieces.map((piece, n) =>
          piece.part ? (
            <span key={n} className="tag">
              {partWords(piece.text, document)}
              {editable && (
                <button type="button" className="bare" onClick={() => change(n, "")}>
                  <Icon name="x" label={tr("Remove {{piece}}", { piece: partWords(piece.text, document) })} />
                </button>
              )}
            </span>
          ) : (
            (piece.text !== "" || n === pieces.length - 1) && (
              <input
                key={n}
                className="mono"
                aria-label={n === pieces.length - 1 ? tr("Letters at the end") : tr("Letters between")}
                size={Math.max(2, piece.text.length + 1)}
                maxLength={80}
                value={piece.text}
                onChange={(e) => change(n, e.target.value.replace(/[{}]/g, ""))}
              />
            )
          ),
        )}
      </div>
      {editable && (
        <Form.Select
          size="sm"
          aria-label={tr("Add a part to the name")}
          value=""
          onChange={(e) => {
            const last = pieces.at(-1)?.text ?? "";
            put(`${pattern}${pattern && !/[_\-. ]$/.test(last) ? "_" : ""}${e.target.value}`);
          }}
        >
          <option value="">{tr("+ add a part…")}</option>
          {nameParts(document).map(([part, words]) => (
            <option key={part} value={part}>
              {words}
            </option>
          ))}
        </Form.Select>
      )}
      {problems.map((p) => (
        <div key={p.message} className="field-trouble" role="alert">
          {p.message}
        </div>
      ))}
      {today && (
        <Form.Text>
          {tr("today:")} <span className="mono">{today}</span>
        </Form.Text>
      )}{" "}
      <button type="button" className="btn-link-plain small" onClick={() => setAsked(!asked)}>
        {asked ? tr("without codes") : tr("as a pattern")}
      </button>
      {asked && (
        <Form.Control
          className="mono"
          aria-label={tr("The name as a pattern")}
          maxLength={200}
          value={pattern}
          onChange={(e) => put(e.target.value)}
        />
      )}
    </fieldset>
  );
}
