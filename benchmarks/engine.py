"""
Measures of the engine: folds against the best SQL by hand, the tally against one pass, compiling, finding by a value.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable
from typing import Any

import psycopg

from benchmarks.database import plan_of
from bouquet.core.plan import resolve
from bouquet.core.plan.model import Context
from bouquet.core.sql import Statements, render
from bouquet.core.template import read_document
from bouquet.runs import count_tally
from bouquet.sources import Source

__all__ = ["COMPILED", "FIVE_STEPS", "FOLDED", "compile_wide", "finding", "folds", "tallies"]

#: One row per tree with the number of inspections, the latest result and what was found.
FOLDED: dict[str, Any] = {
    "name": "Folded",
    "records": "tree",
    "columns": [
        {"id": "t", "heading": "Tag", "value": {"field": "tag"}},
        {"id": "n", "heading": "Inspections", "value": {"fold": {"path": "inspections", "how": "count"}}},
        {
            "id": "r",
            "heading": "Risk",
            "value": {"fold": {"path": "inspections.risk", "how": "latest", "order": [{"path": "inspected_on"}]}},
        },
        {"id": "d", "heading": "Defects", "value": {"fold": {"path": "inspections.defects.kind", "how": "joined"}}},
    ],
    "at_most": 1_000_000,
}

#: The same by hand, in the ways that a person who knows the database would try; the fastest is the baseline.
BY_HAND = {
    "grouped": """
        SELECT t.t_tag, coalesce(i.n, 0), i.risk, d.found FROM tree t
        LEFT JOIN (SELECT t_id, count(*) AS n, (array_agg(i_risk ORDER BY i_on DESC NULLS LAST, i_id DESC))[1] AS risk
                   FROM inspection GROUP BY t_id) i ON i.t_id = t.t_id
        LEFT JOIN (SELECT i.t_id, string_agg(l.label, '; ' ORDER BY d.d_id) AS found FROM inspection i
                   JOIN defect d ON d.i_id = i.i_id LEFT JOIN lu_defect_kind l ON l.code = d.d_kind GROUP BY i.t_id) d
               ON d.t_id = t.t_id
        ORDER BY t.t_id LIMIT 1000000""",
    "distinct on": """
        SELECT t.t_tag, coalesce(i.n, 0), r.i_risk, d.found FROM tree t
        LEFT JOIN (SELECT t_id, count(*) AS n FROM inspection GROUP BY t_id) i ON i.t_id = t.t_id
        LEFT JOIN (SELECT DISTINCT ON (t_id) t_id, i_risk FROM inspection
                   ORDER BY t_id, i_on DESC NULLS LAST, i_id DESC) r ON r.t_id = t.t_id
        LEFT JOIN (SELECT i.t_id, string_agg(l.label, '; ' ORDER BY d.d_id) AS found FROM inspection i
                   JOIN defect d ON d.i_id = i.i_id LEFT JOIN lu_defect_kind l ON l.code = d.d_kind GROUP BY i.t_id) d
               ON d.t_id = t.t_id
        ORDER BY t.t_id LIMIT 1000000""",
    "looked up": """
        SELECT t.t_tag, (SELECT count(*) FROM inspection i WHERE i.t_id = t.t_id),
               (SELECT i_risk FROM inspection i WHERE i.t_id = t.t_id ORDER BY i_on DESC NULLS LAST, i_id DESC LIMIT 1),
               (SELECT string_agg(l.label, '; ' ORDER BY d.d_id) FROM inspection i JOIN defect d ON d.i_id = i.i_id
                LEFT JOIN lu_defect_kind l ON l.code = d.d_kind WHERE i.t_id = t.t_id)
        FROM tree t ORDER BY t.t_id LIMIT 1000000""",
}

#: Five steps: the tally, and one sequential pass that counts the same by hand.
FIVE_STEPS: dict[str, Any] = {
    "name": "Five",
    "records": "tree",
    "columns": [{"id": "t", "heading": "Tag", "value": {"field": "tag"}}],
    "filter": {
        "all": [
            {"path": "deleted_at", "is": "blank"},
            {"path": "status", "is": "is", "value": "S"},
            {"path": "t_girth", "is": "at_least", "value": 50},
            {"path": "planted_on", "is": "in_window", "window": {"type": "last", "count": 60, "unit": "year"}},
            {"path": "site.ward.name", "is": "one_of", "values": ["Quay", "Northgate"]},
        ]
    },
}
ONE_PASS = """
    SELECT count(*),
      count(*) FILTER (WHERE deleted_at IS NULL),
      count(*) FILTER (WHERE deleted_at IS NULL AND t_st = 'S'),
      count(*) FILTER (WHERE deleted_at IS NULL AND t_st = 'S' AND t_girth IS NULL),
      count(*) FILTER (WHERE deleted_at IS NULL AND t_st = 'S' AND t_girth >= 50),
      count(*) FILTER (WHERE deleted_at IS NULL AND t_st = 'S' AND t_girth >= 50 AND t_planted IS NULL),
      count(*) FILTER (WHERE deleted_at IS NULL AND t_st = 'S' AND t_girth >= 50
                       AND t_planted >= '1966-11-23' AND t_planted <= '2026-11-22'),
      count(*) FILTER (WHERE deleted_at IS NULL AND t_st = 'S' AND t_girth >= 50
                       AND t_planted >= '1966-11-23' AND t_planted <= '2026-11-22'
                       AND lower(w_name) IN ('quay', 'northgate'))
    FROM tree t LEFT JOIN site s ON s.s_id = t.s_id LEFT JOIN ward w ON w.w_id = s.ward_id"""


def timed(work: Callable[[], Any]) -> float:
    """
    Seconds of a piece of work.
    """
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def copied(url: str, statement: str) -> float:
    """
    Seconds to fetch a statement's rows as CSV through psycopg.
    """

    def work() -> None:
        with (
            psycopg.connect(url) as connection,
            connection.cursor().copy(f"COPY ({statement}) TO STDOUT (FORMAT csv)") as copy,  # type: ignore[arg-type]
        ):
            for _ in copy:
                pass

    return timed(work)


def folds(url: str, source: Source, ways: Iterable[str] = tuple(BY_HAND)) -> tuple[float, dict[str, float]]:
    """
    (seconds of our statement, seconds of each of the ways by hand), all fetched the same way.
    """
    _, plan = plan_of(source, FOLDED)
    ours = copied(url, render(Statements(plan, expected=1_000_000).rows()))
    return ours, {name: copied(url, BY_HAND[name]) for name in ways}


def tallies(url: str, source: Source) -> tuple[float, float]:
    """
    (seconds of the tally of five steps, seconds of one pass by hand).
    """
    _, plan = plan_of(source, FIVE_STEPS)

    def ours() -> None:
        with source.reader.snapshot() as snapshot:
            count_tally(snapshot, plan, {})

    def by_hand() -> None:
        with psycopg.connect(url) as connection:
            connection.execute(ONE_PASS).fetchone()  # type: ignore[arg-type]

    return timed(ours), timed(by_hand)


WIDE_FIELDS = ("tree.tag", "tree.species.botanical_name", "risk", "remarks", "tree.site.ward.name")

#: A hundred columns over three relations, folds and formulas among them.
COMPILED: dict[str, Any] = {
    "name": "Wide",
    "records": "inspection",
    "columns": [
        {"id": f"c{n}", "heading": f"H{n}", "value": value}
        for n, value in enumerate(
            [
                *(
                    {"field": f}
                    for f in ("tree.tag", "tree.species.botanical_name", "risk", "remarks", "tree.site.ward.name") * 14
                ),
                *({"formula": f'IF({{minutes}} > {n}; UPPER({{remarks}}); "no")'} for n in range(15)),
                *({"fold": {"path": "defects.kind", "how": "count_distinct"}} for _ in range(15)),
            ]
        )
    ],
    "filter": {"all": [{"path": "inspected_on", "is": "in_window", "window": {"type": "last", "count": 30}}] * 5},
}


def compile_wide(source: Source) -> float:
    """
    Seconds from a document of a hundred columns to the statement's text.
    """
    catalogue = source.catalogue()

    def work() -> None:
        plan = resolve(read_document(COMPILED), catalogue, Context(as_of=_now())).require()
        render(Statements(plan).rows())

    work()
    return min(timed(work) for _ in range(5))


def _now() -> Any:
    from benchmarks.database import AS_OF

    return AS_OF


def finding(source: Source, text: str) -> tuple[float, float, int]:
    """
    (seconds to the first hit, seconds in all, fields found) of finding fields of trees and their neighbours by a value.
    """
    began, first, hits = time.perf_counter(), 0.0, 0
    for found in source.find("tree", text, seconds=20):
        hits = len(found.hits)
        if hits and not first:
            first = time.perf_counter() - began
    return first, time.perf_counter() - began, hits
