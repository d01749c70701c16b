import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { recordsAt, resources } from "../api";
import type { RecordType } from "../api";
import { capital, count } from "../shared";
import { tr } from "../i18n";

/** Record types shown as buttons before the rest is folded away. */
const SHOWN = 7;

/** Record types, those that most templates are made of first, then the largest. */
export function useByUse(types: RecordType[]): RecordType[] {
  const templates = useQuery(resources.templates());
  const uses = new Map<string, number>();
  for (const t of templates.data ?? []) uses.set(t.records, (uses.get(t.records) ?? 0) + 1);
  const use = (t: RecordType) => uses.get(t.name) ?? 0;
  return [...types].sort((a, b) => use(b) - use(a) || (b.rows ?? 0) - (a.rows ?? 0));
}

/** The record types there are, one of them open. */
export function TypeBar({ types, here }: { types: RecordType[]; here: string }) {
  const [more, setMore] = useState(false);
  const order = useByUse(types);
  const shown = order.filter((t, n) => more || n < SHOWN || t.name === here);
  return (
    <nav className="types" aria-label={tr("Record types")}>
      {shown.map((t) => (
        <Link key={t.name} to={recordsAt(t.name)} aria-current={t.name === here ? "page" : undefined}>
          {capital(t.plural)} {t.rows !== null && <span>{count(t.rows)}</span>}
        </Link>
      ))}
      {!more && order.length > shown.length && (
        <button type="button" onClick={() => setMore(true)}>
          {tr("{{order}} more", { order: order.length - shown.length })}
        </button>
      )}
    </nav>
  );
}
