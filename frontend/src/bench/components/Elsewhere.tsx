import { Button, Dropdown } from "react-bootstrap";
import { Icon } from "../../shared";
import { useShell } from "../../shell";
import { useTried } from "../../document/tried";
import { tr } from "../../i18n";

interface Props {
  /** The template's own source. */
  own: string;
}

/** Look at a template on another source of the same shape: practice before live, or the other way round. */
export function Elsewhere({ own }: Props) {
  const { elsewhere, tryOn } = useTried();
  const { sources } = useShell().session;
  const others = sources.filter((s) => s.key !== own);
  const there = others.find((s) => s.key === elsewhere);
  if (!there)
    return others.length === 0 ? null : (
      <div className="elsewhere">
        <Dropdown>
          <Dropdown.Toggle variant="quiet" size="sm">
            {tr("Try it on another source")}
          </Dropdown.Toggle>
          <Dropdown.Menu>
            {others.map((s) => (
              <Dropdown.Item key={s.key} as="button" onClick={() => tryOn(s.key)}>
                {s.title}{" "}
                <span className="soft">{tr("{{environment}} data", { environment: s.environment })}</span>
              </Dropdown.Item>
            ))}
          </Dropdown.Menu>
        </Dropdown>
      </div>
    );
  return (
    <div className={`banner ${there.environment === "practice" ? "practice" : ""}`} role="status">
      <Icon name={there.environment === "practice" ? "cone" : "eye"} />{" "}
      {tr("Tried on {{there}}, {{environment}} data. A run reads {{title}}.", {
        there: there.title,
        environment: there.environment,
        title: sources.find((s) => s.key === own)?.title ?? tr("its own source"),
      })}
      <Button variant="quiet" size="sm" onClick={() => tryOn(null)}>
        {tr("Back to its own")}
      </Button>
    </div>
  );
}
