import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { answer, api, useSource } from "../api";
import { FormDialog, Icon, plural } from "../shared";
import { tr } from "../i18n";

const SHOWN = 40;

/** What putting the draft into use changes and breaks, before it is done. */
export function PutIntoUse({ onClose }: { onClose: () => void }) {
  const client = useQueryClient();
  const source = useSource();
  const [note, setNote] = useState("");
  const found = useQuery({
    queryKey: ["catalogue", source, "consequences"],
    queryFn: () => answer(api.GET("/api/v1/catalogue/consequences")),
    gcTime: 0,
    staleTime: 0,
  });
  const use = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/catalogue/use", { body: { note: note.trim() } })),
    onSuccess: () => {
      void client.invalidateQueries();
      onClose();
    },
  });
  const { changes = [], breaks = [] } = found.data ?? {};
  return (
    <FormDialog
      title={tr("Put the catalogue into use")}
      act={tr("Put into use")}
      ready={found.isSuccess}
      busy={use.isPending}
      error={use.error ?? found.error}
      onAct={() => use.mutate()}
      onClose={onClose}
    >
      <p className="mb-1">
        {tr("Everybody sees it from then on. Headings of templates and what rounds send stay as they are.")}
      </p>
      {breaks.length > 0 && (
        <div className="trouble" role="alert">
          <Icon name="exclamation" />{" "}
          {tr("This breaks {{breaks}}.", { breaks: breaks.map((b) => b.template).join(", ") })}
        </div>
      )}
      <ul className="catalogue-changes">
        {changes.slice(0, SHOWN).map((c) => (
          <li key={`${c.records} ${c.field} ${c.what}`}>
            <span className="mono">{c.field ? `${c.records}.${c.field}` : c.records}</span> {c.what}:{" "}
            {c.before && <del>{c.before}</del>} {c.after && <ins>{c.after}</ins>}
            {c.used_by.length > 0 && (
              <span className="soft">
                {" "}
                {tr("{{used_by}} use it", { used_by: plural(c.used_by.length, "template") })}
              </span>
            )}
          </li>
        ))}
        {changes.length > SHOWN && (
          <li className="soft">{tr("and {{changes}} more", { changes: changes.length - SHOWN })}</li>
        )}
        {found.isSuccess && changes.length === 0 && <li className="soft">{tr("Only guesses were kept.")}</li>}
      </ul>
      <Form.Group controlId="catalogue-note">
        <Form.Label>{tr("What this is about (optional)")}</Form.Label>
        <Form.Control maxLength={500} value={note} onChange={(e) => setNote(e.target.value)} />
      </Form.Group>
    </FormDialog>
  );
}
