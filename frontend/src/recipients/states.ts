import type { DeliveryInfo, Fits } from "../api";
import type { IconName } from "../shared";
import { tr } from "../i18n";

/** How a state looks, and what it is called. */
export const STATES: Record<DeliveryInfo["state"], { look: string; words: string }> = {
  waiting: { look: "asked", words: tr("waiting") },
  sending: { look: "running", words: tr("being sent") },
  trying: { look: "held", words: tr("trying again") },
  offered: { look: "asked", words: tr("waits to be fetched") },
  arrived: { look: "ready", words: tr("arrived") },
  failed: { look: "failed", words: tr("not arrived") },
  waived: { look: "", words: tr("done without") },
  withdrawn: { look: "discarded", words: tr("taken back") },
};

/** How well a column meets what a recipient asks: how that looks, and what it is called. */
export const FITS: Record<Fits["columns"][number]["state"], { look: string; words: string }> = {
  met: { look: "ready", words: tr("met") },
  "wrong place": { look: "ready", words: tr("wrong place") },
  missing: { look: "failed", words: tr("missing") },
  "wrong kind": { look: "failed", words: tr("wrong kind") },
  extra: { look: "", words: tr("extra") },
};

export const WAY_ICONS: Record<string, IconName> = {
  mail: "envelope",
  sftp: "drive",
  webhook: "broadcast",
  store: "box",
  folder: "folder",
  link: "link",
};

export const WAY_WORDS: Record<string, string> = {
  mail: tr("mail"),
  sftp: tr("SFTP"),
  webhook: tr("webhook"),
  store: tr("object store"),
  folder: tr("folder"),
  link: tr("link"),
};
