"""
What databases other than PostgreSQL compute: the values themselves, told by hand, on a small shop.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import psycopg
import pytest

from bouquet.core.catalogue import Catalogue
from bouquet.core.plan import Context, resolve
from bouquet.core.sql import Statements
from bouquet.core.template import read_document
from bouquet.demo.cluster import Cluster
from bouquet.designing.checking import Usual, count_checks
from bouquet.runs import Export
from bouquet.sources import Source
from tests.conftest import NOW
from tests.sources.mariadb import owner_of

SHOP = """
CREATE TABLE region (id integer PRIMARY KEY, name varchar(20));
CREATE TABLE sale (id integer PRIMARY KEY, region_id integer REFERENCES region(id), amount numeric(10,2), qty integer,
 at {moment}, said varchar(40));
CREATE TABLE tare (id integer PRIMARY KEY, none numeric(10,2), late numeric(10,2));
INSERT INTO tare VALUES (1, NULL, NULL), (2, NULL, NULL), (3, NULL, NULL), (4, NULL, NULL), (5, NULL, 1000);
INSERT INTO region VALUES (1, 'North'), (2, 'South'), (3, 'East');
INSERT INTO sale VALUES (1, 1, 0.10, 9, '2026-03-29 00:30:00', ' 12 '), (2, 1, 0.20, 10, '2026-03-29 01:30:00', '1e5'),
 (3, 2, 20.05, 2, '2026-10-25 00:30:00', '1_000'), (4, 2, 3.00, 1, NULL, NULL), (5, 3, 1000.00, 11, NULL, 'nan')
"""


@pytest.fixture(scope="module")
def lite(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Source]:
    path = tmp_path_factory.mktemp("shop") / "shop.sqlite"
    with sqlite3.connect(path) as connection:
        connection.executescript(SHOP.format(moment="datetime"))
    connection.close()
    made = Source("shop", f"sqlite:///{path}")
    yield made
    made.close()


@pytest.fixture(scope="module")
def maria(mariadb: Callable[[str], str]) -> Iterator[Source]:
    url = mariadb("shop")
    with owner_of(url) as connection:
        for statement in SHOP.format(moment="datetime").split(";"):
            connection.cursor().execute(statement)
        connection.commit()
    source = Source("shop", url.replace("owner", "reader"))
    yield source
    source.close()


@pytest.fixture(params=["lite", "maria"])
def shop(request: pytest.FixtureRequest) -> Source:
    found: Source = request.getfixturevalue(request.param)
    return found


def column(name: str, value: dict[str, Any], **show: Any) -> dict[str, Any]:
    return {"id": name, "heading": name.upper(), "value": value, "show": show}


def fold(path: str, how: str, **more: Any) -> dict[str, Any]:
    return {"fold": {"path": path, "how": how, **more}}


def rows(source: Source, **document: Any) -> list[list[Any]]:
    plan = resolve(read_document({"name": "T", **document}), source.catalogue(), Context(as_of=NOW)).require()
    with source.reader.snapshot() as snapshot:
        found = snapshot.rows(Statements(plan).rows())
    return [[v for k, v in row.items() if k.startswith("c")] for row in found]


def test_what_is_computed_is_ordered_by_its_value(shop: Source) -> None:
    """Not by its digits: sums and formulas are exact texts on the way."""
    product = {"formula": "{amount} * {qty}"}
    summed = [column("n", {"field": "name"}), column("s", fold("sales.amount", "sum"))]

    made = rows(
        shop, records="sale", columns=[column("p", product)], order=[{"column": "p", "direction": "descending"}]
    )
    assert [r[0] for r in made] == ["11000", "40.1", "3", "2", "0.9"]
    assert rows(shop, records="region", columns=summed, order=[{"column": "s"}]) == [
        ["North", "0.30"], ["South", "23.05"], ["East", "1000.00"],
    ]  # fmt: skip


def test_sums_of_a_file_are_exact(shop: Source, tmp_path: Path) -> None:
    """0.10 and 0.20 are 0.30 in the total row, too."""
    document = {
        "records": "sale", "filter": {"all": [{"path": "region.name", "is": "is", "value": "North"}]},
        "columns": [column("i", {"field": "id"}), {**column("a", {"field": "amount"}), "total": "sum"}],
        "output": {"format": "csv", "style": "reader"},
    }  # fmt: skip
    template = read_document({"name": "T", **document})
    plan = resolve(template, shop.catalogue(), Context(as_of=NOW)).require()
    with shop.reader.snapshot() as snapshot:
        written = Export(template, plan, "csv", tmp_path).write(snapshot, {}).path.read_text("utf-8-sig")

    assert written.splitlines()[-1].replace('"', "").endswith("0.30")


@pytest.mark.parametrize("batch", [2, 20_000])
def test_a_column_may_be_blank_in_all_rows_or_in_the_first_ones(
    shop: Source, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, batch: int
) -> None:
    """What it would be is not told by any value; it is summed, prefixed and told in the slip all the same."""
    monkeypatch.setattr("bouquet.sources.alchemy.BATCH_ROWS", batch)
    document = read_document({
        "name": "Blank", "records": "tare", "order": [{"path": "id"}],
        "columns": [
            column("a", {"field": "none"}, decimals=1, prefix="<"), column("f", {"formula": "{none} * 2"}, decimals=1),
            {**column("b", {"formula": "{late} * 2"}, decimals=1), "total": "sum"},
        ],
        "output": {"style": "reader", "reader": {"title": False}},
    })  # fmt: skip
    plan = resolve(document, shop.catalogue(), Context(as_of=NOW)).require()
    with shop.reader.snapshot() as snapshot:
        made = Export(document, plan, "csv", tmp_path).write(snapshot, {})
    lines = made.path.read_text().splitlines()

    assert [line.replace('"', "") for line in lines[1:]] == [",,"] * 4 + [",,2,000.0", "Total,,2,000.0"]
    assert [c["blanks"] for c in made.slip["columns"]] == [5, 5, 4]


def test_means_have_the_digits_that_they_have_elsewhere(shop: Source) -> None:
    """As PostgreSQL gives them: sixteen digits count at least."""
    made = rows(
        shop, records="sale", rows={"per": "group", "by": [{"path": "region.name"}]},
        columns=[column("r", {"field": "region.name"}), column("m", fold("qty", "mean")),
                 column("f", {"formula": "{M} / 3"})],
        order=[{"column": "r"}],
    )  # fmt: skip
    assert [(r[0], float(r[1]), r[2]) for r in made] == [
        ("East", 11.0, "3.6666666666666667"), ("North", 9.5, "3.1666666666666667"), ("South", 1.5, "0.5"),
    ]  # fmt: skip


def test_no_zero_is_below_zero(shop: Source) -> None:
    """However it was rounded or multiplied."""
    columns = [column("r", {"formula": "ROUND({qty} / -1000; 0)"}), column("m", {"formula": "{qty} * 0 * -1"})]
    assert {cell for row in rows(shop, records="sale", columns=columns) for cell in row} - {None} == {"0"}


def test_a_list_is_distinct_or_cut_short(shop: Source) -> None:
    """And says how many more there are."""
    columns = [
        column("d", fold("sales.region.name", "joined", distinct=True)),
        column("f", fold("sales.qty", "joined", at_most=1, order=[{"path": "qty", "direction": "descending"}])),
    ]
    made = rows(shop, records="region", columns=columns, order=[{"path": "name"}])
    assert made == [["East", "11"], ["North", "10; +1 more"], ["South", "2; +1 more"]]


def test_formulas_read_moments_on_the_clock_of_the_template(shop: Source) -> None:
    """As they stand, where a database has no zones; blanks stay blank."""
    made = rows(
        shop, records="sale", order=[{"path": "id"}],
        columns=[column("h", {"formula": "HOUR({at})"}), column("t", {"formula": 'TEXT({at}; "EEE d MMM yyyy")'})],
    )  # fmt: skip
    assert made == [
        ["0", "Sun 29 Mar 2026"], ["1", "Sun 29 Mar 2026"], ["0", "Sun 25 Oct 2026"], [None, None], [None, None],
    ]  # fmt: skip


def test_a_text_says_a_number_there_as_everywhere(shop: Source) -> None:
    """Spaces around it do not matter; what only some language reads as a number is none."""
    made = rows(shop, records="sale", order=[{"path": "id"}], columns=[column("v", {"formula": "VALUE({said})"})])

    assert [r[0] for r in made] == ["12", "100000", None, None, None]


def problems(catalogue: Catalogue, **document: Any) -> set[str]:
    found = resolve(read_document({"name": "T", **document}), catalogue, Context(as_of=NOW)).problems
    return {f"{p.place}: {p.message.rpartition(', ')[2]}" for p in found}


def test_what_mariadb_lacks_is_said_where_it_stands(maria: Source, lite: Source) -> None:
    """Two functions, and lists that are distinct and in an order of their own at once."""
    ordered = fold("sales.said", "joined", distinct=True, order=[{"path": "qty"}])
    document = {
        "records": "region", "columns": [column("p", {"formula": "LEN(PROPER({name}))"}), column("o", ordered)],
        "filter": {"all": [{"formula": "FACT(LEN({name})) > 1"}]},
    }  # fmt: skip
    assert problems(maria.catalogue(), **document) == {
        "columns[0].value.formula: PROPER cannot be computed.",
        "columns[1].value.fold.order: joined values cannot be distinct and in an order of their own at once.",
        "filter.all[0].formula: FACT cannot be computed.",
    }
    assert problems(lite.catalogue(), **document) == set()


def test_numbers_far_from_the_usual_are_found_in_every_database(shop: Source) -> None:
    """The middle half of five amounts lies between 0.20 and 20.05; three times its width beyond, one lies."""
    template = read_document(
        {
            "name": "T",
            "records": "sale",
            "columns": [column("a", {"field": "amount"}), column("n", {"formula": "{qty}*100"})],
            "checks": [{"column": "a", "must": "near_usual"}, {"column": "n", "must": "near_usual", "spread": "0.1"}],
        }
    )
    plan = resolve(template, shop.catalogue(), Context(as_of=NOW)).require()
    with shop.reader.snapshot() as snapshot:
        rows, [amounts, numbers] = count_checks(snapshot, plan, template.checks)

    assert rows == 5
    assert [o.value for o in amounts.rows] == ["1000.00"]
    assert amounts.usual == Usual(0.1, 1000, 0.2, 20.05, -59.35, 79.6)
    # 100, 200, 900, 1000, 1100: of them 200 to 1000 are the middle half, and 80 beyond are usual.
    assert sorted(str(o.value) for o in numbers.rows) == ["100", "1100"]


def test_what_is_no_number_has_no_picture(cluster: Cluster) -> None:
    """A database keeps NaN and infinity among its numbers; the count is answered all the same."""
    cluster.ensure_database("nan_test", "marrowby_owner")
    url = cluster.url("nan_test", "marrowby_owner", "test-only")
    with psycopg.connect(url, autocommit=True) as connection:
        connection.execute("DROP TABLE IF EXISTS odd")
        connection.execute("CREATE TABLE odd (id int PRIMARY KEY, n numeric)")
        connection.execute("INSERT INTO odd VALUES (1, 1), (2, 2), (3, 3), (4, 4), (5, 'NaN')")
    source = Source("odd", url)
    document = {"name": "T", "records": "odd", "columns": [column("n", {"field": "n"})]}
    template = read_document({**document, "checks": [{"column": "n", "must": "near_usual"}]})
    plan = resolve(template, source.catalogue(), Context(as_of=NOW)).require()
    with source.reader.snapshot() as snapshot:
        rows, [check] = count_checks(snapshot, plan, template.checks)
    source.close()

    assert (rows, check.usual) == (5, None)
