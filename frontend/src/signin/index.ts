export { SignIn } from "./SignIn";
export { FirstStart } from "./FirstStart";
