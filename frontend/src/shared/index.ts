export { SortHead } from "./SortHead";
export type { Sorting } from "./SortHead";
export { ActionsHead } from "./ActionsHead";
export { Icon } from "./Icon";
export { forgetFailures, later, place } from "./Later";
export { NothingHere } from "./NothingHere";
export { NotShown } from "./NotShown";
export { Trouble } from "./Trouble";
export {
  capital,
  clock,
  count,
  duration,
  exact,
  formatName,
  localeTag,
  fullMoment,
  plural,
  screenLocale,
  weekday,
  setLocale,
  shortDay,
  shortMoment,
  size,
  withUnit,
} from "./format";
export { KIND_ICONS } from "./icons";
export { useDebounced } from "./useDebounced";
export type { IconName } from "./icons";
export { Confirm } from "./Confirm";
export { PickList } from "./PickList";
export type { Pickable } from "./PickList";
export { NumberInput } from "./NumberInput";
export { FileInput } from "./FileInput";
export { useFormats, useVocabulary } from "./useFormats";
export { FormDialog } from "./FormDialog";
export { sameKind } from "./windows";
export { operatorWords, rememberVocabulary, takes, vocabulary } from "./vocabulary";
export { WindowParts } from "./WindowParts";
export type { Window } from "./windows";
