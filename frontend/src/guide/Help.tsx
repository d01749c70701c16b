import { Suspense, lazy, useEffect, useRef, useState } from "react";
import type { Ref } from "react";
import { createPortal } from "react-dom";
import { Link } from "react-router";
import { Icon } from "../shared/Icon";
import { briefOf } from "./pages";
import { useGuide } from "./useGuide";
import { tr } from "../i18n";

const Markdown = lazy(() => import("react-markdown"));

/** Pixels of the card, to keep it on the screen. */
const WIDE = 300;
const HIGH = 240;

/** Where the card stands: in its place, or, in an editor that scrolls, on top of this editor. */
interface Place {
  look: string;
  host: Element | null;
  style?: { left: number; top: number };
}

/** What stands behind a `?`: a section of the guide, as `page#section`, in its first paragraph and its example. */
export function Help({ topic }: { topic: string }) {
  const [open, setOpen] = useState<Place | null>(null);
  const button = useRef<HTMLSpanElement>(null);
  const card = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    if (open === null) return;
    const onDown = (event: PointerEvent) => {
      const target = event.target as Node;
      if (!button.current?.contains(target) && !card.current?.contains(target)) setOpen(null);
    };
    const onKey = (event: KeyboardEvent) => {
      if (event.key !== "Escape") return;
      // It closes the help alone, not the editor that it stands in, which waits for the key to be let go.
      event.stopPropagation();
      if (event.type === "keyup") setOpen(null);
    };
    document.addEventListener("pointerdown", onDown);
    document.addEventListener("keydown", onKey, true);
    document.addEventListener("keyup", onKey, true);
    return () => {
      document.removeEventListener("pointerdown", onDown);
      document.removeEventListener("keydown", onKey, true);
      document.removeEventListener("keyup", onKey, true);
    };
  }, [open]);
  const toggle = () => setOpen(open === null ? placeOf(button.current!) : null);
  const shown = open && <Card ref={card} topic={topic} place={open} />;
  return (
    <span className="help-place" ref={button}>
      <button
        type="button"
        className="help"
        aria-label={tr("Help")}
        aria-expanded={open !== null}
        onClick={(event) => {
          event.preventDefault();
          toggle();
        }}
      >
        <Icon name="question" />
      </button>
      {open?.host ? createPortal(shown, open.host) : shown}
    </span>
  );
}

function placeOf(button: Element): Place {
  const at = button.getBoundingClientRect();
  const host = button.closest(".popover");
  if (host) {
    const around = host.getBoundingClientRect();
    return { look: "", host, style: { left: around.width - WIDE, top: at.bottom - around.top } };
  }
  const side = at.left + WIDE > window.innerWidth ? "to-left" : "";
  const above = at.bottom + HIGH > window.innerHeight && at.top > HIGH ? "above" : "";
  return { look: `${side} ${above}`, host: null };
}

function Card({ topic, place, ref }: { topic: string; place: Place; ref: Ref<HTMLSpanElement> }) {
  const [name = "", anchor = ""] = topic.split("#");
  const page = useGuide().pages.find((p) => p.name === name);
  const section = page?.sections.find((s) => s.anchor === anchor);
  const brief = section && briefOf(section);
  return (
    <span className={`help-card ${place.look}`} style={place.style} role="note" ref={ref}>
      {page && section && brief && (
        <Suspense fallback={brief.text}>
          <b>{section.title}</b>
          <Markdown>{brief.text}</Markdown>
          {brief.example && (
            <span className="help-example d-block">
              <Markdown>{brief.example}</Markdown>
            </span>
          )}
          <Link to={`/guide/${name}#${anchor}`}>{tr("In the guide: {{page}}", { page: page.title })}</Link>
        </Suspense>
      )}
    </span>
  );
}
