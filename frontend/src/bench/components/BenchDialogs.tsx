import { useQueryClient } from "@tanstack/react-query";
import { AskedDialog } from "../../asked";
import { RunDialog } from "../../runs";
import type { BenchState } from "../hooks/useBench";
import { AboutDialog } from "./AboutDialog";
import { ExamplesDialog, KeysDialog, SaveAsNewDialog, SaveDialog } from "./dialogs";

/** The dialogs of the bench, one at a time. */
export function BenchDialogs({ bench }: { bench: BenchState }) {
  const client = useQueryClient();
  const {
    loaded,
    dispatch,
    document,
    template,
    setTemplate,
    flush,
    dialog,
    setDialog,
    examples,
    setExamples,
    start,
    backToSaved,
  } = bench;
  return (
    <>
      {dialog === "save" && (
        <SaveDialog
          template={template}
          flush={flush}
          onClose={() => setDialog(null)}
          onSaved={(saved) => {
            setTemplate(saved);
            void client.invalidateQueries({ queryKey: ["templates"] });
          }}
          onSaveAsNew={() => setDialog("new")}
        />
      )}
      {dialog === "new" && (
        <SaveAsNewDialog
          document={document}
          template={template}
          onClose={() => setDialog(null)}
          onMade={(made) => void backToSaved(made)}
        />
      )}
      {dialog === "run" && (
        <RunDialog
          templateId={loaded.id}
          use="draft"
          onClose={() => setDialog(null)}
          onRun={(answers, purpose) => {
            setDialog(null);
            start.mutate({ template_id: loaded.id, use: "draft", answers, purpose });
          }}
        />
      )}
      {examples && (
        <ExamplesDialog
          examples={examples}
          onClose={() => setExamples(null)}
          onTake={(show) => {
            dispatch({ type: "setShow", id: examples.column, show });
            setExamples(null);
          }}
        />
      )}
      {dialog === "ask" && (
        <AskedDialog
          document={document}
          onClose={() => setDialog(null)}
          onTake={(next) => {
            setDialog(null);
            dispatch({ type: "edit", document: next });
          }}
        />
      )}
      {dialog === "about" && (
        <AboutDialog
          document={document}
          onClose={() => setDialog(null)}
          onDone={(change) => {
            setDialog(null);
            dispatch({ type: "edit", document: { ...document, ...change } });
          }}
        />
      )}
      {dialog === "keys" && <KeysDialog onClose={() => setDialog(null)} />}
    </>
  );
}
