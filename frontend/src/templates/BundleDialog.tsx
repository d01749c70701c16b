import { lazy } from "react";
import type { ComponentProps } from "react";
import { Later } from "../shared";

const Dialog = lazy(() => import("../runs/BundleDialog").then((m) => ({ default: m.BundleDialog })));

/** The dialog of a bundle, loaded when it is first opened. */
export function BundleDialog(props: ComponentProps<typeof Dialog>) {
  return (
    <Later>
      <Dialog {...props} />
    </Later>
  );
}
