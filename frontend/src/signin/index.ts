export { SetPassword } from "./SetPassword";
export { SignIn } from "./SignIn";
export { FirstStart } from "./FirstStart";
