import { useLayoutEffect, useRef } from "react";

interface Keys {
  undo: () => void;
  redo: () => void;
  save: () => void;
  run: () => void;
  keys: () => void;
  search: () => void;
  trace: () => void;
  ask: () => void;
  narrow: () => void;
  rows: () => void;
}

/** Acts behind a plain letter. */
const LETTERS = { "/": "search", "?": "keys", t: "trace", a: "ask", n: "narrow", r: "rows" } as const;

/** The bench's keys. Inside a field only those with Ctrl count. */
export function useBenchKeys(acts: Keys) {
  const latest = useRef(acts);
  // Before the bench is drawn, so that no key of a quick hand is lost.
  useLayoutEffect(() => {
    latest.current = acts;
  });
  useLayoutEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement;
      if (target.closest("[role=dialog]")) return;
      const typing = /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName);
      const ctrl = event.ctrlKey || event.metaKey;
      const key = event.key.toLowerCase();
      const act =
        ctrl && key === "z" && !typing
          ? event.shiftKey
            ? latest.current.redo
            : latest.current.undo
          : ctrl && key === "s"
            ? latest.current.save
            : ctrl && key === "enter"
              ? latest.current.run
              : !typing && !ctrl && !event.altKey && key in LETTERS
                ? latest.current[LETTERS[key as keyof typeof LETTERS]]
                : null;
      if (!act) return;
      event.preventDefault();
      act();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
}
