import { later } from "../shared";

/** The dialog of a bundle, loaded when it is first opened. */
export const BundleDialog = later(() => import("../runs/BundleDialog").then((m) => m.BundleDialog));
