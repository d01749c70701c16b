import { Form } from "react-bootstrap";
import type { ManyWay, Problem } from "../../api";
import { NumberInput } from "../../shared";
import { ruleOf } from "../../document/rows";
import type { Document, Output } from "../../document/types";
import { ChildColumns } from "./ChildColumns";
import { Help } from "../../guide";
import { tr } from "../../i18n";

interface Props {
  document: Document;
  ways: ManyWay[];
  output: Output;
  problems: Problem[];
  set: (part: Partial<Output>) => void;
}

/** What goes along with the file: findings, the slip, files of children, attachments; and how long it is kept. */
export function Along({ document, ways, output, problems, set }: Props) {
  const perRecord = ruleOf(document).per === "record" && !document.at_most;
  const companions = output.companions ?? [];
  const children = output.children ?? [];
  const near = ways.filter((w) => !w.path.includes("."));
  const holding = near.filter((w) => w.files.length > 0);
  const without = <T,>(list: T[]) => (list.length ? list : undefined);
  const companion = (name: "findings" | "slip" | "gone", words: string) => (
    <Form.Check
      id={`companion-${name}`}
      label={words}
      checked={companions.includes(name)}
      onChange={(e) =>
        set({
          companions: without(
            e.target.checked ? [...companions, name] : companions.filter((c) => c !== name),
          ),
        })
      }
    />
  );
  const wrong = problems.filter((p) => /^output\.(children|attachments)/.test(p.place));
  return (
    <>
      <fieldset>
        <legend>
          {tr("Files beside it")} <Help topic="files#files-beside-it" />
        </legend>
        {companion("findings", tr("what the checks found, as CSV"))}
        {(document.checks ?? []).length > 0 && (
          <label className="d-block small mt-1 mb-2">
            {tr("findings counted by")}{" "}
            <Form.Select
              size="sm"
              className="d-inline-block w-auto"
              value={output.findings_by ?? ""}
              onChange={(e) => set({ findings_by: e.target.value || undefined })}
            >
              <option value="">{tr("who touched the record last, alone")}</option>
              {(document.columns ?? []).map((c) => (
                <option key={c.id} value={c.id}>
                  {tr("{{heading}}, too", { heading: c.heading })}
                </option>
              ))}
            </Form.Select>
          </label>
        )}
        {companion("slip", tr("the slip: counts, totals, digests, as JSON"))}
        {(document.only ?? "everything") !== "everything" &&
          !document.asks?.length &&
          companion("gone", tr("the keys of records that were sent and are gone since, as CSV"))}
        {perRecord &&
          near.map((way) => (
            <div key={way.path}>
              <Form.Check
                id={`children-${way.path}`}
                label={tr("its {{way}}, a row each with the key of its record", { way: way.plural })}
                checked={children.some((c) => c.path === way.path)}
                onChange={(e) =>
                  set({
                    children: without(
                      e.target.checked
                        ? [...children, { path: way.path }]
                        : children.filter((c) => c.path !== way.path),
                    ),
                  })
                }
              />
              {children
                .filter((c) => c.path === way.path)
                .map((child) => (
                  <ChildColumns
                    key={child.path}
                    child={child}
                    way={way}
                    onChange={(next) => set({ children: children.map((c) => (c === child ? next : c)) })}
                  />
                ))}
            </div>
          ))}
        {perRecord &&
          holding.map((way) => {
            const path = `${way.path}.${way.files[0]}`;
            return (
              <Form.Check
                key={path}
                id={`attached-${way.path}`}
                label={tr("its {{way}} themselves, in one archive, with a column that names their folder", {
                  way: way.plural,
                })}
                checked={output.attachments?.path === path}
                onChange={(e) =>
                  set({
                    attachments: e.target.checked
                      ? { path, folder: way.plural.replace(/[^A-Za-z0-9]+/g, "-"), heading: way.label }
                      : undefined,
                  })
                }
              />
            );
          })}
        {!perRecord && (
          <p className="soft small mb-0">
            {tr(
              "Files of children and attachments go along where each row stands for one record, and all of them go out.",
            )}
          </p>
        )}
        <Form.Check
          id="archive"
          label={tr("also as one zip")}
          checked={(output.archive ?? false) || output.attachments != null}
          disabled={output.attachments != null}
          onChange={(e) => set({ archive: e.target.checked || undefined })}
        />
        {wrong.map((p) => (
          <div key={p.message} className="field-trouble" role="alert">
            {p.message}
          </div>
        ))}
      </fieldset>
      <label className="d-block">
        {tr("Files are kept")}{" "}
        <NumberInput
          size="sm"
          className="mono d-inline-block"
          style={{ width: 76 }}
          placeholder="90"
          value={output.keep_days ? String(output.keep_days) : ""}
          onNumber={(days) => set({ keep_days: Number(days) > 0 ? Math.round(Number(days)) : undefined })}
        />{" "}
        {tr("days; the slip for good")}
      </label>
    </>
  );
}
