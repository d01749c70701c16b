"""
Formulas on a real database against an evaluator of the tests' own, row by row.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Iterator, Mapping
from dataclasses import replace
from datetime import date, datetime, time
from decimal import Decimal
from fractions import Fraction
from typing import Any

import psycopg
import pytest
from hypothesis import HealthCheck, Phase, example, given, settings
from hypothesis import strategies as st

from bouquet.core.catalogue import Catalogue, Kind, RecordType
from bouquet.core.catalogue import Field as CatalogueField
from bouquet.core.formula import FUNCTIONS, LACKED
from bouquet.core.plan import Context, Plan, resolve
from bouquet.core.sql import Statements, render
from bouquet.core.template import read_document
from bouquet.demo.cluster import Cluster
from bouquet.sources.alchemy import AlchemyReader
from tests.conftest import NOW
from tests.formulas.evaluator import (
    ANY,
    PATTERNS,
    SIGNATURES,
    Apply,
    Field,
    Near,
    Node,
    Untold,
    Value,
    evaluate,
    written,
)
from tests.sources.mariadb import owner_of

FIELDS = {
    "n": ("number", Kind.DECIMAL, "numeric"), "m": ("number", Kind.DECIMAL, "numeric"),
    "t": ("text", Kind.TEXT, "text"), "u": ("text", Kind.TEXT, "text"),
    "y": ("yes-no", Kind.BOOLEAN, "boolean"), "z": ("yes-no", Kind.BOOLEAN, "boolean"),
    "d": ("date", Kind.DATE, "date"), "e": ("date", Kind.DATE, "date"),
    "w": ("moment", Kind.TIMESTAMP, "timestamp"), "c": ("time", Kind.TIME, "time"),
}  # fmt: skip

NUMBERS = [None, 0, 1, -1, 2, 3, 7, -7, 12, "2.5", "-2.5", "0.001", "1234567.891", "1000000000000000000000000", "-3.5"]
TEXTS = [
    None,
    "",
    " ",
    "\t",
    "\u00a0",
    "Oak",
    "oak",
    "MB-12",
    "12.50",
    " 7 ",
    "2024-02-29",
    "2025-02-29",
    "a'b\\c",
    "x  y",
    "\u20037\u3000",
    "\t2026-01-31",
    "\u0663",
]
DATES = [None, date(2024, 2, 29), date(1999, 12, 31), date(1, 1, 1), date(9999, 12, 31), date(2026, 11, 23)]
MOMENTS = [None, datetime(2026, 11, 23, 9, 30, 15), datetime(2000, 1, 1), datetime(9999, 12, 31, 23, 59, 59)]
TIMES = [None, time(0, 0), time(14, 30, 5), time(23, 59, 59)]
YES_NO = [None, True, False]


def rows() -> list[dict[str, Any]]:
    """
    Forty rows in which every value meets many others, blanks among them.
    """
    pools = {
        "n": NUMBERS, "m": NUMBERS, "t": TEXTS, "u": TEXTS, "y": YES_NO, "z": YES_NO, "d": DATES, "e": DATES, "w": MOMENTS, "c": TIMES,
    }  # fmt: skip
    strides = dict(zip(pools, (1, 4, 3, 5, 1, 2, 1, 5, 1, 3), strict=True))
    return [{name: pool[(i * strides[name]) % len(pool)] for name, pool in pools.items()} for i in range(40)]


ROWS = rows()
EXACT = [{k: Fraction(v) if k in "nm" and v is not None else v for k, v in row.items()} for row in ROWS]


KINDS = {
    "postgresql": {
        "number": "numeric", "text": "text", "yes-no": "boolean", "date": "date", "moment": "timestamp", "time": "time",
    },
    "mariadb": {
        "number": "decimal(60, 20)", "text": "text CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin", "yes-no": "boolean",
        "date": "date", "moment": "datetime", "time": "time",
    },
    "sqlite": {
        "number": "text", "text": "text", "yes-no": "boolean", "date": "date", "moment": "datetime", "time": "time",
    },
}  # fmt: skip


def creating(dialect: str) -> str:
    columns = ", ".join(f"{n} {KINDS[dialect][kind]}" for n, (kind, _, _) in FIELDS.items())
    return f"CREATE TABLE odd (id int PRIMARY KEY, {columns})"


def inserting(mark: str) -> str:
    return f"INSERT INTO odd (id, {', '.join(FIELDS)}) VALUES ({', '.join([mark] * (len(FIELDS) + 1))})"


def values() -> list[tuple[Any, ...]]:
    exact = [[Decimal(r[n]) if n in "nm" and r[n] is not None else r[n] for n in FIELDS] for r in ROWS]
    return [(i, *row) for i, row in enumerate(exact)]


#: What reads a plan's rows from a database.
Reading = Callable[[Plan], list[dict[str, Any]]]


@pytest.fixture(scope="module")
def oddities(cluster: Cluster) -> Iterator[Reading]:
    """
    A table with the rows, in PostgreSQL.
    """
    cluster.ensure_database("formulas_test", "marrowby_owner")
    with psycopg.connect(cluster.url("formulas_test", "marrowby_owner", "test-only"), autocommit=True) as connection:
        connection.execute("DROP TABLE IF EXISTS odd")
        connection.execute(creating("postgresql"))
        with connection.cursor() as cursor:
            cursor.executemany(inserting("%s"), values())

        def read(plan: Plan) -> list[dict[str, Any]]:
            result = connection.execute(render(Statements(plan).rows()))  # type: ignore[call-overload]
            names = [c.name for c in result.description or ()]
            return [dict(zip(names, line, strict=True)) for line in result.fetchall()]

        yield read


@pytest.fixture(scope="module")
def in_mariadb(mariadb: Callable[[str], str]) -> Iterator[Reading]:
    """
    The same table in MariaDB.
    """
    url = mariadb("odd_values")
    with owner_of(url) as connection, connection.cursor() as cursor:
        cursor.execute(creating("mariadb"))
        cursor.executemany(inserting("%s"), values())
        connection.commit()
    yield from reading_through_sqlalchemy(url, "mariadb")


@pytest.fixture(scope="module")
def in_sqlite(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Reading]:
    """
    The same table in SQLite.
    """
    path = tmp_path_factory.mktemp("odd") / "odd.sqlite"
    with sqlite3.connect(path) as connection:
        connection.execute(creating("sqlite"))
        plain = [[str(v) if isinstance(v, Decimal | date | time) else v for v in line] for line in values()]
        connection.executemany(inserting("?"), plain)
    connection.close()
    yield from reading_through_sqlalchemy(f"sqlite:///{path}", "sqlite")


def reading_through_sqlalchemy(url: str, dialect: str) -> Iterator[Reading]:
    reader = AlchemyReader(url, "Oddities")

    def read(plan: Plan) -> list[dict[str, Any]]:
        there = replace(plan, catalogue=replace(plan.catalogue, dialect=dialect))
        with reader.snapshot() as snapshot:
            return snapshot.rows(Statements(there).rows())

    yield read
    reader.close()


def catalogue() -> Catalogue:
    fields = [CatalogueField(name="id", column="id", kind=Kind.INTEGER, stored="integer", label="Id", nullable=False)]
    fields += [CatalogueField(name=n, column=n, kind=k, stored=s, label=n) for n, (_, k, s) in FIELDS.items()]
    odd = RecordType(
        name="odd",
        table="odd",
        schema=None,
        label="odd",
        plural="odds",
        key=("id",),
        fields=tuple(fields),
        relations=(),
    )
    return Catalogue(source="odd", title="Oddities", environment="practice", record_types={"odd": odd})


CATALOGUE = catalogue()


def planned(formula: str, where: dict[str, Any] | None = None) -> Plan | None:
    """
    The plan of a formula; None where the formula is refused as too large.
    """
    column = {"id": "f", "heading": "F", "value": {"formula": formula}}
    document = {"name": "T", "records": "odd", "columns": [column], "order": [{"path": "id"}]}
    if where:
        document["filter"] = where
    found = resolve(read_document(document), CATALOGUE, Context(as_of=NOW))
    return None if {p.code for p in found.problems} == {"large_formula"} else found.require()


leaves = {
    "number": st.one_of(
        st.sampled_from([Field("n", "number"), Field("m", "number")]),
        st.sampled_from([0, 1, 2, 3, 10, -1, -4, "0.5", "2.25", 1000]).map(lambda v: Value(Fraction(v), "number")),
    ),
    "text": st.one_of(
        st.sampled_from([Field("t", "text"), Field("u", "text")]),
        st.sampled_from(["", "a", "Oak tree", "12", "-", '"q"', "\t", "2026-01-31"]).map(lambda v: Value(v, "text")),
    ),
    "yes-no": st.one_of(
        st.sampled_from([Field("y", "yes-no"), Field("z", "yes-no")]),
        st.booleans().map(lambda v: Value(v, "yes-no")),
    ),
    "date": st.sampled_from([Field("d", "date"), Field("e", "date")]),
    "moment": st.just(Field("w", "moment")),
    "time": st.just(Field("c", "time")),
}


#: Functions by the type of what they give, each with the types it takes.
GIVING: dict[str, list[tuple[str, tuple[str, ...]]]] = {
    kind: [(name, takes) for name, known in SIGNATURES.items() for takes, gives, _ in known if gives == kind]
    for kind in ANY
}


@st.composite
def trees(draw: st.DrawFn, kind: str, depth: int) -> Node:
    """
    Formulas of a type, nested at most so deep.
    """
    if depth == 0 or draw(st.integers(0, 4)) == 0:
        return draw(leaves[kind])
    if kind == "text" and draw(st.integers(0, 9)) == 0:
        dated = draw(st.sampled_from(sorted(PATTERNS)))
        return Apply("TEXT", (draw(trees(dated, depth - 1)), Value(PATTERNS[dated], "text")), "text")
    name, takes = draw(st.sampled_from(GIVING[kind]))
    return Apply(name, tuple(draw(arguments(name, t, depth - 1)) for t in takes), kind)


#: Where a text is wanted and nothing else fits, anything may stand.
JOINING = ("&", "CONCATENATE")


def arguments(name: str, kind: str, depth: int) -> st.SearchStrategy[Node]:
    if name in JOINING and depth:
        return st.sampled_from(["text", "text", "number", "yes-no", "date", "moment"]).flatmap(
            lambda t: trees(t, depth)
        )
    return trees(kind, depth)


formulas = st.sampled_from(ANY).flatmap(lambda kind: trees(kind, 5))


def agrees(found: Any, told: Any, kind: str) -> bool:
    if isinstance(told, Near):
        return found is not None and abs(float(found) - told.value) <= 1e-9 * max(1e-6, abs(told.value))
    if kind == "number" and found is not None and told is not None:
        return Fraction(str(found)) == told
    if kind == "text":
        return (found or "") == (told or "")
    return bool(found == told) and type(found) is type(told)


def check(read: Reading, tree: Node, differs: Callable[[Any, Mapping[str, Any]], bool] = lambda *_: False) -> int:
    """
    Compute the formula on all rows and compare; how many rows could be told. `differs` tells of a value that the
    database is known to have no place for.
    """
    plan = planned(written(tree))
    if plan is None:
        return 0
    told = 0
    for row, found in zip(EXACT, read(plan), strict=True):
        try:
            value, fault = evaluate(tree, row)
        except (Untold, OverflowError):
            continue
        if differs(value, row):
            continue
        said = found.get("c0")
        shown = f"{written(tree)} on {row}: the database says {said!r}, the evaluator {value!r}"
        assert agrees(said, value, tree.type), shown
        assert bool(found.get("x0")) == fault, f"{shown}; at fault: {found.get('x0')}, {fault}"
        told += 1
    return told


@settings(max_examples=250, suppress_health_check=list(HealthCheck), phases=set(Phase) - {Phase.explain})
@given(formulas)
@example(Apply("NOT", (Apply("OR", (Value(False, "yes-no"), Value(True, "yes-no")), "yes-no"),), "yes-no"))
@example(
    Apply(
        "=",
        (
            Apply("NOT", (Apply(">", (Field("n", "number"), Value(Fraction(0), "number")), "yes-no"),), "yes-no"),
            Value(False, "yes-no"),
        ),
        "yes-no",
    )
)
@example(Apply("EVEN", (Field("n", "number"),), "number"))
@example(Apply("/", (Field("n", "number"), Value(Fraction(0), "number")), "number"))
@example(Apply("ISBLANK", (Field("t", "text"),), "yes-no"))
@example(Apply("LEFT", (Field("t", "text"), Field("n", "number")), "text"))
@example(
    Apply(
        "MOD",
        (
            Apply("-", (Value(Fraction(3), "number"), Value(Fraction(1, 10**20), "number")), "number"),
            Value(Fraction(3), "number"),
        ),
        "number",
    )
)
def test_every_formula_means_what_the_evaluator_says(oddities: Reading, tree: Node) -> None:
    """Random formulas of all functions and types, nested five deep: values, blanks and faults agree row by row."""
    check(oddities, tree)


@pytest.mark.parametrize("name", sorted(SIGNATURES))
def test_each_function_alone_means_what_the_evaluator_says(oddities: Reading, name: str) -> None:
    """Every signature of every function on plain fields, and on itself where it fits."""
    check_alone(oddities, name)


def beyond_mariadb(value: Any, row: Mapping[str, Any]) -> bool:
    """
    Whether a decimal of MariaDB has no place for a number, or for what it is made of on the way.
    """
    size = abs(value) if isinstance(value, Fraction) else 0
    return (size != 0 and not Fraction(1, 10**20) <= size < 10**34) or (isinstance(value, Near) and too_large(row))


def too_large(row: Mapping[str, Any]) -> bool:
    return any(row[n] is not None and abs(row[n]) > 10**12 for n in "nm")


@pytest.mark.parametrize("name", sorted(set(SIGNATURES) - LACKED))
def test_each_function_means_the_same_in_mariadb(in_mariadb: Reading, name: str) -> None:
    """Values, blanks and faults, on the same rows."""
    check_alone(in_mariadb, name, beyond_mariadb)


@pytest.mark.parametrize("name", sorted(SIGNATURES))
def test_each_function_means_the_same_in_sqlite(in_sqlite: Reading, name: str) -> None:
    """Values, blanks and faults, on the same rows."""
    check_alone(in_sqlite, name)


@settings(max_examples=80, suppress_health_check=list(HealthCheck), phases=set(Phase) - {Phase.explain})
@given(formulas)
def test_formulas_put_together_mean_the_same_in_sqlite(in_sqlite: Reading, tree: Node) -> None:
    """Random formulas, nested five deep."""
    check(in_sqlite, tree)


def computable(node: Node) -> bool:
    return not isinstance(node, Apply) or (node.function not in LACKED and all(map(computable, node.arguments)))


@pytest.mark.parametrize("text", ["\t", " ", "a ", "\x01"])
@pytest.mark.parametrize("function", ["=", "<=", ">"])
def test_texts_of_a_formula_are_compared_to_the_last_space(in_mariadb: Reading, function: str, text: str) -> None:
    """Collations that fill the shorter one up with spaces find blanks equal, and before what is less than a space."""
    shorter = Value(value=text[:-1], type="text")
    assert check(in_mariadb, Apply(function, (shorter, Value(value=text, type="text")), "yes-no"))


@settings(max_examples=40, suppress_health_check=list(HealthCheck), phases=set(Phase) - {Phase.explain})
@given(st.sampled_from(ANY).flatmap(lambda kind: trees(kind, 3)).filter(computable))
def test_formulas_put_together_mean_the_same_in_mariadb(in_mariadb: Reading, tree: Node) -> None:
    """Random formulas, nested three deep."""
    check(in_mariadb, tree, lambda value, row: too_large(row) or beyond_mariadb(value, row))


def check_alone(read: Reading, name: str, differs: Callable[[Any, Mapping[str, Any]], bool] = lambda *_: False) -> None:
    for takes, gives, _ in SIGNATURES[name]:
        fields = {k: [Field(n, k) for n, (t, _, _) in FIELDS.items() if t == k] for k in ANY}
        given_ = tuple(fields[t][i % len(fields[t])] for i, t in enumerate(takes))
        assert check(read, Apply(name, given_, gives), differs) > 0
        # What stands in place of the first argument of its type, computed too.
        for i, kind in enumerate(takes):
            if kind == gives:
                inner = Apply(name, given_, gives)
                check(read, Apply(name, (*given_[:i], inner, *given_[i + 1 :]), gives), differs)


def test_the_evaluator_knows_every_function() -> None:
    """A function that is added without a meaning of its own here is found."""
    assert set(FUNCTIONS) - set(SIGNATURES) == {"TODAY", "NOW", "TEXT"}


@settings(max_examples=60, suppress_health_check=list(HealthCheck))
@given(trees("yes-no", 4))
def test_a_formula_narrows_as_it_computes(oddities: Reading, tree: Node) -> None:
    """As a filter, rows pass exactly where the formula is true."""
    plan = planned("{id}", {"formula": written(tree)})
    if plan is None:
        return
    found = {int(r["c0"]) for r in oddities(plan)}
    for i, row in enumerate(EXACT):
        try:
            value, _ = evaluate(tree, row)
        except (Untold, OverflowError):
            continue
        assert (i in found) == bool(value), f"{written(tree)} on {row}"
