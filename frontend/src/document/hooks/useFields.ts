import { useQueries, useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { resources } from "../../api";
import type { FieldGroup, FieldInfo, RecordTypeFields } from "../../api";
import { groupsOf, openedPaths } from "../rows";
import type { Document } from "../types";

export function fieldsQuery(name: string) {
  return resources.recordType(name);
}

/** What the catalogue knows about one record type. */
export function useRecordType(name: string) {
  return useQuery(fieldsQuery(name));
}

/** The fields that a row of the document leads to, also through the relations that its row rule opened. */
export function useFields(document: Document) {
  const start = useRecordType(document.records);
  const opened = openedPaths(document);
  const targets = opened.map((path) => start.data?.many.find((w) => w.path === path)?.records ?? "");
  const types = useQueries({ queries: targets.map(fieldsQuery) });
  const read = types.map((t) => t.data);
  const signature = `${opened.join()} ${read.map((t) => t?.record_type.name).join()}`;
  const groups = useMemo(
    () => groupsOf(start.data, new Map(opened.map((path, n) => [path, read[n]]))),
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the signature says when the opened types changed
    [start.data, signature],
  );
  const byPath = useMemo(
    () => new Map(groups.flatMap((g) => g.fields.map((f) => [f.path, { field: f, group: g }] as const))),
    [groups],
  );
  return { start, groups, byPath };
}

/** The fields of the records that a way to many leads to, by their paths from there. */
export function useTargetFields(type: RecordTypeFields | undefined): Map<string, FieldInfo> {
  return useMemo(
    () => new Map((type?.groups ?? []).flatMap((g: FieldGroup) => g.fields.map((f) => [f.path, f] as const))),
    [type],
  );
}
