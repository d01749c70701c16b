import { Button } from "react-bootstrap";
import type { TemplateInfo } from "../../api";
import { Icon, shortMoment } from "../../shared";
import type { Keeping } from "../hooks/useDraft";
import { tr } from "../../i18n";

/** How the draft stands, behind the number of the version. */
export function keptWords(keeping: Keeping, template: TemplateInfo): string {
  switch (keeping.state) {
    case "sending":
      return tr(" · keeping your changes…");
    case "away":
      return tr(" · not kept yet");
    case "refused":
    case "overtaken":
      return tr(" · draft not kept");
    case "kept":
      return template.changed
        ? tr(" · draft kept")
        : template.saved_at
          ? tr(" · saved {{saved_at}}", { saved_at: shortMoment(template.saved_at) })
          : "";
  }
}

/** What keeps a draft from being kept, and the ways out. */
export function KeepingBanner({
  keeping,
  onOverwrite,
  onTheirs,
  onBoth,
}: {
  keeping: Keeping;
  onOverwrite: () => void;
  onTheirs: () => void;
  onBoth: () => void;
}) {
  if (keeping.state === "kept" || keeping.state === "sending") return null;
  return (
    <div className="banner" role="alert">
      <Icon name="exclamation" /> {keeping.problem.detail}
      {keeping.state === "refused" && keeping.problem.errors?.map((e) => <b key={e.place}>{e.message}</b>)}
      {keeping.state === "overtaken" && (
        <>
          <Button variant="quiet" size="sm" onClick={onTheirs}>
            {tr("Look at theirs")}
          </Button>
          <Button variant="quiet" size="sm" onClick={onOverwrite}>
            {tr("Keep mine instead")}
          </Button>
          <Button variant="quiet" size="sm" onClick={onBoth}>
            {tr("Keep both: mine as a copy")}
          </Button>
        </>
      )}
    </div>
  );
}
