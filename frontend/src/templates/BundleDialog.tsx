import { Suspense, lazy } from "react";
import type { ComponentProps } from "react";

const Dialog = lazy(() => import("../runs/BundleDialog").then((m) => ({ default: m.BundleDialog })));

/** The dialog of a bundle, loaded when it is first opened. */
export function BundleDialog(props: ComponentProps<typeof Dialog>) {
  return (
    <Suspense fallback={null}>
      <Dialog {...props} />
    </Suspense>
  );
}
