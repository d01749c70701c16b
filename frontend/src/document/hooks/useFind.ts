import { useEffect, useState } from "react";
import { aboutSource } from "../../api";
import type { RecordTypeFields } from "../../api";
import { openedPaths } from "../rows";
import type { Document } from "../types";

/** A field that holds a value somebody typed. */
export interface Hit {
  path: string;
  trail: string;
  value: string;
  count: number;
  exact: boolean;
}

export interface Finding {
  hits: Hit[];
  /** Share of the rows searched, 0 to 1. */
  searched: number;
  done: boolean;
  unsearched: string[];
}

const NOTHING: Finding = { hits: [], searched: 0, done: false, unsearched: [] };

/** Letters from which a search by value starts. */
export const LEAST = 2;

/** Search the records for a value, as it comes in. An empty text searches nothing. */
export function useFind(records: string, text: string): Finding & { failed: boolean } {
  const [finding, setFinding] = useState<Finding>(NOTHING);
  const [failed, setFailed] = useState(false);
  const wanted = text.trim();
  const key = `${records} ${wanted}`;
  const [known, setKnown] = useState(key);
  if (known !== key) {
    setKnown(key);
    setFinding(NOTHING);
    setFailed(false);
  }
  useEffect(() => {
    if (wanted.length < LEAST) return;
    const source = new EventSource(
      aboutSource(
        `/api/v1/record-types/${encodeURIComponent(records)}/find?value=${encodeURIComponent(wanted)}`,
      ),
    );
    source.addEventListener("finding", (event) => {
      const found = JSON.parse(event.data) as Finding;
      setFinding(found);
      if (found.done) source.close();
    });
    source.onerror = () => {
      source.close();
      setFailed(true);
    };
    return () => source.close();
  }, [records, wanted]);
  return { ...finding, failed };
}

/** The record type that a row of the document stands for, and how paths from it read in the document. */
export function rowType(document: Document, start: RecordTypeFields | undefined) {
  const opened = openedPaths(document).at(-1);
  const way = start?.many.find((w) => w.path === opened);
  if (!opened || !way) return { records: document.records, pathOf: (path: string) => path };
  return {
    records: way.records,
    // Paths that lead back to the record above are that record's own.
    pathOf: (path: string) =>
      path.startsWith(`${document.records}.`) ? path.slice(document.records.length + 1) : `${opened}.${path}`,
  };
}
