import { useQuery } from "@tanstack/react-query";
import { Modal } from "react-bootstrap";
import { useNavigate } from "react-router";
import { recordsAt, resources } from "../api";
import { useGuide } from "../guide";
import { PickList, capital } from "../shared";
import { useMay } from "./context";
import { tr } from "../i18n";

interface Target {
  key: string;
  label: string;
  note: string;
  to: string;
}

const PLACES: Target[] = [
  { key: "p1", label: tr("Templates"), note: tr("place"), to: "/templates" },
  { key: "p2", label: tr("Runs"), note: tr("place"), to: "/runs" },
  { key: "p3", label: tr("Rounds"), note: tr("place"), to: "/rounds" },
  { key: "p3b", label: tr("Recipients"), note: tr("place"), to: "/recipients" },
  { key: "p4", label: tr("Records"), note: tr("place"), to: "/records" },
  { key: "p5", label: tr("Start from a header row"), note: tr("place"), to: "/templates/match" },
];

const SHOWN = 10;

/** Type a few letters, press Enter, be there. */
export function Jump({ onClose }: { onClose: () => void }) {
  const go = useNavigate();
  const mayDesign = useMay("design");
  const guide = useGuide().pages;
  const templates = useQuery(resources.templates());
  const types = useQuery(resources.recordTypes());
  const find = (text: string): Target[] => {
    const words = text.toLowerCase().split(/\s+/).filter(Boolean);
    const run = /^#?(\d+)$/.exec(text.trim());
    const all: Target[] = [
      ...(templates.data ?? []).map((t) => ({
        key: `t${t.id}`,
        label: t.name,
        note: tr("template"),
        to: `/templates/${t.id}`,
      })),
      ...PLACES,
      ...(types.data ?? []).map((t) => ({
        key: `r${t.name}`,
        label: capital(t.plural),
        note: tr("records"),
        to: recordsAt(t.name),
      })),
    ];
    for (const page of guide)
      for (const section of [{ title: page.title, anchor: "" }, ...page.sections])
        all.push({
          key: `g${page.name} ${section.anchor}`,
          label: section.title,
          note: section.anchor ? tr("guide: {{page}}", { page: page.title }) : tr("guide"),
          to: `/guide/${page.name}${section.anchor ? `#${section.anchor}` : ""}`,
        });
    const hits = all.filter((t) => words.every((w) => t.label.toLowerCase().includes(w)));
    if (run)
      hits.unshift({
        key: "run",
        label: tr("Run {{run}}", { run: run[1] }),
        note: tr("run"),
        to: `/runs/${run[1]}`,
      });
    const shown = hits.slice(0, SHOWN);
    if (mayDesign && words.length > 1)
      shown.push({
        key: "asked",
        label: tr("New template: {{text}}", { text: text.trim() }),
        note: tr("what you were asked for"),
        to: `/templates?asked=${encodeURIComponent(text.trim())}`,
      });
    return shown;
  };
  return (
    <Modal show onHide={onClose} aria-label={tr("Jump to anything")}>
      <Modal.Body>
        <PickList
          label={tr("Template, place, number of a run, or what you were asked for")}
          placeholder={tr("Template, place, number of a run, or what you were asked for")}
          find={find}
          none={tr("No matches")}
          onPick={(target) => {
            onClose();
            void go(target.to);
          }}
        />
      </Modal.Body>
    </Modal>
  );
}
