"""
Hostile templates: refused with places or run, never a crash, never text of a statement.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from typing import Any

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from bouquet.core.errors import DocumentError
from bouquet.core.plan import Context, resolve
from bouquet.core.sql import Statements
from bouquet.core.template import read_document
from bouquet.core.vocabulary.comparisons import COMPARISONS
from bouquet.core.wording.sentence import Sentence
from bouquet.runs import count_tally
from bouquet.sources import Source
from tests.conftest import NOW

CASES = int(os.environ.get("BOUQUET_CASES", "250"))

PATHS = [
    "tag",
    "status",
    "t_girth",
    "planted_on",
    "changed_at",
    "entered_at",
    "note",
    "extra",
    "site.ward.name",
    "species.native",
    "nope",
    "inspections.i_id",
]
HOSTILE = st.sampled_from(
    ["'; DROP TABLE tree; --", "\\", "%", "_", "~", "\x00", "2026-02-30", "1e999", "NaN", "", " ", "é🌳", ":p", "{x}"]
)
SCALAR = HOSTILE | st.text(max_size=6) | st.integers(-(10**20), 10**20) | st.booleans() | st.floats(allow_nan=False)
OPERATOR = st.sampled_from(sorted(COMPARISONS))
WINDOW = st.fixed_dictionaries(
    {
        "type": st.sampled_from(
            [
                *("last", "this", "previous", "next", "to_date", "between", "all_time"),
                *("before_days_ago", "after_days_ago", "before_ago", "after_ago"),
            ]
        )
    },
    optional={
        "count": st.integers(1, 100_000),
        "unit": st.sampled_from(["minute", "hour", "day", "week", "month", "quarter", "year", "financial_year"]),
        "first": HOSTILE | st.just("2026-01-01"),
        "last": HOSTILE | st.just("2026-12-31"),
        "with_current": st.booleans(),
    },
)
CONDITION = st.fixed_dictionaries(
    {"path": st.sampled_from(PATHS), "is": OPERATOR},
    optional={"value": SCALAR, "values": st.lists(SCALAR, max_size=3), "window": WINDOW, "exact": st.booleans()},
)
MANY = st.sampled_from(
    ["inspections", "inspections.defects", "work_orders.work_order_lines", "site.trees", "ward", "tag", ""]
)
HAS = st.fixed_dictionaries(
    {"path": MANY, "has": st.sampled_from(["any", "none", "at_least"])},
    optional={"count": st.integers(1, 10**6), "where": CONDITION},
)
FORMULA = st.sampled_from(
    [
        "{t_girth} > 100",
        "1 / 0",
        "{tag}",
        "{A fold} + 1",
        "{nope}",
        "LEFT({note}; -1)",
        '"\'; DROP TABLE tree; --" = {note}',
        "{ask.q} = 1",
        "((",
        "{planted_on} + 9999999999",
    ]
)
LEAF = (
    CONDITION
    | HAS
    | st.fixed_dictionaries({"formula": FORMULA})
    | st.fixed_dictionaries({"picks": HOSTILE.filter(bool)})
    | st.fixed_dictionaries(
        {"column": st.sampled_from(["fold", "formula", "tag", "nope"]), "is": OPERATOR}, optional={"value": SCALAR}
    )
    | st.fixed_dictionaries(
        {"path": st.sampled_from(PATHS), "is": OPERATOR, "ask": st.sampled_from(["q", "w", "nope"])}
    )
)
NARROWING = st.recursive(
    LEAF,
    lambda inner: st.dictionaries(
        st.sampled_from(["all", "any", "none"]), st.lists(inner, max_size=3), min_size=1, max_size=1
    ),
    max_leaves=5,
)
BY = st.fixed_dictionaries(
    {"path": st.sampled_from(PATHS)},
    optional={
        "step": st.sampled_from(["minute", "hour", "day", "week", "month", "year"]),
        "count": st.integers(1, 30),
    },
)
ROWS = (
    st.just({"per": "record"})
    | st.fixed_dictionaries(
        {"per": st.just("child"), "path": MANY.filter(bool)},
        optional={"parents_without": st.sampled_from(["keep", "leave_out"])},
    )
    | st.fixed_dictionaries({"per": st.just("group"), "by": st.lists(BY, min_size=1, max_size=3)})
)
FOLD = st.fixed_dictionaries(
    {
        "path": st.sampled_from(["", "inspections", "inspections.minutes", "inspections.climbed", "inspections.defects.kind", "t_girth", "tag", "photographs.picture", "nope"]),
        "how": st.sampled_from(["count", "count_distinct", "sum", "mean", "least", "greatest", "first", "latest", "joined", "spread", "any", "all", "none"]),
    },
    optional={
        "where": LEAF,
        "order": st.lists(st.fixed_dictionaries({"path": st.sampled_from(["inspected_on", "d_id", "tag"])}), max_size=2),
        "separator": HOSTILE.filter(lambda t: len(t) <= 20),
        "distinct": st.booleans(),
        "at_most": st.integers(1, 5),
        "columns": st.integers(1, 4),
    },
)  # fmt: skip
ASKS = [
    {"name": "q", "label": "Q?", "kind": "text", "default": "x"},
    {"name": "w", "label": "W?", "kind": "window", "default": {"type": "previous"}},
]
ORDER = st.fixed_dictionaries(
    {"path": st.sampled_from(PATHS)},
    optional={"direction": st.sampled_from(["ascending", "descending"]), "blanks": st.sampled_from(["first", "last"])},
)


@settings(
    max_examples=CASES, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow]
)
@given(
    NARROWING,
    st.lists(ORDER, max_size=2),
    st.lists(st.sampled_from(PATHS), min_size=1, max_size=3, unique=True),
    ROWS,
    st.none() | FOLD,
    st.none() | FORMULA,
)
def test_whatever_is_asked_the_source_answers_or_the_problem_is_placed(
    source: Source,
    query: Callable[[str], Any],
    filter: Any,
    order: list[Any],
    columns: list[str],
    rows: Any,
    fold: Any,
    formula: Any,
) -> None:
    """A plan that resolves runs on the real database, and the tally's last step is the number of rows."""
    made = [{"id": p, "heading": p, "value": {"field": p}} for p in columns]
    if rows["per"] == "group":
        made = [{"id": b["path"], "heading": b["path"], "value": {"field": b["path"]}} for b in rows["by"]][:1]
    made += [{"id": "fold", "heading": "A fold", "value": {"fold": fold}}] if fold else []
    made += [{"id": "formula", "heading": "A formula", "value": {"formula": formula}}] if formula else []
    document = {
        "name": "Fuzz",
        "records": "tree",
        "rows": rows,
        "columns": made,
        "asks": ASKS,
        "filter": {"all": [filter]},
        "order": order if rows["per"] != "group" else [],
    }
    try:
        template = read_document(document)
    except DocumentError:
        return
    found = resolve(template, source.catalogue(), Context(as_of=NOW))
    assert found.problems or found.plan
    assert all(p.place and p.message for p in found.problems)
    if found.plan is None:
        return
    assert Sentence(template, source.catalogue(), Context(as_of=NOW)).text()
    with source.reader.snapshot(timeout_ms=20_000, pooled=True) as snapshot:
        tally = count_tally(snapshot, found.plan, {})
        assert snapshot.row(Statements(found.plan).count())["rows"] == tally[-1]["rows"]
        assert snapshot.table(Statements(found.plan).rows(limit=5)).num_rows == min(5, tally[-1]["rows"])
