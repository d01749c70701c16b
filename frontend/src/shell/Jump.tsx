import { useQuery } from "@tanstack/react-query";
import { Modal } from "react-bootstrap";
import { useNavigate } from "react-router";
import { answer, api } from "../api";
import { useGuide } from "../guide";
import { PickList, capital } from "../shared";
import { useMay } from "./context";

interface Target {
  key: string;
  label: string;
  note: string;
  to: string;
}

const PLACES: Target[] = [
  { key: "p1", label: "Templates", note: "place", to: "/templates" },
  { key: "p2", label: "Runs", note: "place", to: "/runs" },
  { key: "p3", label: "Rounds", note: "place", to: "/rounds" },
  { key: "p3b", label: "Recipients", note: "place", to: "/recipients" },
  { key: "p4", label: "Records", note: "place", to: "/records" },
  { key: "p5", label: "Start from a header row", note: "place", to: "/templates/match" },
];

const SHOWN = 10;

/** Type a few letters, press Enter, be there. */
export function Jump({ onClose }: { onClose: () => void }) {
  const go = useNavigate();
  const mayDesign = useMay("design");
  const guide = useGuide().pages;
  const templates = useQuery({
    queryKey: ["templates"],
    queryFn: () => answer(api.GET("/api/v1/templates")),
  });
  const types = useQuery({
    queryKey: ["record-types"],
    queryFn: () => answer(api.GET("/api/v1/record-types")),
  });
  const find = (text: string): Target[] => {
    const words = text.toLowerCase().split(/\s+/).filter(Boolean);
    const run = /^#?(\d+)$/.exec(text.trim());
    const all: Target[] = [
      ...(templates.data ?? []).map((t) => ({
        key: `t${t.id}`,
        label: t.name,
        note: "template",
        to: `/templates/${t.id}`,
      })),
      ...PLACES,
      ...(types.data ?? []).map((t) => ({
        key: `r${t.name}`,
        label: capital(t.plural),
        note: "records",
        to: `/records/${t.name}`,
      })),
    ];
    for (const page of guide)
      for (const section of [{ title: page.title, anchor: "" }, ...page.sections])
        all.push({
          key: `g${page.name} ${section.anchor}`,
          label: section.title,
          note: section.anchor ? `guide: ${page.title}` : "guide",
          to: `/guide/${page.name}${section.anchor ? `#${section.anchor}` : ""}`,
        });
    const hits = all.filter((t) => words.every((w) => t.label.toLowerCase().includes(w)));
    if (run) hits.unshift({ key: "run", label: `Run ${run[1]}`, note: "run", to: `/runs/${run[1]}` });
    const shown = hits.slice(0, SHOWN);
    if (mayDesign && words.length > 1)
      shown.push({
        key: "asked",
        label: `New template: ${text.trim()}`,
        note: "what you were asked for",
        to: `/templates?asked=${encodeURIComponent(text.trim())}`,
      });
    return shown;
  };
  return (
    <Modal show onHide={onClose} aria-label="Jump to anything">
      <Modal.Body>
        <PickList
          label="Template, place, number of a run, or what you were asked for"
          placeholder="Template, place, number of a run, or what you were asked for"
          find={find}
          none="No matches"
          onPick={(target) => {
            onClose();
            void go(target.to);
          }}
        />
      </Modal.Body>
    </Modal>
  );
}
