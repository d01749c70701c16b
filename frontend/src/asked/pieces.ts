import type { AskedInfo, AskedPart } from "../api";
import { tr } from "../i18n";

/** A piece of a request: a part that was understood, words that were not, or what says nothing. */
export interface Piece {
  text: string;
  part?: AskedPart;
  unread?: boolean;
}

/** The request cut into its pieces, in its order. Where two parts overlap, the first one has it. */
export function piecesOf(text: string, found: Pick<AskedInfo, "parts" | "unread">): Piece[] {
  const spans = [
    ...found.parts.filter((p) => p.end > 0).map((part) => ({ start: part.start, end: part.end, part })),
    ...found.unread.map(({ start, end }) => ({ start, end, unread: true })),
  ].sort((a, b) => a.start - b.start || b.end - a.end);
  const pieces: Piece[] = [];
  let at = 0;
  for (const { start, end, ...what } of spans) {
    if (start < at) continue;
    if (start > at) pieces.push({ text: text.slice(at, start) });
    pieces.push({ text: text.slice(start, end), ...what });
    at = end;
  }
  if (at < text.length) pieces.push({ text: text.slice(at) });
  return pieces;
}

/** What was put in though nobody said it: columns in one line, and all else by itself. */
export function unsaid(parts: AskedPart[]): string[] {
  const own = parts.filter((p) => p.end === 0);
  const columns = own.filter((p) => p.role === "column").map((p) => p.words.replace(/^column /, ""));
  const rest = own.filter((p) => p.role !== "column").map((p) => p.words);
  return columns.length
    ? [...rest, tr("columns {{columns}}", { columns: columns.join(", "), count: columns.length })]
    : rest;
}
