import { useQuery } from "@tanstack/react-query";
import { allPages } from "./pages";
import type { Page } from "./pages";

const NONE: { pages: Page[]; contents: string } = { pages: [], contents: "" };

/** All pages of the guide; they are fetched when somebody first asks. */
export function useGuide(wanted = true) {
  const guide = useQuery({ queryKey: ["guide"], queryFn: allPages, enabled: wanted, staleTime: Infinity });
  return guide.data ?? NONE;
}
