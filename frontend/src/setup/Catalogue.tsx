import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Dropdown, Form } from "react-bootstrap";
import { answer, aboutSource, api } from "../api";
import type { CatalogueInfo, CatalogueTable } from "../api";
import { FileInput, Icon, Trouble, capital, count, plural } from "../shared";
import { useCurrentSource } from "../shell";
import { Drift } from "./Drift";
import { PutIntoUse } from "./PutIntoUse";
import { SetUp } from "./SetUp";
import { TableSheet } from "./TableSheet";
import { Versions } from "./Versions";
import { tableEdit } from "./cells";
import { useCatalogue } from "./useCatalogue";
import { tr } from "../i18n";

/** Set-up › Catalogue: what the house says about its records, edited like a sheet. */
export function Catalogue() {
  const source = useCurrentSource();
  const { catalogue, edit, load, giveUp } = useCatalogue();
  const [chosen, setChosen] = useState("");
  const [using, setUsing] = useState(false);
  const [looking, setLooking] = useState(false);
  const info = catalogue.data;
  const shown =
    info?.tables.find((t) => t.table === chosen && !t.hidden) ?? info?.tables.find((t) => !t.hidden);
  return (
    <SetUp
      note={
        source && (
          <span className={source.environment === "practice" ? "tag practice" : "tag"}>
            {source.environment === "practice" && <Icon name="cone" />} {source.title}
          </span>
        )
      }
      acts={
        info && (
          <Acts
            info={info}
            onLoad={load.mutate}
            onGiveUp={() => giveUp.mutate()}
            onUse={() => setUsing(true)}
            onVersions={() => setLooking(true)}
            onSchemas={(schemas) => edit.mutate([{ ...tableEdit("", {}), schemas }])}
          />
        )
      }
    >
      <Trouble error={catalogue.error ?? edit.error ?? load.error ?? giveUp.error} />
      <Drift />
      {info && (
        <div className="catalogue">
          <nav className="slab catalogue-tables" aria-label={tr("Record types")}>
            {info.tables.map((table) => (
              <TableLink
                key={table.table}
                table={table}
                current={table.table === shown?.table}
                onChoose={() => setChosen(table.table)}
                onShow={() => edit.mutate([tableEdit(table.table, { hidden: false })])}
              />
            ))}
          </nav>
          {shown && (
            <TableSheet
              key={shown.table}
              table={shown.table}
              tables={info.tables}
              busy={edit.isPending}
              onOpen={setChosen}
              onEdit={(edits) => edits.length > 0 && edit.mutate(edits)}
            />
          )}
        </div>
      )}
      {using && info && <PutIntoUse onClose={() => setUsing(false)} />}
      {looking && <Versions onClose={() => setLooking(false)} />}
    </SetUp>
  );
}

interface TableLinkProps {
  table: CatalogueTable;
  current: boolean;
  onChoose: () => void;
  onShow: () => void;
}

function TableLink({ table, current, onChoose, onShow }: TableLinkProps) {
  if (table.hidden) {
    return (
      <div className="catalogue-table soft">
        <span className="mono one-line" title={table.table}>
          {table.table}
        </span>
        <Button
          variant="quiet"
          size="sm"
          aria-label={tr("Show {{table}} again", { table: table.table })}
          onClick={onShow}
        >
          {tr("show")}
        </Button>
      </div>
    );
  }
  return (
    <button type="button" className="catalogue-table" aria-current={current || undefined} onClick={onChoose}>
      <span>{capital(table.plural)}</span>
      {table.guessed > 0 ? (
        <span className="tag held">{tr("{{guessed}} guessed", { guessed: count(table.guessed) })}</span>
      ) : (
        <span className="soft">{tr("known")}</span>
      )}
    </button>
  );
}

interface ActsProps {
  info: CatalogueInfo;
  onLoad: (text: string) => void;
  onGiveUp: () => void;
  onUse: () => void;
  onVersions: () => void;
  onSchemas: (schemas: string[]) => void;
}

/** Of a source with several schemas, those whose tables are read. At least one is. */
function Schemas({
  schemas,
  onChoose,
}: {
  schemas: CatalogueInfo["schemas"];
  onChoose: (schemas: string[]) => void;
}) {
  const chosen = schemas.filter((s) => s.chosen).map((s) => s.name);
  return (
    <Dropdown align="end" autoClose="outside">
      <Dropdown.Toggle variant="quiet">
        {chosen.length === schemas.length
          ? tr("All schemas")
          : tr("{{chosen}} of {{schemas}} schemas", { chosen: chosen.length, schemas: schemas.length })}
      </Dropdown.Toggle>
      <Dropdown.Menu className="px-3">
        {schemas.map((s) => (
          <Form.Check
            key={s.name}
            id={`schema-${s.name}`}
            label={`${s.name} · ${plural(s.tables, "table")}`}
            checked={s.chosen}
            disabled={s.chosen && chosen.length === 1}
            onChange={(e) =>
              onChoose(e.target.checked ? [...chosen, s.name] : chosen.filter((name) => name !== s.name))
            }
          />
        ))}
      </Dropdown.Menu>
    </Dropdown>
  );
}

function Acts({ info, onLoad, onGiveUp, onUse, onVersions, onSchemas }: ActsProps) {
  const client = useQueryClient();
  const read = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/catalogue/read")),
    onSettled: () => void client.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "session" }),
  });
  return (
    <>
      <Trouble error={read.error} />
      <Button variant="quiet" disabled={read.isPending} onClick={() => read.mutate()}>
        <Icon name="arrowClockwise" /> {tr("Read the source again")}
      </Button>
      {info.schemas.length > 1 && <Schemas schemas={info.schemas} onChoose={onSchemas} />}
      <Dropdown align="end">
        <Dropdown.Toggle variant="quiet">
          <Icon name="fileText" /> {tr("Document")}
        </Dropdown.Toggle>
        <Dropdown.Menu>
          <Dropdown.Item href={aboutSource("/api/v1/catalogue/document")} download>
            {tr("Download as TOML")}
          </Dropdown.Item>
          <label className="dropdown-item">
            {tr("Load a document…")}
            <FileInput accept=".toml" onFile={(file) => void file.text().then(onLoad)} />
          </label>
          <Dropdown.Item as="button" onClick={onVersions}>
            {tr("Versions…")}
          </Dropdown.Item>
          {info.revision > 0 && (
            <Dropdown.Item as="button" onClick={onGiveUp}>
              {tr("Give up these changes")}
            </Dropdown.Item>
          )}
        </Dropdown.Menu>
      </Dropdown>
      <Button disabled={info.revision === 0} onClick={onUse}>
        {tr("Put into use")}
        {info.changes > 0 && ` · ${plural(info.changes, "change")}`}
      </Button>
    </>
  );
}
