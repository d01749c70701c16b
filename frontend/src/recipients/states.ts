import type { DeliveryInfo } from "../api";
import type { IconName } from "../shared";

/** How a state looks, and what it is called. */
export const STATES: Record<DeliveryInfo["state"], { look: string; words: string }> = {
  waiting: { look: "asked", words: "waiting" },
  sending: { look: "running", words: "being sent" },
  trying: { look: "held", words: "trying again" },
  offered: { look: "asked", words: "waits to be fetched" },
  arrived: { look: "ready", words: "arrived" },
  failed: { look: "failed", words: "not arrived" },
  waived: { look: "", words: "done without" },
  withdrawn: { look: "discarded", words: "taken back" },
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
  mail: "mail",
  sftp: "SFTP",
  webhook: "webhook",
  store: "object store",
  folder: "folder",
  link: "link",
};
