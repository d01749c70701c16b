import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form, Modal } from "react-bootstrap";
import { answer, api, resources } from "../../api";
import type { Fits, RecipientInfo } from "../../api";
import { FITS } from "../../recipients/states";
import { Icon, Trouble, useDebounced } from "../../shared";
import type { Column, Document, Show } from "../../document/types";
import { tr } from "../../i18n";

interface Props {
  document: Document;
  /** Put a column in that fills one of theirs; not given where nothing may be changed. */
  onFill?: (value: Column["value"], heading: string, show?: Show) => void;
}

/** How well the file meets what a recipient takes: one of those that get this template, until another is chosen. */
export function HeldAgainst({ document, onFill }: Props) {
  const [chosen, setChosen] = useState(0);
  const [open, setOpen] = useState(false);
  const recipients = useQuery(resources.recipients());
  const all = recipients.data ?? [];
  const served = all.filter((r) => r.rounds.includes(document.name));
  // One with a layout has more to say than one that takes whatever comes.
  const recipient =
    all.find((r) => r.id === chosen) ?? served.find((r) => r.acceptance.columns) ?? served[0] ?? null;
  const asked = useDebounced(document, 400);
  const fits = useQuery({
    queryKey: ["recipients", recipient?.id, "fit", asked],
    queryFn: () =>
      answer(
        api.POST("/api/v1/recipients/{recipient_id}/fit", {
          params: { path: { recipient_id: recipient!.id } },
          body: { document: asked },
        }),
      ),
    enabled: recipient !== null,
    placeholderData: keepPreviousData,
  });
  if (all.length === 0) return null;
  const unmet = fits.data?.unmet ?? [];
  return (
    <>
      <button
        type="button"
        className={`btn-link-plain one-line ${unmet.length > 0 ? "speaks" : ""}`}
        onClick={() => setOpen(true)}
      >
        {recipient ? (
          <>
            <Icon name={unmet.length > 0 ? "exclamation" : "check"} /> {recipient.name}:{" "}
            {fits.data?.words ?? "…"}
          </>
        ) : (
          tr("Hold it against a recipient…")
        )}
      </button>
      {open && (
        <Held
          document={document}
          recipient={recipient}
          recipients={all}
          fits={fits.data}
          error={fits.error}
          onChoose={setChosen}
          onFill={onFill}
          onClose={() => setOpen(false)}
        />
      )}
    </>
  );
}

interface HeldProps extends Props {
  recipient: RecipientInfo | null;
  recipients: RecipientInfo[];
  fits: Fits | undefined;
  error: unknown;
  onChoose: (id: number) => void;
  onClose: () => void;
}

function Held({ document, recipient, recipients, fits, error, onChoose, onFill, onClose }: HeldProps) {
  const missing = (fits?.columns ?? []).filter((c) => c.state === "missing").map((c) => c.heading);
  const text = missing.join("\t");
  const matches = useQuery({
    queryKey: ["match", document.records, text],
    queryFn: () => answer(api.POST("/api/v1/design/match", { body: { records: document.records, text } })),
    enabled: missing.length > 0 && onFill !== undefined,
    staleTime: Infinity,
  });
  const best = (heading: string) => matches.data?.headings.find((h) => h.heading === heading)?.candidates[0];
  return (
    <Modal show onHide={onClose} size="lg" aria-labelledby="held-against">
      <Modal.Header closeButton>
        <Modal.Title id="held-against">{tr("Held against what they take")}</Modal.Title>
      </Modal.Header>
      <Modal.Body className="d-grid gap-2">
        <Form.Select
          aria-label={tr("Recipient")}
          value={recipient?.id ?? 0}
          onChange={(e) => onChoose(Number(e.target.value))}
        >
          <option value={0} disabled>
            {tr("choose a recipient")}
          </option>
          {recipients.map((r) => (
            <option key={r.id} value={r.id}>
              {r.name}
            </option>
          ))}
        </Form.Select>
        {recipient && <p className="m-0">{recipient.sentence}</p>}
        <Trouble error={error} />
        {fits?.unmet.map((said) => (
          <p key={said} className="field-trouble m-0">
            {said}
          </p>
        ))}
        {fits && fits.columns.length > 0 && (
          <table className="board plain">
            <tbody>
              {fits.columns.map((c) => {
                const candidate = c.state === "missing" ? best(c.heading) : undefined;
                return (
                  <tr key={`${c.state} ${c.heading}`}>
                    <td className="mono">{c.heading}</td>
                    <td>
                      <span className={`tag ${FITS[c.state].look}`}>{FITS[c.state].words}</span>
                    </td>
                    <td className="soft small">
                      {c.says}
                      {candidate && onFill && (
                        <Button
                          variant="quiet"
                          size="sm"
                          className="ms-2"
                          onClick={() => onFill({ field: candidate.path }, c.heading, candidate.show as Show)}
                        >
                          <Icon name="plus" /> {candidate.trail}
                        </Button>
                      )}
                      {c.state === "missing" && onFill && (
                        <Button
                          variant="quiet"
                          size="sm"
                          className="ms-2"
                          onClick={() => onFill({ constant: "" }, c.heading)}
                        >
                          {tr("blank")}
                        </Button>
                      )}
                    </td>
                  </tr>
                );
              })}
            </tbody>
          </table>
        )}
      </Modal.Body>
    </Modal>
  );
}
