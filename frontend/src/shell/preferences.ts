import { useMutation, useQueryClient } from "@tanstack/react-query";
import { answer, api } from "../api";
import type { Preferences, Session } from "../api";
import { useShell } from "./context";

/** How the person likes the interface, and a way to change it. */
export function usePreferences() {
  const { session } = useShell();
  const client = useQueryClient();
  const put = useMutation({
    mutationFn: (change: Partial<Preferences>) =>
      answer(api.PUT("/api/v1/session/preferences", { body: change as Preferences })),
    onMutate: (change) => {
      client.setQueryData<Session>(["session"], (known) =>
        known ? { ...known, preferences: { ...known.preferences, ...change } } : known,
      );
    },
  });
  return { preferences: session.preferences, change: put.mutate };
}

/** What says in records that they are this person’s: their name, their address, and what else they are called. */
export function useMine(): string[] {
  const { session } = useShell();
  const { name, email } = session.person!;
  return [...new Set([name, email, ...(session.preferences.called ?? [])])];
}

/** Whether a hint is still to be shown, and how to put it away. */
export function useHint(name: string): [boolean, () => void] {
  const { preferences, change } = usePreferences();
  const seen = preferences.hints_seen ?? [];
  return [(preferences.hints ?? true) && !seen.includes(name), () => change({ hints_seen: [...seen, name] })];
}
