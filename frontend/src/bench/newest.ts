import { answer, api } from "../api";
import type { RecordType } from "../api";
import { rootOf } from "../document/filter";
import { openedPaths } from "../document/rows";
import type { Document } from "../document/types";
import { tr } from "../i18n";

/** The key of the newest record that the document narrows to: the one with the highest key; null where there is none. */
export async function newestKey(document: Document, about: RecordType): Promise<string[] | null> {
  const opened = openedPaths(document)[0];
  // Narrowings of children say nothing about which record is the newest.
  const own = rootOf(document).all.filter((n) => !opened || !JSON.stringify(n).includes(`"${opened}.`));
  const path = about.key[0];
  if (!path) return null;
  const newest: Document = {
    format: "bouquet-template/1",
    name: "newest",
    records: document.records,
    asks: document.asks,
    columns: [{ id: "k", heading: tr("Key"), value: { field: path } }],
    filter: { all: own },
    order: [{ path, direction: "descending" }],
  };
  const look = await answer(
    api.POST("/api/v1/design/look", {
      body: {
        document: newest,
        limit: 1,
        offset: 0,
        bench: "",
        keys: true,
      },
    }),
  );
  return (look.keys?.[0] as string[] | undefined) ?? null;
}
