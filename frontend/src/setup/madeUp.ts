import type { CuratedField } from "../api";

/** A made-up field of a catalogue, for tests. */
export const field = (name: string, label: string, more: Partial<CuratedField> = {}): CuratedField => ({
  name,
  label,
  column: name,
  kind: "text",
  kinds: ["text", "integer"],
  unit: "",
  meaning: "",
  everyday: false,
  personal: false,
  personal_class: "",
  part_of: "",
  retired: null,
  substitute: null,
  synonyms: [],
  choices: [],
  example: null,
  fill: 0.5,
  guesses: [],
  used_by: [],
  formula: "",
  ...more,
});
