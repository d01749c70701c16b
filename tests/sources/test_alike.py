"""
Random templates over values that databases like to see differently: the same file from each of them.

Texts are ordered by the collation of each database, so that they decide no order here; decimals have no more digits
than SQLite can keep.
"""

from __future__ import annotations

import random
import sqlite3
from collections.abc import Callable, Iterator
from dataclasses import replace
from datetime import date, datetime
from decimal import Decimal
from pathlib import Path
from typing import Any

import psycopg
import pytest

from bouquet.core.plan import Context, resolve
from bouquet.core.template import read_document
from bouquet.demo.cluster import Cluster
from bouquet.runs import Export
from bouquet.runs.crossing import crossed_plan
from bouquet.sources import Source
from tests.conftest import NOW, seeds
from tests.sources.mariadb import owner_of

TABLES = (
    "CREATE TABLE p (id integer PRIMARY KEY, name varchar(40), kind varchar(10))",
    "CREATE TABLE e (id integer PRIMARY KEY, p_id integer REFERENCES p(id), num numeric(18,6), i bigint, t varchar(60),"
    " d date, ts {moment}, b boolean)",
)
PARENTS = [(1, "North", "a"), (2, "south", "b"), (3, None, "A"), (4, "", None), (5, "Empty", "c")]
VALUES: dict[str, list[Any]] = {
    "num": [None, 0, *map(Decimal, ("-0.004", "0.005", "0.5", "1.5", "-2.5", "1234567.891", "99999999.999999", "1000"))],
    "i": [None, 0, 1, -1, 2**63 - 1, -(2**63), 1000, 999_999],
    "t": [
        None, "", "  ", "\t", "a", "A", "Ä", "é", "ß", "SS", "O'Neil", 'q"uote', "com,ma", "line\nbreak", "cr\r\n",
        "=1+1", "-5", "T-9", "T-10", "日本", "😀", "100%", "under_score", "back\\slash", "*", "[a]", " lead", "İ", "ı",
        "i", "\u00a0nb", "Straße", "ΟΔΟΣ",
    ],
    "d": [None, *map(date.fromisoformat, ("2024-02-29", "1999-12-31", "2026-11-23", "9999-12-31", "1000-01-01"))],
    "ts": [None, *map(datetime.fromisoformat, ("2026-11-23 09:30:15", "9999-12-31 23:59:59", "1000-01-01 00:00:00"))],
    "b": [None, True, False],
}  # fmt: skip
KINDS = {"num": "number", "i": "number", "t": "text", "d": "date", "ts": "date", "b": "yes-no", "p.name": "text"}


def records() -> list[tuple[Any, ...]]:
    chance = random.Random(1)
    return [(n, chance.choice([None, 1, 2, 3, 4]), *(chance.choice(v) for v in VALUES.values())) for n in range(1, 161)]


@pytest.fixture(scope="module")
def alike(
    cluster: Cluster, mariadb: Callable[[str], str], tmp_path_factory: pytest.TempPathFactory
) -> Iterator[dict[str, Source]]:
    """The same records in three databases."""
    path = tmp_path_factory.mktemp("alike") / "alike.sqlite"
    with sqlite3.connect(path) as lite:
        for table in TABLES:
            lite.execute(table.format(moment="timestamp"))
        lite.executemany("INSERT INTO p VALUES (?, ?, ?)", PARENTS)
        kept = [[v if v is None or isinstance(v, int | str) else str(v) for v in row] for row in records()]
        lite.executemany("INSERT INTO e VALUES (?, ?, ?, ?, ?, ?, ?, ?)", kept)
    lite.close()
    cluster.ensure_database("alike_test", "marrowby_owner")
    url = cluster.url("alike_test", "marrowby_owner", "test-only")
    with psycopg.connect(url, autocommit=True) as connection, connection.cursor() as postgres:
        postgres.execute("DROP TABLE IF EXISTS e, p")
        for table in TABLES:
            postgres.execute(table.format(moment="timestamp"))
        postgres.executemany("INSERT INTO p VALUES (%s, %s, %s)", PARENTS)
        postgres.executemany("INSERT INTO e VALUES (%s, %s, %s, %s, %s, %s, %s, %s)", records())
    maria_url = mariadb("alike")
    with owner_of(maria_url) as server, server.cursor() as maria:
        for table in TABLES:
            maria.execute(table.format(moment="datetime(6)"))
        maria.executemany("INSERT INTO p VALUES (%s, %s, %s)", PARENTS)
        maria.executemany("INSERT INTO e VALUES (%s, %s, %s, %s, %s, %s, %s, %s)", records())
        server.commit()
    made = {
        "postgresql": Source("alike", url),
        "sqlite": Source("alike", f"sqlite:///{path}"),
        "mariadb": Source("alike", maria_url.replace("owner", "reader")),
    }
    yield made
    for source in made.values():
        source.close()


class Drawn:
    """Templates drawn by chance."""

    def __init__(self, seed: int) -> None:
        self.chance = random.Random(seed)
        self.some = self.chance.choice

    def document(self) -> dict[str, Any]:
        made = self.some([self._records, self._records, self._parents, self._groups])()
        output: dict[str, Any] = {"csv": {"line_end": "LF"}}
        if self.chance.random() < 0.4:
            output |= {"style": "reader", "locale": self.some(["en_GB", "de_DE", "fr_FR"])}
            for column in made["columns"]:
                column["total"] = self.some([None, *self._totals(column["value"])])
        return {"name": "T", "output": output, **made}

    @staticmethod
    def _totals(value: dict[str, Any]) -> list[str]:
        """What may be said of the whole of a column."""
        fold = value.get("fold", {})
        path = value.get("field") or fold.get("path", "").removeprefix("es.")
        if fold.get("how") == "mean":
            return ["count", "least", "greatest"]
        if fold.get("how") in ("count", "count_distinct", "sum") or (not fold and path in ("num", "i")):
            return ["sum", "mean", "count", "least", "greatest"]
        return (
            ["count", "least", "greatest"] if not fold and path in ("d", "ts") and "formula" not in value else ["count"]
        )

    def _records(self) -> dict[str, Any]:
        paths = self.chance.sample(sorted(KINDS), self.chance.randint(1, 5))
        order = self.chance.sample(["num", "i", "d", "ts", "b"], self.chance.randint(0, 2))
        return {
            "records": "e",
            "columns": [self._column(n, {"field": p}, KINDS[p]) for n, p in enumerate(paths)],
            "order": [{"path": p, "direction": self.some(["ascending", "descending"])} for p in order],
            "filter": {"all": self._conditions()},
        }

    def _parents(self) -> dict[str, Any]:
        columns = [self._column(n, {"fold": self._fold("es", deep=True)}, "") for n in range(self.chance.randint(1, 4))]
        has = {"has": self.some(["any", "none"]), "path": "es", "where": {"all": [self._condition()]}}
        return {"records": "p", "columns": columns, "filter": {"all": self.some([[], [has]])}}

    def _groups(self, *, filled: bool = True) -> dict[str, Any]:
        by = self.chance.sample(["d", "b", "i"], self.chance.randint(1, 2))
        columns = [self._column(n, {"field": p}, "") for n, p in enumerate(by)]
        columns += [self._column(n + 5, {"fold": self._fold("", deep=False)}, "") for n in range(2)]
        steps = {"d": {"path": "d", "step": self.some(["week", "month", "quarter", "year"])}}
        rows = {"per": "group", "by": [steps.get(p, {"path": p}) for p in by]}
        parts = self._conditions()
        if filled and "d" in by and self.chance.random() < 0.5:
            steps["d"]["fill_gaps"] = True
            parts.append({"path": "d", "is": "between", "values": ["2023-11-05", "2027-02-03"]})
            columns.append(self._column(8, {"formula": 'IF(ISBLANK({H5}); "none"; "some")'}, ""))
        return {"records": "e", "rows": rows, "columns": columns, "filter": {"all": parts}}

    def cross_tab(self) -> dict[str, Any]:
        made = self._groups(filled=False)
        across: dict[str, Any] = {
            "path": self.some(["b", "num", "i", "d", "p.name"]),
            "total": self.some([True, False]),
        }
        if across["path"] == "d":
            across |= {"step": self.some(["quarter", "year"]), "gaps": False}
        rows = {**made["rows"], "across": across}
        wheres = [self._conditions() for _ in range(2)]
        for column, where in zip(made["columns"][-2:], wheres, strict=True):
            column["value"]["fold"]["where"] = {"all": where}
        fold = {"path": self.some(["i", "num"]), "how": self.some(["sum", "mean"])}
        made["columns"].append(self._column(9, {"fold": fold}, ""))
        made["columns"][-1]["total"] = "sum" if fold["how"] == "sum" else None
        if across["total"]:
            made["order"] = self.some([[], [{"column": "c9", "direction": "descending"}]])
        return {"name": "T", "output": {"csv": {"line_end": "LF"}}, **made, "rows": rows}

    def _fold(self, path: str, *, deep: bool) -> dict[str, Any]:
        ways = ["count", "count_distinct", "sum", "mean", "least", "greatest", "any", "all"]
        how = self.some([*ways, "joined", "first", "latest", "none"] if deep else ways)
        fields = {
            "sum": ["num", "i"],
            "mean": ["num", "i"],
            "least": ["num", "d", "ts"],
            "greatest": ["num", "i", "ts"],
        }
        fields |= {key: ["b"] for key in ("any", "all", "none")}
        field = "" if how == "count" else self.some(fields.get(how, ["num", "i", "t", "d", "ts", "b"]))
        made: dict[str, Any] = {"path": ".".join(filter(None, (path, field))), "how": how}
        if how in ("joined", "first", "latest"):
            direction = self.some(["ascending", "descending"])
            made["order"] = [{"path": self.some(["num", "d", "ts", "i"]), "direction": direction}, {"path": "id"}]
        if self.chance.random() < 0.4:
            made["where"] = {"all": self._conditions()}
        return made

    def _column(self, n: int, value: dict[str, Any], kind: str) -> dict[str, Any]:
        show: dict[str, Any] = {}
        if kind == "number":
            show |= self.some([{}, {"decimals": 2}, {"decimals": 1, "rounding": "half_even"}, {"factor": "100"}])
            show |= self.some([{}, {"grouping": " "}, {"decimal_mark": ","}, {"prefix": "£", "pad": 12}])
        if kind == "text":
            show |= self.some([{}, {"case": "upper"}, {"trim": True, "first": 3}, {"suffix": ">", "pad": 5}])
        if kind == "date":
            show |= self.some([{}, {"date": "dd/MM/yyyy"}, {"date": "d MMM yy"}])
        return {"id": f"c{n}", "heading": f"H{n}", "value": value, "show": show, "blank": self.some(["", "-"])}

    def _conditions(self) -> list[dict[str, Any]]:
        return [self._condition() for _ in range(self.chance.randint(0, 2))]

    def _condition(self, depth: int = 0) -> dict[str, Any]:
        if depth < 2 and self.chance.random() < 0.25:
            return {self.some(["all", "any"]): [self._condition(depth + 1) for _ in range(2)]}
        path = self.some(sorted(KINDS))
        kind, value = KINDS[path], self._value(path)
        ways = {
            "text": ["is", "is_not", "contains", "not_contains", "starts_with", "ends_with", "matches"],
            "number": ["is", "is_not", "less_than", "at_most", "greater_than", "at_least"],
            "date": ["is", "is_not", "before", "after"],
        }
        if kind == "yes-no" or self.chance.random() < 0.15:
            return {"path": path, "is": self.some(["yes", "no"] if kind == "yes-no" else ["blank", "not_blank"])}
        if self.chance.random() < 0.2:
            return {"path": path, "is": self.some(["one_of", "none_of"]), "values": [value, self._value(path)]}
        how = self.some(ways[kind])
        return {
            "path": path,
            "is": how,
            "value": self.some(["*a*", "??", "?", "*\\*", "[a]*"]) if how == "matches" else value,
        }

    def _value(self, path: str) -> str:
        return str(self.some([v for v in VALUES.get(path, VALUES["t"]) if v is not None and str(v).strip()] or ["1"]))


@pytest.mark.parametrize("seed", seeds(1, 4))
def test_every_database_gives_the_same_file(alike: dict[str, Source], tmp_path: Path, seed: int) -> None:
    """Byte by byte: filters, folds, groups, order, and every way to show a value."""
    drawn = Drawn(seed)
    for n in range(30):
        document = drawn.document()
        template, files = read_document(document), {}
        for name, source in alike.items():
            plan = resolve(template, source.catalogue(), Context(as_of=NOW)).require()
            with source.reader.snapshot() as snapshot:
                files[name] = (
                    Export(template, plan, "csv", tmp_path / f"{name}{n}").write(snapshot, {}).path.read_bytes()
                )
        assert files["sqlite"] == files["postgresql"], document
        assert files["mariadb"] == files["postgresql"], document


def written(source: Source, document: dict[str, Any], folder: Path, *, at_once: bool = False) -> bytes:
    """A cross-tab's file; `at_once`, each of its cells is a fold of the records."""
    template = read_document(document)
    with source.reader.snapshot() as snapshot:
        plan = crossed_plan(snapshot, template, resolve(template, source.catalogue(), Context(as_of=NOW)).require())
        assert plan.across is not None
        if at_once:
            plan = replace(plan, across=replace(plan.across, folds=()))
        return Export(template, plan, "csv", folder).write(snapshot, {}).path.read_bytes()


@pytest.mark.parametrize("seed", seeds(1, 3))
def test_cross_tabs_made_in_two_steps_are_those_made_in_one(
    alike: dict[str, Source], tmp_path: Path, seed: int
) -> None:
    """In every database, whatever is folded and stands across, and whatever narrows it."""
    drawn = Drawn(100 + seed)
    for n in range(20):
        document = drawn.cross_tab()
        files = {name: written(source, document, tmp_path / f"{name}{n}") for name, source in alike.items()}
        expected = written(alike["postgresql"], document, tmp_path / f"at once {n}", at_once=True)
        assert files == dict.fromkeys(alike, expected), document
