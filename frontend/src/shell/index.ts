export { Shell } from "./Shell";
export { useMay, useShell } from "./context";
