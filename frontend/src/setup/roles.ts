/** What each role lets somebody do, in a few words. */
export const ROLES: Record<string, string> = {
  runner: "run templates",
  designer: "design templates",
  auditor: "read the ledger",
  keeper: "administer the house",
};
