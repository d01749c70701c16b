import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Modal } from "react-bootstrap";
import { useNavigate } from "react-router";
import { answer, api } from "../api";
import { Icon } from "../shared";

interface Target {
  key: string;
  label: string;
  what: string;
  to: string;
}

const PLACES: Target[] = [
  { key: "p1", label: "Templates", what: "place", to: "/templates" },
  { key: "p2", label: "Runs", what: "place", to: "/runs" },
  { key: "p3", label: "Rounds", what: "place", to: "/rounds" },
];

const SHOWN = 10;

/** Type a few letters, press Enter, be there. */
export function Jump({ onClose }: { onClose: () => void }) {
  const go = useNavigate();
  const [text, setText] = useState("");
  const [at, setAt] = useState(0);
  const templates = useQuery({
    queryKey: ["templates"],
    queryFn: () => answer(api.GET("/api/v1/templates")),
  });
  const found = useMemo(() => {
    const words = text.toLowerCase().split(/\s+/).filter(Boolean);
    const run = /^#?(\d+)$/.exec(text.trim());
    const all: Target[] = [
      ...(templates.data ?? []).map((t) => ({
        key: `t${t.id}`,
        label: t.name,
        what: "template",
        to: `/templates/${t.id}`,
      })),
      ...PLACES,
    ];
    const hits = all.filter((t) => words.every((w) => t.label.toLowerCase().includes(w)));
    if (run) hits.unshift({ key: "run", label: `Run ${run[1]}`, what: "run", to: `/runs/${run[1]}` });
    return hits.slice(0, SHOWN);
  }, [templates.data, text]);

  const leave = (target?: Target) => {
    onClose();
    if (target) void go(target.to);
  };

  return (
    <Modal show onHide={onClose} aria-label="Jump to anything">
      <Modal.Body>
        <div className="search mb-2">
          <Icon name="search" />
          <input
            autoFocus
            aria-label="Template, place or number of a run"
            placeholder="Template, place or number of a run"
            value={text}
            onChange={(e) => {
              setText(e.target.value);
              setAt(0);
            }}
            onKeyDown={(e) => {
              if (e.key === "ArrowDown") setAt((n) => Math.min(n + 1, found.length - 1));
              else if (e.key === "ArrowUp") setAt((n) => Math.max(n - 1, 0));
              else if (e.key === "Enter") leave(found[at]);
              else return;
              e.preventDefault();
            }}
          />
        </div>
        {found.map((t, n) => (
          <button
            key={t.key}
            type="button"
            className="option"
            aria-pressed={n === at}
            onClick={() => leave(t)}
          >
            {t.label} <span>{t.what}</span>
          </button>
        ))}
        {found.length === 0 && <div className="soft px-2">Nothing here is called that.</div>}
      </Modal.Body>
    </Modal>
  );
}
