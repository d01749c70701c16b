import type { Vocabulary } from "../api";
import { rememberFormats } from "./format";

/** The lists that the server declares; the shell shows its places when they are here. */
let known: Vocabulary = {
  formats: [],
  comparisons: [],
  folds: [],
  column_checks: [],
  file_checks: [],
  severities: [],
  windows: [],
  offered_windows: [],
  personal: [],
};

export function rememberVocabulary(lists: Vocabulary): void {
  known = lists;
  rememberFormats(lists.formats);
}

export function vocabulary(): Vocabulary {
  return known;
}

/** What a comparison compares with; one that is not known, with a value. */
export function takes(operator: string): Vocabulary["comparisons"][number]["takes"] {
  return known.comparisons.find((c) => c.name === operator)?.takes ?? "value";
}

/** A comparison as it is chosen, with what it has to be told. */
export function operatorWords(operator: string): string {
  const found = known.comparisons.find((c) => c.name === operator);
  if (!found) return operator.replaceAll("_", " ");
  return found.hint ? `${found.words} (${found.hint})` : found.words;
}
