import { useQueryClient } from "@tanstack/react-query";
import { Dropdown, Form } from "react-bootstrap";
import { useLocation, useNavigate } from "react-router";
import { turnTo } from "../api";
import { Icon } from "../shared";
import { useCurrentSource, useShell } from "./context";
import { isOfASource } from "./useAddressedSource";
import { tr } from "../i18n";

/** That what is looked at are practice data: on every page, so that nobody takes them for live ones. */
export function PracticeMark() {
  const current = useCurrentSource();
  if (current?.environment !== "practice") return null;
  return (
    <span className="tag practice" title={tr("{{current}} holds practice data", { current: current.title })}>
      <Icon name="cone" /> {tr("practice data")}
    </span>
  );
}

/** Whose records something holds, after what else is said of it. One source needs no mention. */
export function OfSource({ source }: { source: string }) {
  const { sources } = useShell().session;
  const title = sources.length > 1 ? sources.find((s) => s.key === source)?.title : undefined;
  return title && <> · {title}</>;
}

/** One of several sources. One source needs no choice. */
export function SourceChoice({
  id,
  className,
  value,
  onChange,
}: {
  id: string;
  className?: string;
  value: string | undefined;
  onChange: (key: string) => void;
}) {
  const { sources } = useShell().session;
  if (sources.length < 2) return null;
  return (
    <Form.Group controlId={id} className={className}>
      <Form.Label>{tr("Source")}</Form.Label>
      <Form.Select value={value} onChange={(e) => onChange(e.target.value)}>
        {sources.map((s) => (
          <option key={s.key} value={s.key}>
            {s.title}
            {s.environment === "practice" ? tr(" (practice)") : ""}
          </option>
        ))}
      </Form.Select>
    </Form.Group>
  );
}

/** Which of several sources this tab is about. One source needs no mention. */
export function SourceSwitch() {
  const { session } = useShell();
  const current = useCurrentSource();
  const client = useQueryClient();
  const go = useNavigate();
  const { pathname } = useLocation();
  if (session.sources.length < 2) return null;
  return (
    <Dropdown>
      <Dropdown.Toggle
        variant="link"
        bsPrefix="btn"
        className="source-switch dropdown-toggle"
        aria-label={tr("Source")}
      >
        {current?.title}
      </Dropdown.Toggle>
      <Dropdown.Menu>
        {session.sources.map((source) => (
          <Dropdown.Item
            key={source.key}
            as="button"
            active={source.key === current?.key}
            onClick={() => {
              // A record or a template is of one source; what is of each stays where it is.
              const place = pathname.startsWith("/records") ? "/records" : pathname;
              if (isOfASource(place)) void go(`${place}?source=${encodeURIComponent(source.key)}`);
              else {
                turnTo(client, source.key);
                if (!place.startsWith("/set-up")) void go("/templates");
              }
            }}
          >
            {source.title}{" "}
            {source.environment === "practice" && <span className="soft">{tr("practice")}</span>}
          </Dropdown.Item>
        ))}
      </Dropdown.Menu>
    </Dropdown>
  );
}
