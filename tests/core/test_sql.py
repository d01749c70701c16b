"""
Plans as SQL: exact text, with every value a literal.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import date
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bouquet.core import values
from bouquet.core.plan import Resolution
from bouquet.core.sql import Statements
from bouquet.core.sql import render as rendered
from bouquet.core.sql.literals import literals, quote

Resolve = Callable[..., Resolution]
WHITE = f"CAST('{values.WHITE}' AS TEXT)"


def render(statement: Any) -> str:
    """A statement's text, without the marks around plain names."""
    return re.sub(r'"(\w+)"', r"\1", rendered(statement))


def flat(text: str) -> str:
    return text.replace(" \n", "\n").replace("\n", " ").replace("  ", " ")


def rows(resolution: Resolution, **more: Any) -> str:
    return flat(render(Statements(resolution.require()).rows(**more)))


def where(resolution: Resolution) -> str:
    text = render(Statements(resolution.require()).rows())
    return text.split("WHERE ")[1].split(" ORDER BY")[0]


def test_a_relation_is_joined_once_and_never_drops_rows(resolved: Resolve) -> None:
    """Two fields behind one relation share one left outer join."""
    assert rows(resolved("tag", "ward.name", "ward.id"), limit=5) == (
        "SELECT t0.x_tag AS c0, t1.x_name AS c1, t1.x_id AS c2 FROM tree AS t0 "
        "LEFT OUTER JOIN ward AS t1 ON t0.x_ward = t1.x_id ORDER BY t0.x_id ASC LIMIT 5"
    )


def test_exact_numbers_travel_as_text_and_are_rounded_by_the_database(resolved: Resolve) -> None:
    """Money and measures see no binary float on their way."""
    column = {"id": "a", "heading": "G", "value": {"field": "girth"}, "show": {"decimals": 1}}

    assert "CAST(round(t0.x_girth, 1) AS TEXT) AS c0" in rows(resolved(column))
    assert "CAST(CAST(CAST(t0.x_weight AS TEXT) AS NUMERIC) AS TEXT) AS c0" in rows(resolved("weight"))


@pytest.mark.parametrize(
    ("parts", "expected"),
    [
        ({"path": "status", "is": "is", "value": "S"}, "t0.x_status = CAST('S' AS TEXT)"),
        ({"path": "status", "is": "is_not", "value": "S"}, "t0.x_status IS DISTINCT FROM CAST('S' AS TEXT)"),
        (
            {"path": "risk", "is": "one_of", "values": ["1", 3]},
            "t0.x_risk IN (CAST('1' AS BIGINT), CAST('3' AS BIGINT))",
        ),
        ({"path": "girth", "is": "at_least", "value": 12.5}, "t0.x_girth >= CAST('12.5' AS NUMERIC)"),
        ({"path": "planted_on", "is": "before", "value": "2026-01-31"}, "t0.x_planted_on < CAST('2026-01-31' AS DATE)"),
        ({"path": "protected", "is": "no"}, "t0.x_protected IS false"),
        ({"path": "girth", "is": "blank"}, "t0.x_girth IS NULL"),
        ({"path": "note", "is": "is", "value": "x", "exact": True}, "t0.x_note = CAST('x' AS TEXT)"),
        (
            {"path": "note", "is": "is", "value": " It's "},
            f"lower(btrim(t0.x_note, {WHITE})) = lower(CAST('It''s' AS TEXT))",
        ),
        (
            {"path": "note", "is": "starts_with", "value": "50%_~", "exact": True},
            "t0.x_note LIKE CAST('50~%~_~~%' AS TEXT) ESCAPE '~'",
        ),
        (
            {"path": "note", "is": "matches", "value": "a*b?", "exact": True},
            "t0.x_note LIKE CAST('a%b_' AS TEXT) ESCAPE '~'",
        ),
        (
            {"path": "changed_at", "is": "in_window", "window": {"type": "previous"}},
            "t0.x_changed_at >= CAST('2026-11-22 00:00:00+00:00' AS TIMESTAMP WITH TIME ZONE) "
            "AND t0.x_changed_at < CAST('2026-11-23 00:00:00+00:00' AS TIMESTAMP WITH TIME ZONE)",
        ),
        (
            {"path": "entered_at", "is": "in_window", "window": {"type": "previous"}},
            "t0.x_entered_at >= CAST('2026-11-22 00:00:00' AS TIMESTAMP WITHOUT TIME ZONE) "
            "AND t0.x_entered_at < CAST('2026-11-23 00:00:00' AS TIMESTAMP WITHOUT TIME ZONE)",
        ),
        (
            {"path": "planted_on", "is": "in_window", "window": {"type": "previous"}},
            "t0.x_planted_on >= CAST('2026-11-22' AS DATE) AND t0.x_planted_on <= CAST('2026-11-22' AS DATE)",
        ),
    ],
)
def test_comparisons(resolved: Resolve, parts: dict[str, Any], expected: str) -> None:
    """Each comparison reads exactly so."""
    assert where(resolved("tag", filter={"all": [parts]})).strip("() \n") == expected.strip("()")


def test_none_of_a_group_keeps_unknowns(resolved: Resolve) -> None:
    """Inside `none`, a comparison with a blank is false, so the record stays."""
    parts = {"none": [{"path": "girth", "is": "at_least", "value": 1}]}

    assert where(resolved("tag", filter={"all": [parts]})).strip() == (
        "NOT coalesce(t0.x_girth >= CAST('1' AS NUMERIC), false)"
    )


def test_the_tally_is_one_pass_that_says_what_blanks_were_lost(resolved: Resolve) -> None:
    """All records, then each step on top of those before it."""
    found = resolved(
        "tag",
        filter={"all": [{"path": "status", "is": "is", "value": "S"}, {"path": "girth", "is": "at_least", "value": 9}]},
    )
    statement, steps = Statements(found.require()).tally()
    standing, thick = "t0.x_status = CAST('S' AS TEXT)", "t0.x_girth >= CAST('9' AS NUMERIC)"

    assert flat(render(statement)).replace("(", "").replace(")", "") == (
        "SELECT count* AS all_records, count* FILTER WHERE r0 AS n0, count* FILTER WHERE r0 AND r2 AS b1, "
        "count* FILTER WHERE r0 AND r1 AS n1 "
        f"FROM SELECT {standing} AS r0, {thick} AS r1, t0.x_girth IS NULL AS r2 FROM tree AS t0 AS known"
    ).replace("(", "").replace(")", "")
    assert [(s.count, s.blank) for s in steps] == [("all_records", None), ("n0", None), ("n1", "b1")]


def test_a_page_never_reaches_beyond_the_limit(resolved: Resolve) -> None:
    """`at_most` holds for previews at any offset."""
    found = resolved("tag", at_most=100)

    assert rows(found, limit=50, offset=80).endswith("LIMIT 20 OFFSET 80")
    assert rows(found).endswith("LIMIT 100")


def test_an_index_can_give_the_order_where_no_blank_is_left(resolved: Resolve) -> None:
    """Blanks are mentioned in the order only while there can be any."""
    newest = [{"path": "planted_on", "direction": "descending"}]
    window = {"path": "planted_on", "is": "in_window", "window": {"type": "last", "count": 30}}
    all_time = {"path": "planted_on", "is": "in_window", "window": {"type": "all_time"}}

    assert "ORDER BY t0.x_planted_on DESC NULLS LAST, t0.x_id ASC" in rows(resolved("tag", order=newest))
    assert "ORDER BY t0.x_planted_on DESC, t0.x_id ASC" in rows(resolved("tag", order=newest, filter={"all": [window]}))
    assert "NULLS LAST" in rows(resolved("tag", order=newest, filter={"all": [all_time]}))
    assert "NULLS LAST" in rows(
        resolved(
            "tag",
            order=[{"path": "note", "direction": "descending"}],
            filter={"all": [{"path": "note", "is": "not_blank"}]},
        )
    )
    assert "NULLS LAST" in rows(resolved("tag", order=newest, filter={"any": [window, {"path": "tag", "is": "blank"}]}))


def test_choices_are_sorted_by_the_label_they_show(resolved: Resolve) -> None:
    """Unless the column shows the code."""
    by_label = rows(resolved("status", order=[{"column": "c0"}]))
    by_code = {"id": "c0", "heading": "S", "value": {"field": "status"}, "show": {"choice": "code"}}

    assert "WHEN (t0.x_status = CAST('S' AS TEXT)) THEN CAST('Standing' AS TEXT)" in by_label
    assert "Standing" not in rows(resolved(by_code, order=[{"column": "c0"}]))


@given(st.text(st.characters(exclude_characters="\x00", exclude_categories=["Cs"])))
def test_a_quoted_text_cannot_end_early(text: str) -> None:
    """Within the quotes, quotation marks come in pairs and backslashes only in the escape form."""
    quoted = quote(text)
    inside = quoted[2:-1] if quoted.startswith("E") else quoted[1:-1]

    assert quoted.endswith("'")
    assert "'" not in inside.replace("''", "")
    assert ("\\" in inside) == quoted.startswith("E")


def test_nul_is_refused() -> None:
    """PostgreSQL holds no NUL, so none is sent."""
    with pytest.raises(ValueError, match="NUL"):
        quote("a\x00")


@pytest.mark.parametrize(
    ("values", "said"),
    [
        ([1, 2], """CAST('{"1","2"}' AS BIGINT[])"""),
        (["a'b", 'c"d\\e', "{f},NULL"], r"""CAST(E'{"a''b","c\\"d\\\\e","{f},NULL"}' AS TEXT[])"""),
        ([date(2026, 1, 2)], """CAST('{"2026-01-02"}' AS DATE[])"""),
        ([1, "1"], None),
        ([True], None),
    ],
)
def test_many_values_are_one_literal(values: list[Any], said: str | None) -> None:
    """An array of one type, whatever stands in its texts; values of several types are none."""
    made = literals(values)

    assert (rendered(made) if made is not None else None) == said
