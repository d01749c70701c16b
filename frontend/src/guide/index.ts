export { Help } from "./Help";
export { useGuide } from "./useGuide";
