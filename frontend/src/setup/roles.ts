import { tr } from "../i18n";
/** What each role lets somebody do, in a few words. */
export const ROLES: Record<string, string> = {
  runner: tr("run templates"),
  designer: tr("design templates"),
  auditor: tr("read the ledger"),
  keeper: tr("administer the house"),
};
