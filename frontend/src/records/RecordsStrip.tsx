import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Button } from "react-bootstrap";
import { useNavigate } from "react-router";
import { answer, api } from "../api";
import type { RecordTypeFields, Run, ViewInfo } from "../api";
import type { Document } from "../document/types";
import { Help } from "../guide";
import { RoundButtons } from "../rounds/RoundButtons";
import { useCurrentSource, useMay } from "../shell";
import { Trouble, plural, useFormats } from "../shared";
import { SavedLists } from "./SavedLists";
import { TakeMenu } from "./Take";
import { ViewMenu } from "./Views";
import { tr } from "../i18n";

interface Props {
  type: RecordTypeFields;
  view: ViewInfo | undefined;
  views: ViewInfo[];
  document: Document;
  /** What is seen of the document by a search, and what that is called as a template. */
  seen: Document;
  name: string;
  /** Whether it differs from the view as it is kept. */
  changed: boolean;
  /** The fields of personal data that are seen. */
  personal: string[];
  total: number | undefined;
  onDocument: (document: Document) => void;
  onSaveView: () => void;
  onTaken: (run: Run) => void;
}

/** The strip over the records: views and lists, what is seen as a file, what is seen as a template. */
export function RecordsStrip({
  type,
  view,
  views,
  document,
  seen,
  name,
  changed,
  personal,
  total,
  onDocument,
  onSaveView,
  onTaken,
}: Props) {
  const source = useCurrentSource();
  const mayDesign = useMay("design");
  const mayRun = useMay("run");
  const formats = useFormats();
  const go = useNavigate();
  const client = useQueryClient();
  const keep = useMutation({
    mutationFn: () =>
      answer(
        api.POST("/api/v1/templates", {
          body: {
            everyday: false,
            free_name: true,
            document: { ...seen, name },
          },
        }),
      ),
    onSuccess: (made) => {
      void client.invalidateQueries({ queryKey: ["templates"] });
      void go(`/templates/${made.id}`);
    },
  });
  return (
    <>
      <div className="strip">
        <h1>{tr("Records")}</h1>
        <Help topic="records#lists-and-views" />
        {source && <span className="soft">{source.title}</span>}
        <span className="fill" />
        <RoundButtons records={document.records} />
        <ViewMenu type={type} views={views} view={view} changed={changed} onSave={onSaveView} />
        <SavedLists
          records={type.record_type}
          onShow={(list) => onDocument({ ...document, filter: { all: [{ picks: list }] } })}
        />
        {mayRun && (
          <TakeMenu
            label={tr("Export what I see")}
            personal={personal}
            onRun={onTaken}
            offered={formats.map((f) => ({
              words: tr("as {{format}}", { format: f.label }),
              format: f.name,
              document: { ...seen, name },
              note: total === undefined ? undefined : plural(total, "row"),
            }))}
          />
        )}
        {mayDesign && (
          <Button disabled={keep.isPending} onClick={() => keep.mutate()}>
            {tr("Design with these")}
          </Button>
        )}
      </div>
      {keep.error && (
        <div className="banner">
          <Trouble error={keep.error} />
        </div>
      )}
    </>
  );
}
