import { useQuery } from "@tanstack/react-query";
import { useEffect, useId, useState } from "react";
import { Form } from "react-bootstrap";
import { answer, api } from "../api";
import type { AskedInfo, AskedPart, TemplateDocument } from "../api";
import { Icon, Trouble, useDebounced } from "../shared";
import { piecesOf, unsaid } from "./pieces";
import { Help } from "../guide";
import { tr } from "../i18n";

/** Milliseconds without a letter until a request is read. */
const QUIET = 350;

/** Characters that a request may have. */
const LONGEST = 2000;

interface Props {
  text: string;
  onText: (text: string) => void;
  /** What the text comes to; nothing while it is empty or not read yet. */
  onFound: (found: AskedInfo | undefined) => void;
  /** A template that it is asked of besides. */
  document?: TemplateDocument;
  label: string;
  placeholder: string;
}

/** A request in a person's own words, with what each part of it was taken for. Nothing is taken in silence. */
export function AskedText({ text, onText, onFound, document, label, placeholder }: Props) {
  const id = useId();
  const [ignored, setIgnored] = useState<{ start: number; end: number }[]>([]);
  const settled = useDebounced(text, QUIET);
  const reading = useQuery({
    queryKey: ["asked", settled, ignored, document],
    enabled: settled.trim() !== "",
    queryFn: () =>
      answer(
        api.POST("/api/v1/design/asked", {
          body: { text: settled, records: "", ignored, document: document ?? null },
        }),
      ),
    placeholderData: (known) => known,
    staleTime: 60_000,
  });
  const found = text.trim() && settled === text && !reading.isPlaceholderData ? reading.data : undefined;
  useEffect(() => onFound(found), [found, onFound]);
  return (
    <div className="asked">
      <Form.Group controlId={id}>
        <Form.Label>{label}</Form.Label> <Help topic="first-template#say-what-you-were-asked-for" />
        <Form.Control
          as="textarea"
          rows={2}
          autoFocus
          maxLength={LONGEST}
          placeholder={placeholder}
          value={text}
          onChange={(e) => {
            setIgnored([]);
            onText(e.target.value);
          }}
        />
      </Form.Group>
      <Trouble error={text.trim() ? reading.error : null} />
      {found && (
        <Reading
          text={text}
          found={found}
          onIgnore={(part) => setIgnored([...ignored, { start: part.start, end: part.end }])}
          onAll={ignored.length ? () => setIgnored([]) : undefined}
        />
      )}
    </div>
  );
}

interface ReadingProps {
  text: string;
  found: AskedInfo;
  onIgnore: (part: AskedPart) => void;
  onAll?: () => void;
}

/** The request with its parts marked, and below it what each was taken for. */
function Reading({ text, found, onIgnore, onAll }: ReadingProps) {
  const said = found.parts.filter((p) => p.end > 0);
  const added = unsaid(found.parts);
  return (
    <div aria-live="polite">
      <p className="asked-text">
        {piecesOf(text, found).map((piece, n) =>
          piece.unread ? (
            <span key={n} className="asked-unread" title={tr("not understood")}>
              {piece.text}
            </span>
          ) : piece.part ? (
            <span
              key={n}
              className={piece.part.doubt ? "asked-doubt" : "asked-sure"}
              title={piece.part.words}
            >
              {piece.text}
            </span>
          ) : (
            piece.text
          ),
        )}
      </p>
      {found.unread.length > 0 && (
        <p className="asked-note">
          <Icon name="exclamation" />{" "}
          {tr("Not understood: {{unread}}. The rest is taken without it.", {
            unread: found.unread.map(({ start, end }) => `“${text.slice(start, end)}”`).join(", "),
          })}
        </p>
      )}
      {found.document === null ? (
        <p className="soft mb-0">{tr("Name the records, a field or a value of them.")}</p>
      ) : (
        <ul className="asked-parts" aria-label={tr("What it was taken for")}>
          {said.map((part) => (
            <li key={`${part.start} ${part.place}`} className={part.doubt ? "is-doubt" : ""}>
              <span>
                {part.words}
                {part.doubt && <small> – {part.doubt}</small>}
              </span>
              {part.role !== "records" && (
                <button
                  type="button"
                  aria-label={tr("Not meant: {{part}}", { part: part.words })}
                  onClick={() => onIgnore(part)}
                >
                  <Icon name="x" />
                </button>
              )}
            </li>
          ))}
        </ul>
      )}
      {added.length > 0 && (
        <p className="soft small mb-0">
          {tr("Nobody said it, it is put in: {{added}}.", { added: added.join("; ") })}
        </p>
      )}
      {onAll && (
        <button type="button" className="btn-link-plain" onClick={onAll}>
          {tr("Read all of it again")}
        </button>
      )}
      {found.problems.map((p) => (
        <div key={p.place + p.message} className="field-trouble">
          {p.message}
        </div>
      ))}
    </div>
  );
}
