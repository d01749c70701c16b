import type { ReactNode } from "react";

/** By what a table is sorted, and whether the least comes first. */
export interface Sorting<K extends string> {
  by: K;
  ascending: boolean;
}

interface Props<K extends string> {
  name: K;
  sorting: Sorting<K>;
  /** Whether a first press puts the greatest, or the newest, first. */
  down?: boolean;
  className?: string;
  onSort: (sorting: Sorting<K>) => void;
  children: ReactNode;
}

/** A heading that sorts: a press sorts by it, another turns the order round. */
export function SortHead<K extends string>({ name, sorting, down, className, onSort, children }: Props<K>) {
  const here = sorting.by === name;
  return (
    <th className={className} aria-sort={here ? (sorting.ascending ? "ascending" : "descending") : undefined}>
      <button
        type="button"
        className="sort-head"
        onClick={() => onSort({ by: name, ascending: here ? !sorting.ascending : !down })}
      >
        {children}
        {here && <span aria-hidden>{sorting.ascending ? "↑" : "↓"}</span>}
      </button>
    </th>
  );
}
