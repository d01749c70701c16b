import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Button, Dropdown } from "react-bootstrap";
import { Link, useNavigate } from "react-router";
import { answer, api } from "../api";
import type { BundleInfo } from "../api";
import { BundlePurpose } from "../runs/BundlePurpose";
import { useStartRun } from "../runs";
import { Confirm, FormDialog, Icon, shortMoment } from "../shared";
import { useMay } from "../shell";
import { BundleDialog } from "./BundleDialog";

/** The bundles of the library: several templates and whole record types under one name. */
export function Bundles({ search }: { search: string }) {
  const bundles = useQuery({
    queryKey: ["bundles"],
    queryFn: () => answer(api.GET("/api/v1/bundles")),
  });
  const words = search.toLowerCase().split(/\s+/);
  const shown = (bundles.data ?? []).filter((b) =>
    words.every((w) => `${b.name} ${b.sentence} ${b.owner}`.toLowerCase().includes(w)),
  );
  if (shown.length === 0) return null;
  return (
    <section className="mt-4" aria-label="Bundles">
      <h2 className="h6">Bundles</h2>
      <table className="board" style={{ tableLayout: "fixed" }}>
        <thead>
          <tr>
            <th>Bundle</th>
            <th style={{ width: 170 }}>In rounds</th>
            <th style={{ width: 150 }}>Changed</th>
            <th style={{ width: 150 }}>
              <span className="visually-hidden">Actions</span>
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
      <td className="soft">{bundle.used_by.join(", ") || "none"}</td>
      <td>
        {shortMoment(bundle.changed_at)}
        <div className="soft small">
          version {bundle.version}, {bundle.owner}
        </div>
      </td>
      <td className="text-end text-nowrap">
        {mayRun && (
          <Button variant="quiet" onClick={() => setDialog("run")} aria-label={`Run ${bundle.name}`}>
            <Icon name="play" /> Run…
          </Button>
        )}
        <Dropdown align="end" className="d-inline-block">
          <Dropdown.Toggle variant="link" bsPrefix="btn" aria-label={`More for ${bundle.name}`}>
            ⋮
          </Dropdown.Toggle>
          <Dropdown.Menu>
            <Dropdown.Item as={Link} to={`/runs?template=${bundle.id}`}>
              Its runs
            </Dropdown.Item>
            {mayDesign && (
              <>
                <Dropdown.Item as={Link} to={`/rounds?new=${bundle.id}`}>
                  Set a round…
                </Dropdown.Item>
                <Dropdown.Item as="button" onClick={() => setDialog("change")}>
                  Change…
                </Dropdown.Item>
                <Dropdown.Item as="button" onClick={() => setDialog("remove")}>
                  Remove…
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
      title={`Run ${bundle.name}`}
      act="Run"
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
      title="Remove this bundle?"
      act="Remove"
      busy={remove.isPending}
      error={remove.error}
      onAct={() => remove.mutate()}
      onClose={onClose}
    >
      “{bundle.name}” goes; its templates and past runs stay. It can be brought back.
    </Confirm>
  );
}
