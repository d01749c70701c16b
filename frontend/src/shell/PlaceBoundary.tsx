import type { ReactNode } from "react";
import { ErrorBoundary } from "react-error-boundary";
import { useLocation } from "react-router";
import { NotShown, forgetFailures } from "../shared";

/** What a place cannot show is told in its stead; what stands around it goes on, and so do all other places. */
export function PlaceBoundary({ children }: { children: ReactNode }) {
  const { pathname } = useLocation();
  return (
    <ErrorBoundary FallbackComponent={NotShown} resetKeys={[pathname]} onReset={forgetFailures}>
      {children}
    </ErrorBoundary>
  );
}
