import { useMutation, useQueries, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-bootstrap";
import { useNavigate } from "react-router";
import { answer, api, resources } from "../api";
import type { BundleContents, BundleInfo } from "../api";
import { FormDialog, capital, useFormats } from "../shared";
import { useCurrentSource } from "../shell";
import { AnswerForm, withDefaults } from "./AnswerForm";
import type { Answers } from "./AnswerForm";
import { BundlePurpose } from "./BundlePurpose";
import { useStartRun } from "./useStartRun";
import { tr } from "../i18n";

interface Props {
  /** The bundle that is changed; a new one where there is none. */
  bundle?: BundleInfo;
  /** Whether a new one is to be kept in the library. */
  keeping?: boolean;
  onClose: () => void;
}

const NOTHING: BundleContents = {
  format: "bouquet-bundle-contents/1",
  name: tr("Hand-over"),
  templates: [],
  records: [],
  everything: false,
  attachments: false,
};

/** Several templates and whole record types at one moment, in one archive with one slip; kept, or only run. */
export function BundleDialog({ bundle, keeping = false, onClose }: Props) {
  const go = useNavigate();
  const client = useQueryClient();
  const start = useStartRun();
  const here = useCurrentSource()?.key;
  const source = bundle?.source ?? here;
  const formats = useFormats();
  const [contents, setContents] = useState<BundleContents>({ ...NOTHING, ...bundle?.contents });
  const [kept, setKept] = useState(keeping || bundle !== undefined);
  const [purpose, setPurpose] = useState("");
  const change = (part: Partial<BundleContents>) => setContents((known) => ({ ...known, ...part }));
  const keep = useMutation({
    mutationFn: () => {
      const standing = bundle?.standing === "own" ? ("own" as const) : ("shared" as const);
      const body = { contents, standing, note: "", revision: bundle?.revision ?? null };
      return bundle
        ? answer(api.PUT("/api/v1/bundles/{bundle_id}", { params: { path: { bundle_id: bundle.id } }, body }))
        : answer(api.POST("/api/v1/bundles", { body }));
    },
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["bundles"] });
      onClose();
      void go("/templates");
    },
  });
  const run = () =>
    start.mutate(
      { use: "saved", purpose: purpose.trim(), bundle: contents },
      { onSuccess: (made) => void go(`/runs/${made.id}`) },
    );
  const some = contents.everything || (contents.templates?.length ?? 0) + (contents.records?.length ?? 0) > 0;
  return (
    <FormDialog
      title={bundle ? tr("Change this bundle") : tr("Several in one")}
      act={kept ? (bundle ? tr("Save") : tr("Keep in the library")) : tr("Run them")}
      ready={some && contents.name.trim() !== ""}
      busy={start.isPending || keep.isPending}
      error={start.error ?? keep.error}
      onClose={onClose}
      onAct={() => (kept ? keep.mutate() : run())}
    >
      <p className="soft mb-1">
        {tr(
          "Everything is read at one moment, and comes as one archive with one slip: for a yearly hand-over, or as a copy of all there is.",
        )}
      </p>
      <Form.Group controlId="bundle-name">
        <Form.Label>{tr("Name")}</Form.Label>
        <Form.Control
          value={contents.name}
          maxLength={120}
          onChange={(e) => change({ name: e.target.value })}
        />
      </Form.Group>
      <BundleTemplates contents={contents} source={source} onChange={change} />
      <BundleRecords contents={contents} source={source} onChange={change} />
      <div className="pair">
        <Form.Group controlId="bundle-format">
          <Form.Label>{tr("As")}</Form.Label>
          <Form.Select
            value={contents.file_format ?? ""}
            onChange={(e) =>
              change({ file_format: (e.target.value || null) as BundleContents["file_format"] })
            }
          >
            <option value="">{tr("each as it is set")}</option>
            {formats.map((f) => (
              <option key={f.name} value={f.name}>
                {f.label}
              </option>
            ))}
          </Form.Select>
        </Form.Group>
        {!kept && <BundlePurpose purpose={purpose} onPurpose={setPurpose} />}
      </div>
      {!bundle && (
        <Form.Check
          id="bundle-kept"
          label={tr("keep it in the library, to be run again and by rounds")}
          checked={kept}
          onChange={(e) => setKept(e.target.checked)}
        />
      )}
    </FormDialog>
  );
}

interface PartProps {
  contents: BundleContents;
  /** The one source that it reads. */
  source: string | undefined;
  onChange: (part: Partial<BundleContents>) => void;
}

/** The templates of a bundle, with answers to what they ask. */
function BundleTemplates({ contents, source, onChange }: PartProps) {
  const templates = useQuery(resources.templates());
  const chosen = contents.templates ?? [];
  const offered = templates.data?.filter(
    (t) => t.source === source || chosen.some((c) => c.template === t.id),
  );
  const asking = chosen.filter((c) => templates.data?.find((t) => t.id === c.template)?.asks);
  const questions = useQueries({
    queries: asking.map(({ template }) => ({
      queryKey: ["questions", template],
      queryFn: () =>
        answer(
          api.GET("/api/v1/templates/{template_id}/questions", {
            params: { path: { template_id: template } },
          }),
        ),
    })),
  });
  const toggle = (id: number, on: boolean) =>
    onChange({
      templates: on ? [...chosen, { template: id, answers: {} }] : chosen.filter((c) => c.template !== id),
    });
  const put = (id: number, answers: Answers) =>
    onChange({ templates: chosen.map((c) => (c.template === id ? { ...c, answers } : c)) });
  return (
    <>
      <fieldset>
        <legend className="form-label">{tr("Templates")}</legend>
        <div className="tick-list">
          {offered?.map((t) => (
            <Form.Check
              key={t.id}
              id={`bundle-template-${t.id}`}
              label={t.name}
              checked={chosen.some((c) => c.template === t.id)}
              onChange={(e) => toggle(t.id, e.target.checked)}
            />
          ))}
        </div>
      </fieldset>
      {questions.map(({ data }, n) =>
        data ? (
          <fieldset key={data.id} className="slab">
            <legend className="form-label">{tr("{{name}} asks", { name: data.name })}</legend>
            <AnswerForm
              questions={data.asks}
              answers={withDefaults(data.asks, asking[n]!.answers ?? {})}
              zone={data.document.zone ?? "UTC"}
              onAnswers={(answers) => put(data.id, answers)}
            />
          </fieldset>
        ) : null,
      )}
    </>
  );
}

/** The whole record types of a bundle, with the files that are kept in them. */
function BundleRecords({ contents, source, onChange }: PartProps) {
  const types = useQuery(resources.recordTypes(source));
  const { records = [], everything } = contents;
  return (
    <fieldset>
      <legend className="form-label">{tr("Whole record types, with all their fields")}</legend>
      <Form.Check
        id="bundle-everything"
        className="fw-bold"
        label={tr("all of them")}
        checked={everything}
        onChange={(e) => onChange({ everything: e.target.checked })}
      />
      {!everything && (
        <div className="tick-list">
          {types.data?.map((t) => (
            <Form.Check
              key={t.name}
              id={`bundle-records-${t.name}`}
              label={capital(t.plural)}
              checked={records.includes(t.name)}
              onChange={(e) =>
                onChange({
                  records: e.target.checked ? [...records, t.name] : records.filter((r) => r !== t.name),
                })
              }
            />
          ))}
        </div>
      )}
      {(everything || records.length > 0) && (
        <Form.Check
          id="bundle-attachments"
          label={tr("with every file that is kept in their records")}
          checked={contents.attachments}
          onChange={(e) => onChange({ attachments: e.target.checked })}
        />
      )}
    </fieldset>
  );
}
