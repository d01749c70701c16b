import { createContext, useContext } from "react";
import { useSource } from "../api";
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

/** The source that this tab is about; the house's first where its own is not there. */
export function useCurrentSource(): Session["sources"][number] | undefined {
  const { session } = useShell();
  const key = useSource();
  return session.sources.find((s) => s.key === key) ?? session.sources[0];
}

/** Whether recipients are theirs to write down and to change: whose files go to some only changes none. */
export function useMayAddress(): boolean {
  const { person } = useShell().session;
  return person.may.includes("design") && person.sends_anywhere;
}

/** Whether the person signed in may do this. */
export function useMay(act: "run" | "design" | "keep"): boolean {
  return useShell().session.person.may.includes(act);
}
