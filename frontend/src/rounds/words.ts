import type { RoundInfo } from "../api";
import { shortMoment } from "../shared";

const ONLY = {
  everything: "everything",
  new: "what is new to them",
  new_or_changed: "what is new or changed",
};

/** Who gets a round's files, and which folder. */
export function sentTo(round: RoundInfo): string {
  const names = round.recipients.map((r) => r.name + (r.only ? ` (${ONLY[r.only]})` : ""));
  if (round.own_part) names.push(`each their own part, by ${round.own_part.fact}`);
  if (round.folder) names.push(round.folder);
  return [...names, ...round.mail_to].join(", ");
}

/** Where a round's files go besides its recipients. */
export function otherwise(round: RoundInfo): string {
  if (round.own_part) return `each, by ${round.own_part.fact}`;
  return [...(round.folder ? [`the folder ${round.folder}`] : []), ...round.mail_to].join(", ");
}

/** That a round is paused, and why. */
export function pausedWords(round: RoundInfo): string {
  if (round.paused_for === "source") return " · paused, as the source changed";
  if (round.paused_for === "owner") return " · paused, as who set it was let go";
  return round.paused_until ? ` · paused until ${shortMoment(round.paused_until)}` : " · paused";
}
