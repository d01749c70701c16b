import type { RoundInfo } from "../api";
import { localeTag, shortMoment } from "../shared";
import { tr } from "../i18n";

const ONLY = {
  everything: tr("everything"),
  new: tr("what is new to them"),
  new_or_changed: tr("what is new or changed"),
};

/** Who gets a round's files, and which folder. */
export function sentTo(round: RoundInfo): string {
  const names = round.recipients.map((r) => r.name + (r.only ? ` (${ONLY[r.only]})` : ""));
  if (round.own_part) names.push(tr("each their own part, by {{fact}}", { fact: round.own_part.fact }));
  if (round.folder) names.push(round.folder);
  return [...names, ...round.mail_to].join(", ");
}

/** Where a round's files go besides its recipients. */
export function otherwise(round: RoundInfo): string {
  if (round.own_part) return tr("each, by {{fact}}", { fact: round.own_part.fact });
  return [
    ...(round.folder ? [tr("the folder {{folder}}", { folder: round.folder })] : []),
    ...round.mail_to,
  ].join(", ");
}

/** That a round is paused, and why. */
export function pausedWords(round: RoundInfo): string {
  if (round.paused_for === "source") return tr(" · paused, as the source changed");
  if (round.paused_for === "owner") return tr(" · paused, as who set it was let go");
  return round.paused_until
    ? tr(" · paused until {{paused_until}}", { paused_until: shortMoment(round.paused_until) })
    : tr(" · paused");
}

/** A moment on the clock of a zone. */
export function inZone(at: string, zone: string): string {
  return new Intl.DateTimeFormat(localeTag(), {
    timeZone: zone,
    weekday: "short",
    day: "2-digit",
    month: "short",
    year: "numeric",
    hour: "2-digit",
    minute: "2-digit",
    timeZoneName: "short",
  }).format(new Date(at));
}
