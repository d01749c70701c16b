/** Whose eyes an administrator looks through in this tab. */
export interface Eyes {
  id: number;
  name: string;
}

const KEPT = "bouquet-eyes";

/** Whose eyes this tab looks through; nobody else's where it is null. */
export function currentEyes(): Eyes | null {
  const kept = sessionStorage.getItem(KEPT);
  return kept ? (JSON.parse(kept) as Eyes) : null;
}

/** Look through somebody's eyes, or, with null, through one's own again: everything is read anew. */
export function lookThrough(eyes: Eyes | null): void {
  if (eyes) sessionStorage.setItem(KEPT, JSON.stringify(eyes));
  else sessionStorage.removeItem(KEPT);
  window.location.assign(eyes ? "/templates" : "/set-up/people");
}
