import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form, Modal } from "react-bootstrap";
import { answer, api } from "../api";
import { useMay } from "../shell";
import { Icon, Trouble, plural, shortMoment } from "../shared";
import { tr } from "../i18n";

interface Props {
  id: number;
  name: string;
  onClose: () => void;
  /** Told when the draft became an earlier version; the bench then shows it. */
  onRestored?: (document: Record<string, unknown>) => void;
}

const ACTS = { added: "plus", gone: "x", moved: "arrowUp", changed: "pencil" } as const;

/** The saved versions of a template: what each changed, any two compared, and the way back. */
export function Versions({ id, name, onClose, onRestored }: Props) {
  const client = useQueryClient();
  const mayDesign = useMay("design");
  const path = { template_id: id };
  const versions = useQuery({
    queryKey: ["versions", id],
    queryFn: () => answer(api.GET("/api/v1/templates/{template_id}/versions", { params: { path } })),
  });
  const [chosen, setChosen] = useState<number | null>(null);
  const [after, setAfter] = useState<number | "draft">("draft");
  const newest = versions.data?.[0]?.number ?? null;
  const before = chosen ?? newest;
  const changes = useQuery({
    queryKey: ["compare", id, before, after],
    enabled: before !== null,
    queryFn: () =>
      answer(
        api.GET("/api/v1/templates/{template_id}/compare", {
          params: { path, query: { before: before!, after: after === "draft" ? undefined : after } },
        }),
      ),
  });
  const restore = useMutation({
    mutationFn: async (number: number) => {
      const version = await answer(
        api.GET("/api/v1/templates/{template_id}/versions/{number}", {
          params: { path: { ...path, number } },
        }),
      );
      if (!onRestored) {
        const now = await answer(api.GET("/api/v1/templates/{template_id}", { params: { path } }));
        await answer(
          api.PUT("/api/v1/templates/{template_id}/draft", {
            params: { path, header: { "If-Match": `"${now.revision}"` } },
            body: version.document,
          }),
        );
      }
      return version;
    },
    onSuccess: (version) => {
      void client.invalidateQueries({ queryKey: ["templates"] });
      onRestored?.(version.document);
      onClose();
    },
  });
  return (
    <Modal show onHide={onClose} size="lg" aria-labelledby="versions">
      <Modal.Header closeButton>
        <Modal.Title id="versions">{tr("Versions of {{name}}", { name })}</Modal.Title>
      </Modal.Header>
      <Modal.Body className="versions">
        <Trouble error={versions.error ?? changes.error ?? restore.error} />
        {versions.data?.length === 0 && (
          <p className="mb-0">{tr("It was never saved; there is only the draft.")}</p>
        )}
        {versions.data && versions.data.length > 0 && (
          <>
            <ul>
              {versions.data.map((v) => (
                <li key={v.number}>
                  <button
                    type="button"
                    className="option"
                    aria-pressed={v.number === before}
                    onClick={() => setChosen(v.number)}
                  >
                    <b>{tr("version {{number}}", { number: v.number })}</b> {v.note}
                    <span>
                      {v.saved_by}, {shortMoment(v.saved_at)}
                    </span>
                  </button>
                </li>
              ))}
            </ul>
            <section aria-label={tr("What differs")}>
              <div className="d-flex gap-2 align-items-center mb-2">
                {tr("from version {{before}} to", { before })}
                <Form.Select
                  size="sm"
                  style={{ width: 160 }}
                  aria-label={tr("Compared with")}
                  value={after}
                  onChange={(e) => setAfter(e.target.value === "draft" ? "draft" : Number(e.target.value))}
                >
                  <option value="draft">{tr("the draft")}</option>
                  {versions.data.map((v) => (
                    <option key={v.number} value={v.number}>
                      {tr("version {{number}}", { number: v.number })}
                    </option>
                  ))}
                </Form.Select>
                <span className="soft">
                  {changes.data &&
                    (changes.data.length ? plural(changes.data.length, "difference") : tr("no difference"))}
                </span>
              </div>
              {changes.data?.map((c, n) => (
                <div key={n} className={`change ${c.act}`}>
                  <Icon name={ACTS[c.act]} label={c.act} />
                  <div>
                    <b>
                      {c.what} {c.act}
                    </b>
                    {c.before && <del>{c.before}</del>}
                    {c.after && <ins>{c.after}</ins>}
                  </div>
                </div>
              ))}
            </section>
          </>
        )}
      </Modal.Body>
      <Modal.Footer>
        <Button variant="quiet" onClick={onClose}>
          {tr("Close")}
        </Button>
        {mayDesign && before !== null && (
          <Button disabled={restore.isPending} onClick={() => restore.mutate(before)}>
            {tr("Go back to version {{before}}", { before })}
          </Button>
        )}
      </Modal.Footer>
    </Modal>
  );
}
