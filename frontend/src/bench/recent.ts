const RECENT = "bouquet.recent";
const RECENTS = 5;

/** Fields this browser's person added last, by record type. */
export function remembered(records: string): string[] {
  try {
    return (JSON.parse(localStorage.getItem(RECENT) ?? "{}") as Record<string, string[]>)[records] ?? [];
  } catch {
    return [];
  }
}

export function remember(records: string, path: string): string[] {
  const next = [path, ...remembered(records).filter((p) => p !== path)].slice(0, RECENTS);
  try {
    const all = JSON.parse(localStorage.getItem(RECENT) ?? "{}") as Record<string, string[]>;
    localStorage.setItem(RECENT, JSON.stringify({ ...all, [records]: next }));
  } catch {
    // A browser that keeps nothing forgets them; nothing else is lost.
  }
  return next;
}
