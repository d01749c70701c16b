export { Shell } from "./Shell";
export { OfSource, SourceChoice } from "./SourceSwitch";
export { PlaceBoundary } from "./PlaceBoundary";
export { useCurrentSource, useMay, useMayAddress, useShell } from "./context";
export { Hint } from "./Hint";
export { useHint, useMine, usePreferences } from "./preferences";
export type { News } from "./useNews";
