import { createContext, useContext } from "react";
import type { Session } from "../api";
import type { News } from "./useNews";

/** What every place knows: who is signed in, and the news. */
export interface ShellFacts {
  session: Session;
  news: News;
}

export const ShellContext = createContext<ShellFacts | null>(null);

/** Who is signed in, and the news. Only inside the shell. */
export function useShell(): ShellFacts {
  const facts = useContext(ShellContext);
  if (!facts) throw new Error("useShell is called outside the shell");
  return facts;
}

/** Whether the person signed in may do this. */
export function useMay(act: "run" | "design" | "keep"): boolean {
  return useShell().session.person.may.includes(act);
}
