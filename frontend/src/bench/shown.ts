import type { Show } from "../document/types";

/** The number that a cell shows, taken out of its marks and what stands around it; null where it shows none. */
export function numberShown(text: string | null, show: Show): number | null {
  if (!text) return null;
  let bare = text.trim();
  const negative = bare.startsWith("-");
  if (negative) bare = bare.slice(1);
  for (const [side, mark] of [
    ["start", show.prefix],
    ["end", show.suffix],
  ] as const) {
    const plain = mark?.trim();
    if (plain && side === "start" && bare.startsWith(plain)) bare = bare.slice(plain.length);
    if (plain && side === "end" && bare.endsWith(plain)) bare = bare.slice(0, -plain.length);
  }
  if (show.grouping) bare = bare.split(show.grouping).join("");
  bare = bare.replace(show.decimal_mark ?? ".", ".").trim();
  if (!/^-?\d+(\.\d+)?$/.test(bare)) return null;
  return (negative ? -1 : 1) * Number(bare);
}
