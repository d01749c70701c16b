import { ICONS } from "./icons";
import type { IconName } from "./icons";

const BODIES = Object.fromEntries(
  Object.entries(ICONS).map(([name, svg]) => [
    name,
    {
      viewBox: /viewBox="([^"]+)"/.exec(svg)?.[1] ?? "0 0 16 16",
      inner: svg.replace(/^[^>]*>|<\/svg>\s*$/g, ""),
    },
  ]),
);

/** A decorative icon; give `label` when it stands without a word. */
export function Icon({ name, label }: { name: IconName; label?: string }) {
  const body = BODIES[name]!;
  return (
    <svg
      className="icon"
      viewBox={body.viewBox}
      role={label ? "img" : undefined}
      aria-label={label}
      aria-hidden={label ? undefined : true}
      dangerouslySetInnerHTML={{ __html: body.inner }}
    />
  );
}
