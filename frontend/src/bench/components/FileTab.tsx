import { useQuery } from "@tanstack/react-query";
import { Form } from "react-bootstrap";
import { answer, api } from "../../api";
import type { FieldGroup, Look, ManyWay, Problem } from "../../api";
import { Trouble, useDebounced, useFormats } from "../../shared";
import type { Action } from "../../document/reducer";
import { useAsked } from "../../document/tried";
import type { Document, Output } from "../../document/types";
import { Along } from "./Along";
import { FileName } from "./FileName";
import { CsvOptions, PageOptions, XlsxOptions } from "./FormatOptions";
import { ReaderStyle } from "./ReaderStyle";
import { SplitEditor } from "../../document/components/SplitEditor";
import { HeadingLanguage } from "./HeadingLanguage";
import { tr } from "../../i18n";

interface Props {
  document: Document;
  templateId: number;
  look: Look | undefined;
  problems: Problem[];
  groups: FieldGroup[];
  ways: ManyWay[];
  editable: boolean;
  dispatch: (action: Action) => void;
}

/** The file as it will be: its form, its name, and its first lines. */
export function FileTab({ document, templateId, look, problems, groups, ways, editable, dispatch }: Props) {
  const output = document.output ?? {};
  const format = output.format ?? "csv";
  const set = (part: Partial<Output>) => dispatch({ type: "setOutput", output: { ...output, ...part } });
  const formats = useFormats();
  const known = formats.find((f) => f.name === format);
  // A format for programs has no lines for readers; one for readers is made for them.
  const suited = (name: string): Partial<Output> => {
    const audience = formats.find((f) => f.name === name)?.audience;
    return audience === "programs" ? { style: undefined } : audience === "readers" ? { style: "reader" } : {};
  };
  const csv = output.csv ?? {};
  const xlsx = output.xlsx ?? {};
  const setCsv = (part: Output["csv"]) => set({ csv: { ...csv, ...part } });
  const setXlsx = (part: Output["xlsx"]) => set({ xlsx: { ...xlsx, ...part } });
  return (
    <fieldset className="shelf-form" disabled={!editable}>
      <Form.Group controlId="format">
        <Form.Label>{tr("Format")}</Form.Label>
        <Form.Select
          value={format}
          onChange={(e) => set({ format: e.target.value as Output["format"], ...suited(e.target.value) })}
        >
          {formats.map((f) => (
            <option key={f.name} value={f.name}>
              {f.label}
            </option>
          ))}
        </Form.Select>
        <Form.Text>{known?.meaning}</Form.Text>
      </Form.Group>
      <FileName
        document={document}
        today={look?.file_name}
        problems={problems.filter((p) => p.place.startsWith("output"))}
        editable={editable}
        onName={(name) => set({ name })}
      />
      {known?.audience !== "programs" && <ReaderStyle document={document} output={output} set={set} />}
      <HeadingLanguage
        columns={document.columns ?? []}
        chosen={output.language ?? ""}
        onChoose={(language) => set({ language: language || undefined })}
      />
      <div className="group-like">{tr("One file, or several")}</div>
      <SplitEditor document={document} groups={groups} dispatch={dispatch} />
      {(format === "csv" || format === "txt") && <CsvOptions csv={csv} set={setCsv} />}
      {(format === "pdf" || format === "html") && (
        <PageOptions
          pages={output.pages ?? {}}
          set={(part) => set({ pages: { ...output.pages, ...part } })}
        />
      )}
      {known?.sheets && (
        <XlsxOptions xlsx={xlsx} set={setXlsx} sheets={format === "xlsx"} columns={document.columns ?? []} />
      )}
      <Dictionary output={output} format={format} set={set} />
      <Along document={document} ways={ways} output={output} problems={problems} set={set} />
      {known?.sized && format !== "arrow" && look && look.rows.length > 0 && problems.length === 0 && (
        <FirstLines document={document} templateId={templateId} />
      )}
    </fieldset>
  );
}

/** What the columns mean, going along with the file. */
function Dictionary({
  output,
  format,
  set,
}: {
  output: Output;
  format: string;
  set: (part: Partial<Output>) => void;
}) {
  const chosen = output.dictionary ?? [];
  const forms: ["sheet" | "csv" | "csvw", string][] = [
    ...(format === "xlsx" ? ([["sheet", tr("as a sheet")]] as ["sheet", string][]) : []),
    ["csv", tr("as a CSV beside it")],
    ...(format === "csv"
      ? ([["csvw", tr("as metadata for programs (CSV on the Web)")]] as ["csvw", string][])
      : []),
  ];
  return (
    <fieldset>
      <legend>{tr("What the columns mean, along with it")}</legend>
      {forms.map(([form, words]) => (
        <Form.Check
          key={form}
          id={`dictionary-${form}`}
          label={words}
          checked={chosen.includes(form)}
          onChange={(e) => {
            const next = e.target.checked ? [...chosen, form] : chosen.filter((c) => c !== form);
            set({ dictionary: next.length ? next : undefined });
          }}
        />
      ))}
    </fieldset>
  );
}

/** The first lines as the writer writes them. */
function FirstLines({ document, templateId }: { document: Document; templateId: number }) {
  const settled = useDebounced(document, 400);
  const { elsewhere, template_id, params } = useAsked(templateId);
  const lines = useQuery({
    queryKey: ["first-lines", settled, elsewhere],
    queryFn: () =>
      answer(
        api.POST("/api/v1/design/first-lines", {
          body: {
            document: settled,
            limit: 5,
            offset: 0,
            bench: "",
            keys: false,
            template_id,
          },
          params,
        }),
      ),
    placeholderData: (known, query) => (query?.queryKey[2] === elsewhere ? known : undefined),
  });
  return (
    <div>
      <div className="fw-bold">{tr("The first lines")}</div>
      <Trouble error={lines.error} />
      <pre
        tabIndex={0}
        aria-label={tr("The first lines of the file")}
        className="first-lines mono small mb-0"
      >
        {lines.data?.text ?? "…"}
      </pre>
    </div>
  );
}
