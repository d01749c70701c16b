"""
Formulas on the real database: every documented example, what has no result, and the worst of input.
"""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from bouquet.core.formula import FUNCTIONS
from bouquet.core.plan import Context, Plan, resolve
from bouquet.core.shaping import TextShaper, to_frame
from bouquet.core.sql import Statements
from bouquet.core.template import read_document
from bouquet.runs import Export
from bouquet.sources import Source
from tests.conftest import NOW

MakePlan = Callable[..., Plan]
Query = Callable[[str], list[tuple[Any, ...]]]

WARD_ONE: dict[str, Any] = {"records": "ward", "filter": {"all": [{"path": "code", "is": "is", "value": "01"}]}}


def document(*formulas: str) -> dict[str, Any]:
    columns = [
        {"id": f"f{n}", "heading": f"F{n}", "value": {"formula": f}, "show": {"yes": "TRUE", "no": "FALSE"}}
        for n, f in enumerate(formulas)
    ]
    return {**WARD_ONE, "columns": columns}


def computed(source: Source, plan: Plan) -> tuple[str | None, ...]:
    with source.reader.snapshot(timeout_ms=5000) as snapshot:
        frame = to_frame(snapshot.table(Statements(plan).rows()))
    return TextShaper(plan.columns, plan.zone.key).shape(frame).row(0)


def test_every_documented_example_comes_to_what_is_documented(source: Source, plan: MakePlan) -> None:
    """The table of functions holds its own examples; all of them are run."""
    examples = {f.name: f.example for f in FUNCTIONS.values() if f.example[0]}
    names = list(examples)

    found = computed(source, plan(document(*(examples[n][0] for n in names))))

    assert dict(zip(names, found, strict=True)) == {n: examples[n][1] for n in names}
    assert len([f for f in FUNCTIONS.values() if f.group != "Operators"]) >= 45


@pytest.mark.parametrize(
    ("formula", "expected"),
    [
        ("-2 ^ 2", "4"),
        ("2 ^ 3 ^ 2", "64"),
        ("1 + 2 * 3 - 4 / 2", "5"),
        ("50% * 3", "1.5"),
        ('1 & 2 & "x"', "12x"),
        ("1 / 3 * 3 = 1", "FALSE"),
        ("0.1 + 0.2 = 0.3", "TRUE"),
        ("12345678901234567890 + 1", "12345678901234567891"),
        ("ROUND(2.5) & ROUND(-2.5)", "3-3"),
        ("ROUND(1234; -2)", "1200"),
        ('IF(""=""; "same"; "other")', "same"),
        ("TODAY() = DATE(2026; 11; 23)", "TRUE"),
        ('"2026-02-01" > DATE(2026; 1; 31)', "TRUE"),
        ("NOW() - TODAY()", "0.375"),
        ("DATE(2024; 2; 29) + 366", "2025-03-01"),
        ("EDATE(DATE(2024; 2; 29); 12)", "2025-02-28"),
        ('SUBSTITUTE("a.b"; "."; "")', "ab"),
        ('SUBSTITUTE("a.b"; ""; "x")', "a.b"),
        ('LEFT("Größe"; 4) & LEN("🌳🌳")', "Größ2"),
        ("MOD(7; -3)", "-2"),
        ("EVEN(-1) & ODD(-2) & EVEN(0) & ODD(0)", "-2-301"),
        ("FLOOR(-7; 2) & CEILING(-7; 2)", "-8-6"),
        ("MIN({residents}; 1)", "1"),
        ('CHOOSE(1; DATE(2026; 1; 1); "")', "2026-01-01"),
        ("AND(TRUE(); 2 > 1; NOT(FALSE()))", "TRUE"),
        ('IF(1 > 2; "a")', None),
        ("=1+1", "2"),
        ("SUM(1, 2, 3)", "6"),
    ],
)
def test_meanings_people_rely_on(source: Source, plan: MakePlan, formula: str, expected: str | None) -> None:
    """Precedence, exact decimals, rounding as people round, dates, signs."""
    assert computed(source, plan(document(formula))) == (expected,)


@pytest.mark.parametrize(
    "formula",
    [
        "1 / 0",
        "MOD(1; 0)",
        "SQRT(-1)",
        "LN(0)",
        "0 ^ -1",
        "(-8) ^ 0.5",
        "10 ^ 9999",
        "EXP(100000)",
        'VALUE("12 oaks")',
        'DATEVALUE("2025-02-29")',
        'FIND("x"; "abc")',
        "CHOOSE(3; 1; 2)",
        'REPT("a"; 100000)',
        "DATE(99999; 1; 1)",
        "TODAY() + 9999999",
        "UNICHAR(0)",
        "UNICHAR(55296)",
        "IF(TRUE(); 1 / 0; 1)",
    ],
)
def test_what_has_no_result_is_blank_and_found(source: Source, plan: MakePlan, tmp_path: Path, formula: str) -> None:
    """Nothing that OpenFormula calls an error stops a run; the slip counts it."""
    doc = document(formula)
    with source.reader.snapshot() as snapshot:
        done = Export(read_document({"name": "T", **doc}), plan(doc), "csv", tmp_path).write(snapshot, {})

    assert done.path.read_text().splitlines()[1] in ('""', "") or formula.startswith(("DATE", "TODAY", "REPT"))
    assert done.slip["findings"] == [
        {"what": "cells of “F0” are blank because the formula has no result there", "count": 1}
    ]


def test_a_branch_that_is_not_taken_is_not_at_fault(source: Source, plan: MakePlan, tmp_path: Path) -> None:
    """A guard against zero does what it is for."""
    doc = document("IF({residents} > 0; 5; 1 / 0)")
    with source.reader.snapshot() as snapshot:
        done = Export(read_document({"name": "T", **doc}), plan(doc), "csv", tmp_path).write(snapshot, {})

    assert done.slip["findings"] == []


def test_text_that_says_no_number_is_counted(source: Source, plan: MakePlan, query: Query, tmp_path: Path) -> None:
    """A custom field that people keep as text may hold anything; the slip says how many could not be read."""
    doc = {"records": "tree", "columns": [{"id": "d", "heading": "Drain", "value": {"field": "drain"}}]}
    with source.reader.snapshot() as snapshot:
        done = Export(read_document({"name": "T", **doc}), plan(doc), "csv", tmp_path).write(snapshot, {})
    odd = query("SELECT count(*) FROM tree_attr WHERE attr = 'drain' AND val !~ '^[0-9.]+$'")[0][0]

    assert done.slip["findings"] == [
        {"what": "cells of “Drain” are blank because their text is no decimal", "count": odd}
    ]


names = sorted(n for n in FUNCTIONS if n.isalnum() and n[0].isalpha())
atoms = st.one_of(
    st.decimals(allow_nan=False, allow_infinity=False, places=3).map(lambda d: f"{d:f}".replace("-", "0-")),
    st.integers(-(10**9), 10**9).map(lambda i: str(i).replace("-", "0-")),
    st.text(st.characters(exclude_characters="\x00", exclude_categories=["Cs"]), max_size=8).map(
        lambda t: '"' + t.replace('"', '""') + '"'
    ),
    st.sampled_from(["{residents}", "{area}", "{name}", "TODAY()", "NOW()", "TRUE()", '""', "{code}"]),
)
formulas = st.recursive(
    atoms,
    lambda inner: st.one_of(
        st.tuples(inner, st.sampled_from(["+", "-", "*", "/", "^", "&", "=", "<>", "<", ">="]), inner).map(
            lambda t: f"({t[0]} {t[1]} {t[2]})"
        ),
        st.tuples(st.sampled_from(names), st.lists(inner, max_size=4)).map(lambda t: f"{t[0]}({'; '.join(t[1])})"),
    ),
    max_leaves=8,
)


@settings(max_examples=250, deadline=None, suppress_health_check=list(HealthCheck))
@given(formulas)
def test_no_formula_that_checks_breaks_the_statement(source: Source, formula: str) -> None:
    """Whatever is put together from functions, operators and odd values either says what is wrong or has a value."""
    template = read_document({"name": "T", **document(formula)})
    resolution = resolve(template, source.catalogue(), Context(as_of=NOW))
    if resolution.plan is None:
        assert all(p.place == "columns[0].value.formula" and p.at is not None for p in resolution.problems)
        return
    computed(source, resolution.plan)


def test_numbers_stay_exact(source: Source, plan: MakePlan) -> None:
    """No binary float comes near a calculation."""
    found = computed(source, plan(document("0.1 * 3", "19.99 * 100", "1.005 * 1000")))

    assert [Decimal(f or "0") for f in found] == [Decimal("0.3"), Decimal("1999"), Decimal("1005")]
