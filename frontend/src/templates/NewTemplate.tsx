import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Form, Modal } from "react-bootstrap";
import { useNavigate } from "react-router";
import { answer, api, resources, turnTo } from "../api";
import type { AskedInfo, Look, TemplateDocument } from "../api";
import { AskedText } from "../asked";
import { Icon, Trouble, count } from "../shared";
import { Proposed } from "./Proposed";
import { SourceChoice, useCurrentSource } from "../shell";
import { tr } from "../i18n";

type Start = "everyday" | "empty" | "view" | "copy" | "document";

/** One row per what? The first question of every template; and what it starts from. */
export function NewTemplate({ asked = "", onClose }: { asked?: string; onClose: () => void }) {
  const making = useNewTemplate(asked, onClose);
  const { asking, make, read, types } = making;
  return (
    <Modal show size="lg" onHide={onClose} aria-labelledby="new-template">
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          make.mutate();
        }}
      >
        <Modal.Header closeButton>
          <Modal.Title id="new-template">{tr("New template: one row per what?")}</Modal.Title>
        </Modal.Header>
        <Modal.Body>
          <OfWhichSource making={making} />
          <AskedText
            text={making.request}
            onText={making.setRequest}
            onFound={making.setFound}
            label={tr("Say what you were asked for")}
            placeholder={tr(
              "standing oaks in Quay not inspected for two years: tag, girth, last inspection, biggest first",
            )}
          />
          {!asking && <p className="soft mt-3 mb-1">{tr("Or choose:")}</p>}
          {!asking && making.needsType && <RecordTypes making={making} />}
          {!asking && <Starts making={making} />}
          <Trouble
            error={types.error ?? make.error ?? (read.error instanceof Error ? read.error.message : null)}
          />
        </Modal.Body>
        <Modal.Footer>
          <Button variant="quiet" onClick={onClose}>
            {tr("Cancel")}
          </Button>
          <Button type="submit" disabled={!making.ready || make.isPending}>
            {tr("Open the bench")}
          </Button>
        </Modal.Footer>
      </Form>
    </Modal>
  );
}

type Making = ReturnType<typeof useNewTemplate>;

/** What a new template starts from: words, or a record type with its fields, a view, another template, a document. */
function useNewTemplate(asked: string, onClose: () => void) {
  const go = useNavigate();
  const client = useQueryClient();
  const [records, setRecords] = useState("");
  const [start, setStart] = useState<Start>("everyday");
  const [source, setSource] = useState("");
  const [request, setRequest] = useState(asked);
  const [found, setFound] = useState<AskedInfo>();
  const asking = request.trim() !== "";
  const [document, setDocument] = useState<{ document: TemplateDocument; look: Look } | null>(null);
  const types = useQuery(resources.recordTypes());
  const templates = useQuery(resources.templates());
  const views = useQuery({
    queryKey: ["views", records],
    enabled: records !== "",
    queryFn: () => answer(api.GET("/api/v1/records/{name}/views", { params: { path: { name: records } } })),
  });
  const chosen = types.data?.find((t) => t.name === records);
  const here = useCurrentSource()?.key;
  const copies = (templates.data ?? []).filter(
    (t) => !records || (t.records === records && t.source === here),
  );
  const make = useMutation({
    mutationFn: () => {
      if (asking)
        return answer(
          api.POST("/api/v1/templates", {
            body: { everyday: false, free_name: true, document: found?.document },
          }),
        );
      if (start === "copy")
        return answer(
          api.POST("/api/v1/templates/{template_id}/copy", {
            params: { path: { template_id: Number(source || copies[0]!.id) } },
          }),
        );
      const view = views.data?.find((v) => String(v.id) === source) ?? views.data?.[0];
      const given = start === "document" ? document?.document : start === "view" ? view?.document : undefined;
      const body = given
        ? {
            everyday: false,
            free_name: true,
            document: given,
          }
        : { records, everyday: start === "everyday", free_name: false };
      return answer(api.POST("/api/v1/templates", { body }));
    },
    onSuccess: (made) => {
      void client.invalidateQueries({ queryKey: ["templates"] });
      onClose();
      void go(`/templates/${made.id}`);
    },
  });
  const read = useMutation({
    mutationFn: async (file: File) => {
      const parsed: unknown = await file
        .text()
        .then((text) => JSON.parse(text) as unknown)
        .catch(() => null);
      if (!parsed || typeof parsed !== "object")
        throw new Error(tr("This file is no template document: it is not JSON."));
      // Whatever it holds: it is read as it is looked at.
      const document = parsed as TemplateDocument;
      const body = { document, limit: 1, offset: 0, bench: "", keys: false };
      return {
        document,
        look: await answer(api.POST("/api/v1/design/look", { body })),
      };
    },
    onSuccess: setDocument,
  });
  const needsType = start === "everyday" || start === "empty" || start === "view";
  const ready = asking
    ? found?.document != null
    : start === "document"
      ? document !== null && document.look.sentence.length > 0
      : start === "copy"
        ? copies.length > 0
        : records !== "" && (start !== "view" || (views.data?.length ?? 0) > 0);
  return {
    records,
    setRecords,
    start,
    setStart,
    source,
    setSource,
    request,
    setRequest,
    setFound,
    asking,
    document,
    setDocument,
    types,
    views,
    chosen,
    copies,
    make,
    read,
    needsType,
    ready,
  };
}

/** Which of several sources it is to read. */
function OfWhichSource({ making }: { making: Making }) {
  const client = useQueryClient();
  const turn = (key: string) => {
    turnTo(client, key);
    making.setRecords("");
    making.setSource("");
    making.setDocument(null);
  };
  return <SourceChoice id="new-source" className="mb-3" value={useCurrentSource()?.key} onChange={turn} />;
}

/** The record types, one of which a row stands for. */
function RecordTypes({ making }: { making: Making }) {
  const { types, records, setRecords } = making;
  return (
    <div className="choices mb-3" style={{ maxHeight: 270 }} role="radiogroup" aria-label={tr("One row per")}>
      {types.data?.map((t) => (
        <label key={t.name} className={`option ${t.name === records ? "on" : ""}`}>
          <input
            type="radio"
            name="records"
            value={t.name}
            checked={t.name === records}
            onChange={() => setRecords(t.name)}
            className="form-check-input mt-0"
          />
          {t.label}{" "}
          <span className="mono">{t.rows === null ? "" : tr("about {{rows}}", { rows: count(t.rows) })}</span>
        </label>
      ))}
    </div>
  );
}

/** What the sheet holds at first. */
function Starts({ making }: { making: Making }) {
  const { start, setStart, source, setSource, records, chosen, views, copies, document, setDocument, read } =
    making;
  return (
    <>
      <Way
        start={start}
        here="everyday"
        onStart={setStart}
        label={tr("Start with the everyday fields{{chosen}}", {
          chosen: chosen ? tr(" of {{chosen}}", { chosen: chosen.plural }) : "",
        })}
      />
      {start === "everyday" && records !== "" && <Proposed records={records} />}
      <Way start={start} here="empty" onStart={setStart} label={tr("Start with an empty sheet")} />
      {(views.data?.length ?? 0) > 0 && (
        <Way start={start} here="view" onStart={setStart} label={tr("Start with a saved view")} />
      )}
      {start === "view" && (
        <Form.Select
          className="mb-2"
          aria-label={tr("View")}
          value={source}
          onChange={(e) => setSource(e.target.value)}
        >
          {views.data?.map((v) => (
            <option key={v.id} value={v.id}>
              {v.name}
            </option>
          ))}
        </Form.Select>
      )}
      <Way start={start} here="copy" onStart={setStart} label={tr("Start with a copy of a template")} />
      {start === "copy" && (
        <Form.Select
          className="mb-2"
          aria-label={tr("Template to copy")}
          value={source}
          onChange={(e) => setSource(e.target.value)}
        >
          {copies.map((t) => (
            <option key={t.id} value={t.id}>
              {t.name}
            </option>
          ))}
        </Form.Select>
      )}
      <Way
        start={start}
        here="document"
        onStart={setStart}
        label={tr("Start with a document from another Bouquet")}
      />
      {start === "document" && (
        <>
          <Form.Control
            type="file"
            accept=".json,application/json"
            aria-label={tr("Document")}
            onChange={(e) => {
              const file = (e.target as HTMLInputElement).files?.[0];
              setDocument(null);
              if (file) read.mutate(file);
            }}
          />
          {document && <Imported look={document.look} />}
        </>
      )}
    </>
  );
}

function Way({
  start,
  here,
  label,
  onStart,
}: {
  start: Start;
  here: Start;
  label: string;
  onStart: (start: Start) => void;
}) {
  return (
    <Form.Check
      type="radio"
      name="start"
      id={here}
      checked={start === here}
      onChange={() => onStart(here)}
      label={label}
    />
  );
}

/** What a document says, and what of it does not exist here; nothing is dropped. */
function Imported({ look }: { look: Look }) {
  return (
    <div className="slab mt-2">
      {look.sentence.length > 0 && <p className="mb-1">{look.sentence.map((p) => p.text).join("")}</p>}
      {look.problems.length === 0 ? (
        <span className="all-well">
          <Icon name="check" /> {tr("everything it names is here")}
        </span>
      ) : (
        <>
          <div className="field-trouble">
            {look.sentence.length > 0
              ? tr("Not all it names is here. It can be opened; the bench shows each place:")
              : tr("This cannot be opened:")}
          </div>
          <ul className="mb-0">
            {look.problems.map((p) => (
              <li key={p.place + p.message}>
                {p.message} <span className="soft mono small">{p.place}</span>
              </li>
            ))}
          </ul>
        </>
      )}
    </div>
  );
}
