import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Dropdown, Form } from "react-bootstrap";
import { Link, useNavigate } from "react-router";
import { answer, api, recordsAt, useSource } from "../api";
import type { RecordTypeFields, ViewInfo } from "../api";
import type { Document } from "../document/types";
import { FormDialog, Icon } from "../shared";
import { useMay, usePreferences } from "../shell";
import { SharedWith } from "../templates/SharedWith";
import { tr } from "../i18n";

/** The views kept of a record type: to look through, to save, to remove. */
export function ViewMenu({
  type,
  views,
  view,
  changed,
  onSave,
}: {
  type: RecordTypeFields;
  views: ViewInfo[];
  view: ViewInfo | undefined;
  changed: boolean;
  onSave: () => void;
}) {
  const client = useQueryClient();
  const name = type.record_type.name;
  const key = useViewKey(name);
  const { preferences, change } = usePreferences();
  const always = view !== undefined && preferences.views?.[key] === view.id;
  const remove = useMutation({
    mutationFn: (id: number) =>
      answer(api.DELETE("/api/v1/records/views/{view_id}", { params: { path: { view_id: id } } })),
    onSuccess: () => void client.invalidateQueries({ queryKey: ["views", name] }),
  });
  return (
    <Dropdown align="end">
      <Dropdown.Toggle variant="quiet">
        <Icon name="eye" /> {tr("View: {{view}}", { view: view?.name ?? tr("everyday fields") })}
        {changed && " *"}
      </Dropdown.Toggle>
      <Dropdown.Menu>
        <Dropdown.Item as={Link} to={recordsAt(name, [], { view: "everyday" })}>
          {tr("everyday fields")}
        </Dropdown.Item>
        {views.map((v) => (
          <Dropdown.Item key={v.id} as={Link} to={recordsAt(name, [], { view: String(v.id) })}>
            {v.name} <span className="soft">{whose(v)}</span>
          </Dropdown.Item>
        ))}
        <Dropdown.Divider />
        <Dropdown.Item as="button" onClick={onSave}>
          {tr("Save this view…")}
        </Dropdown.Item>
        {view && !always && (
          <Dropdown.Item
            as="button"
            onClick={() => change({ views: { ...preferences.views, [key]: view.id } })}
          >
            {tr("Open {{record_type}} with this view from now on", { record_type: type.record_type.plural })}
          </Dropdown.Item>
        )}
        {always && (
          <Dropdown.Item as="button" onClick={() => change({ views: without(preferences.views, key) })}>
            {tr("Open {{record_type}} with the everyday fields from now on", {
              record_type: type.record_type.plural,
            })}
          </Dropdown.Item>
        )}
        {view?.mine && (
          <Dropdown.Item
            as={Link}
            to={recordsAt(name, [], { view: "everyday" })}
            onClick={() => remove.mutate(view.id)}
          >
            {tr("Remove “{{view}}”", { view: view.name })}
          </Dropdown.Item>
        )}
      </Dropdown.Menu>
    </Dropdown>
  );
}

function whose(view: ViewInfo): string {
  if (!view.mine) return view.owner;
  if (view.shared) return tr("mine, shared with all");
  return view.shared_with.length > 0
    ? tr("mine, shared with {{shared_with}}", { shared_with: view.shared_with.length })
    : tr("mine");
}

/** What the view that a person’s records open with is kept under. */
export function useViewKey(records: string): string {
  return `${useSource()}/${records}`;
}

function without(views: Record<string, number> | undefined, key: string): Record<string, number> {
  return Object.fromEntries(Object.entries(views ?? {}).filter(([name]) => name !== key));
}

/** Keeps columns, narrowings and order as a view. */
export function SaveView({
  view,
  document,
  onClose,
}: {
  /** The view of one's own that it replaces. */
  view: ViewInfo | undefined;
  document: Document;
  onClose: () => void;
}) {
  const go = useNavigate();
  const client = useQueryClient();
  const mayShare = useMay("design");
  const [text, setText] = useState(view?.name ?? "");
  const [all, setAll] = useState(view?.shared ?? false);
  const [some, setSome] = useState(view?.shared_with ?? []);
  const save = useMutation({
    mutationFn: () =>
      answer(
        api.PUT("/api/v1/records/{name}/views", {
          params: { path: { name: document.records } },
          body: {
            name: text.trim(),
            shared: all,
            shared_with: all ? [] : some,
            document: document,
          },
        }),
      ),
    onSuccess: async (view) => {
      await client.invalidateQueries({ queryKey: ["views", document.records] });
      onClose();
      void go(recordsAt(document.records ?? "", [], { view: String(view.id) }));
    },
  });
  return (
    <FormDialog
      title={tr("Save this view")}
      act={tr("Save")}
      ready={text.trim() !== ""}
      busy={save.isPending}
      error={save.error}
      onAct={() => save.mutate()}
      onClose={onClose}
    >
      <Form.Group controlId="view-name">
        <Form.Label>{tr("Name")}</Form.Label>
        <Form.Control autoFocus maxLength={120} value={text} onChange={(e) => setText(e.target.value)} />
      </Form.Group>
      <Form.Check
        id="view-shared"
        label={tr("everybody may use it")}
        checked={all}
        onChange={(e) => setAll(e.target.checked)}
      />
      {!all && mayShare && <SharedWith legend={tr("Or only some may")} entries={some} onChange={setSome} />}
      <span className="soft small">
        {tr("Its columns, narrowings and order; the same field list starts templates and exports.")}
      </span>
    </FormDialog>
  );
}
