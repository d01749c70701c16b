import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Dropdown } from "react-bootstrap";
import { Link, useNavigate } from "react-router";
import { answer, api } from "../api";
import type { TemplateRow } from "../api";
import { Confirm, later } from "../shared";
import { useMay, useShell } from "../shell";
import { tr } from "../i18n";

// Dialogs are loaded when they are first opened.
const Labels = later(() => import("./Labels").then((m) => m.Labels));
const MoveDialog = later(() => import("./MoveDialog").then((m) => m.MoveDialog));
const Versions = later(() => import("./Versions").then((m) => m.Versions));

/** What else can be done with a template. */
export function More({ template }: { template: TemplateRow }) {
  const go = useNavigate();
  const client = useQueryClient();
  const mayDesign = useMay("design");
  const [dialog, setDialog] = useState<"remove" | "labels" | "versions" | "move" | null>(null);
  const mayRun = useMay("run");
  const { session } = useShell();
  const path = { params: { path: { template_id: template.id } } };
  const copy = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/templates/{template_id}/copy", path)),
    onSuccess: (made) => {
      void client.invalidateQueries({ queryKey: ["templates"] });
      void go(`/templates/${made.id}`);
    },
  });
  const remove = useMutation({
    mutationFn: () => answer(api.DELETE("/api/v1/templates/{template_id}", path)),
    onSuccess: () => {
      setDialog(null);
      void client.invalidateQueries({ queryKey: ["templates"] });
    },
  });
  return (
    <>
      <Dropdown align="end" className="d-inline-block">
        <Dropdown.Toggle
          variant="link"
          bsPrefix="btn"
          aria-label={tr("More for {{template}}", { template: template.name })}
        >
          ⋮
        </Dropdown.Toggle>
        <Dropdown.Menu>
          <Dropdown.Item as={Link} to={`/templates/${template.id}`}>
            {tr("Open on the bench")}
          </Dropdown.Item>
          {mayRun && (
            <Dropdown.Item as={Link} to={`/templates/${template.id}/run`}>
              {tr("Run with another period or format…")}
            </Dropdown.Item>
          )}
          <Dropdown.Item as={Link} to={`/runs?template=${template.id}`}>
            {tr("Its runs")}
          </Dropdown.Item>
          <Dropdown.Item as="button" onClick={() => setDialog("versions")}>
            {tr("Versions…")}
          </Dropdown.Item>
          <Dropdown.Item href={`/api/v1/templates/${template.id}/document`} download>
            {tr("Export as a document")}
          </Dropdown.Item>
          {mayDesign && (
            <>
              <Dropdown.Item as={Link} to={`/rounds?new=${template.id}`}>
                {tr("Set a round…")}
              </Dropdown.Item>
              <Dropdown.Item as="button" onClick={() => copy.mutate()}>
                {tr("Make a copy")}
              </Dropdown.Item>
              <Dropdown.Item as="button" onClick={() => setDialog("labels")}>
                {tr("Labels, and for whom…")}
              </Dropdown.Item>
              {session.sources.length > 1 && (
                <Dropdown.Item as="button" onClick={() => setDialog("move")}>
                  {tr("Move to another source…")}
                </Dropdown.Item>
              )}
              <Dropdown.Item as="button" onClick={() => setDialog("remove")}>
                {tr("Remove…")}
              </Dropdown.Item>
            </>
          )}
        </Dropdown.Menu>
      </Dropdown>
      {dialog === "remove" && (
        <Confirm
          title={tr("Remove “{{template}}”?", { template: template.name })}
          act={tr("Remove")}
          error={remove.error}
          onAct={() => remove.mutate()}
          onClose={() => setDialog(null)}
        >
          {tr("It leaves the library. The runs it made and their files stay in the ledger.")}
        </Confirm>
      )}
      {dialog === "labels" && <Labels template={template} onClose={() => setDialog(null)} />}
      {dialog === "move" && <MoveDialog template={template} onClose={() => setDialog(null)} />}
      {dialog === "versions" && (
        <Versions id={template.id} name={template.name} onClose={() => setDialog(null)} />
      )}
    </>
  );
}
