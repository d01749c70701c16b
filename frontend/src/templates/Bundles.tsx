import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Dropdown } from "react-bootstrap";
import { Link, useNavigate } from "react-router";
import { answer, api, resources } from "../api";
import type { BundleInfo } from "../api";
import { BundlePurpose } from "../runs/BundlePurpose";
import { useStartRun } from "../runs";
import { Confirm, FormDialog, Icon, shortMoment } from "../shared";
import { useMay } from "../shell";
import { BundleDialog } from "./BundleDialog";
import { tr } from "../i18n";

/** The bundles of the library: several templates and whole record types under one name. */
export function Bundles({ search }: { search: string }) {
  const bundles = useQuery(resources.bundles());
  const words = search.toLowerCase().split(/\s+/);
  const shown = (bundles.data ?? []).filter((b) =>
    words.every((w) => `${b.name} ${b.sentence} ${b.owner}`.toLowerCase().includes(w)),
  );
  if (shown.length === 0) return null;
  return (
    <section className="mt-4" aria-label={tr("Bundles")}>
      <h2 className="h6">{tr("Bundles")}</h2>
      <table className="board" style={{ tableLayout: "fixed" }}>
        <thead>
          <tr>
            <th>{tr("Bundle")}</th>
            <th style={{ width: 170 }}>{tr("In rounds")}</th>
            <th style={{ width: 150 }}>{tr("Changed")}</th>
            <th style={{ width: "11rem" }}>
              <span className="visually-hidden">{tr("Actions")}</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {shown.map((bundle) => (
            <Row key={bundle.id} bundle={bundle} />
          ))}
        </tbody>
      </table>
    </section>
  );
}

function Row({ bundle }: { bundle: BundleInfo }) {
  const mayRun = useMay("run");
  const mayDesign = useMay("design");
  const [dialog, setDialog] = useState<"run" | "change" | "remove" | null>(null);
  const close = () => setDialog(null);
  return (
    <tr>
      <td>
        <div className="name one-line">{bundle.name}</div>
        <div className="soft one-line" title={bundle.sentence}>
          {bundle.sentence}
        </div>
      </td>
      <td className="soft">{bundle.used_by.join(", ") || tr("none")}</td>
      <td>
        {shortMoment(bundle.changed_at)}
        <div className="soft small">
          {tr("version {{version}}, {{owner}}", { version: bundle.version, owner: bundle.owner })}
        </div>
      </td>
      <td className="text-end text-nowrap">
        {mayRun && (
          <Button
            variant="quiet"
            onClick={() => setDialog("run")}
            aria-label={tr("Run {{bundle}}", { bundle: bundle.name })}
          >
            <Icon name="play" /> {tr("Run…")}
          </Button>
        )}
        <Dropdown align="end" className="d-inline-block">
          <Dropdown.Toggle
            variant="link"
            bsPrefix="btn"
            aria-label={tr("More for {{bundle}}", { bundle: bundle.name })}
          >
            ⋮
          </Dropdown.Toggle>
          <Dropdown.Menu>
            <Dropdown.Item as={Link} to={`/runs?template=${bundle.id}`}>
              {tr("Its runs")}
            </Dropdown.Item>
            {mayDesign && (
              <>
                <Dropdown.Item as={Link} to={`/rounds?new=${bundle.id}`}>
                  {tr("Set a round…")}
                </Dropdown.Item>
                <Dropdown.Item as="button" onClick={() => setDialog("change")}>
                  {tr("Change…")}
                </Dropdown.Item>
                <Dropdown.Item as="button" onClick={() => setDialog("remove")}>
                  {tr("Remove…")}
                </Dropdown.Item>
              </>
            )}
          </Dropdown.Menu>
        </Dropdown>
        {dialog === "run" && <RunBundle bundle={bundle} onClose={close} />}
        {dialog === "change" && <BundleDialog bundle={bundle} onClose={close} />}
        {dialog === "remove" && <RemoveBundle bundle={bundle} onClose={close} />}
      </td>
    </tr>
  );
}

interface DialogProps {
  bundle: BundleInfo;
  onClose: () => void;
}

function RunBundle({ bundle, onClose }: DialogProps) {
  const go = useNavigate();
  const start = useStartRun();
  const [purpose, setPurpose] = useState("");
  return (
    <FormDialog
      title={tr("Run {{bundle}}", { bundle: bundle.name })}
      act={tr("Run")}
      busy={start.isPending}
      error={start.error}
      onClose={onClose}
      onAct={() =>
        start.mutate(
          { use: "saved", bundle_id: bundle.id, purpose: purpose.trim() },
          { onSuccess: (run) => void go(`/runs/${run.id}`) },
        )
      }
    >
      <p className="mb-1">{bundle.sentence}</p>
      <BundlePurpose purpose={purpose} onPurpose={setPurpose} />
    </FormDialog>
  );
}

function RemoveBundle({ bundle, onClose }: DialogProps) {
  const client = useQueryClient();
  const remove = useMutation({
    mutationFn: () =>
      answer(api.DELETE("/api/v1/bundles/{bundle_id}", { params: { path: { bundle_id: bundle.id } } })),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["bundles"] });
      onClose();
    },
  });
  return (
    <Confirm
      title={tr("Remove this bundle?")}
      act={tr("Remove")}
      busy={remove.isPending}
      error={remove.error}
      onAct={() => remove.mutate()}
      onClose={onClose}
    >
      {tr("“{{bundle}}” goes; its templates and past runs stay. It can be brought back.", {
        bundle: bundle.name,
      })}
    </Confirm>
  );
}
