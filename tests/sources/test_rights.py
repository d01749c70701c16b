"""
What a person may not see does not count, group, fold, filter or show, wherever it would be read.
"""

from __future__ import annotations

import os
from collections.abc import Iterator
from typing import Any

import psycopg
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from bouquet.core.catalogue import Catalogue
from bouquet.core.plan import Context, Plan, Scope, resolve
from bouquet.core.rights import Rights
from bouquet.core.sql import Statements
from bouquet.core.template import read_document
from bouquet.demo.cluster import Cluster
from bouquet.runs import count_tally, trace
from bouquet.sources import Source
from tests.conftest import NOW
from tests.sources.test_against_sql import CASES as PLAIN
from tests.sources.test_engine_against_sql import CASES as ENGINE
from tests.sources.test_engine_against_sql import PICKS

CASES = int(os.environ.get("BOUQUET_CASES", "100"))

TOBIN = Scope("ward", "code", ("03", "07"))

#: A small house in which every text says whose it is: `theirs` belongs to an area that may be seen, `HIDDEN` does not.
TABLES = """
CREATE TABLE area (id int PRIMARY KEY, code text, name text);
CREATE TABLE site (id int PRIMARY KEY, area_id int REFERENCES area, name text);
CREATE TABLE kind (id int PRIMARY KEY, name text);
CREATE TABLE plant (id int PRIMARY KEY, site_id int REFERENCES site, kind_id int REFERENCES kind, name text, tall int);
CREATE TABLE letter (id int PRIMARY KEY, plant_id int REFERENCES plant, other_site_id int REFERENCES site, name text, size int);
CREATE TABLE island (id int PRIMARY KEY, name text);
INSERT INTO area VALUES (1, 'a', 'theirs'), (2, 'b', 'HIDDEN'), (3, 'c', 'HIDDEN');
INSERT INTO site SELECT n, 1 + n % 3, CASE n % 3 WHEN 0 THEN 'theirs' ELSE 'HIDDEN' END FROM generate_series(0, 11) n;
INSERT INTO site VALUES (99, NULL, 'HIDDEN');
INSERT INTO kind VALUES (1, 'theirs'), (2, 'theirs'), (3, 'HIDDEN');
INSERT INTO plant SELECT n, n % 12, CASE WHEN n % 3 = 0 THEN 1 + n % 2 ELSE 1 + n % 3 END,
    CASE n % 3 WHEN 0 THEN 'theirs' ELSE 'HIDDEN' END, n FROM generate_series(0, 47) n;
INSERT INTO letter SELECT n, n % 48, (n / 2) % 12, CASE ((n / 2) % 12) % 3 WHEN 0 THEN 'theirs' ELSE 'HIDDEN' END, n FROM generate_series(0, 143) n;
INSERT INTO island VALUES (1, 'HIDDEN');
"""
SCOPE = Scope("area", "code", ("a",))


@pytest.fixture(scope="module")
def house(cluster: Cluster) -> Iterator[Source]:
    cluster.ensure_database("rights_test", "marrowby_owner")
    url = cluster.url("rights_test", "marrowby_owner", "test-only")
    with psycopg.connect(url, autocommit=True) as connection:
        connection.execute("DROP TABLE IF EXISTS area, site, kind, plant, letter, island CASCADE")
        connection.execute(TABLES)
    made = Source("house", url)
    yield made
    made.close()


def planned(catalogue: Catalogue, document: dict[str, Any], scope: Scope | None = SCOPE) -> Plan | None:
    template = read_document({"name": "T", **document})
    return resolve(template, catalogue, Context(as_of=NOW, answers={}, scope=scope, picks=PICKS)).plan


def test_ways_lead_to_what_a_right_speaks_of(house: Source) -> None:
    """To one before to many; a type without a way is closed."""
    rights = Rights(house.catalogue(), SCOPE)
    types = house.catalogue().record_types
    ways = {n: rights.ways(t) for n, t in types.items()}

    assert {n: [[r.target for r in w] for w in found] for n, found in ways.items()} == {
        "area": [[]], "site": [["area"]], "plant": [["site", "area"]], "letter": [["site", "area"]],
        "kind": [["plant", "site", "area"]], "island": [],
    }  # fmt: skip


# Random templates on the small house


NAMES = {"area": "name", "site": "name", "kind": "name", "plant": "name", "letter": "name"}


@st.composite
def documents(draw: st.DrawFn, catalogue: Catalogue) -> dict[str, Any]:
    """Templates with columns by to-one relations, folds at any depth, has, groups, children, orders."""
    start = draw(st.sampled_from(sorted(NAMES)))

    def way(name: str, *, many: bool, depth: int) -> tuple[list[str], str]:
        walked, here = [], name
        for _ in range(draw(st.integers(0, depth))):
            relations = [r for r in catalogue.record_types[here].relations if many or not r.many]
            if not relations:
                break
            taken = draw(st.sampled_from(relations))
            walked.append(taken.name)
            here = taken.target
        return walked, here

    def field(name: str) -> str:
        walked, _ = way(name, many=False, depth=3)
        return ".".join([*walked, "name"])

    def fold(name: str, how: str) -> dict[str, Any] | None:
        walked, _ = way(name, many=True, depth=3)
        types, here, many = catalogue.record_types, name, False
        for step in walked:
            relation = types[here].relation_named(step)
            assert relation is not None
            here, many = relation.target, many or relation.many
        if not many:
            return None
        if how == "count":
            return {"path": ".".join(walked), "how": how}
        return {
            "path": ".".join([*walked, "name"]),
            "how": how,
            **({"order": [{"path": "id"}]} if how in ("first", "latest") else {}),
        }

    columns: list[dict[str, Any]] = []
    document: dict[str, Any] = {"records": start, "columns": columns}
    per = draw(st.sampled_from(["record", "record", "child", "group"]))
    if per == "child":
        relations = [r for r in catalogue.record_types[start].relations if r.many]
        if relations:
            taken = draw(st.sampled_from(relations))
            document["rows"] = {
                "per": "child",
                "path": taken.name,
                "parents_without": draw(st.sampled_from(["keep", "leave_out"])),
            }
            columns.append(
                {"id": "child", "heading": "Child", "value": {"field": f"{taken.name}.{field(taken.target)}"}}
            )
    if per == "group":
        by = field(start)
        document["rows"] = {"per": "group", "by": [{"path": by}]}
        columns.append({"id": "by", "heading": "By", "value": {"field": by}})
        columns.append({"id": "n", "heading": "N", "value": {"fold": {"path": "", "how": "count"}}})
    else:
        columns += [
            {"id": f"f{n}", "heading": f"F{n}", "value": {"field": field(start)}}
            for n in range(draw(st.integers(1, 3)))
        ]
        hows = st.sampled_from(["joined", "count", "first", "latest", "spread", "count_distinct"])
        for n in range(draw(st.integers(0, 2))):
            made = fold(start, draw(hows))
            if made is not None:
                columns.append({"id": f"x{n}", "heading": f"X{n}", "value": {"fold": made}})
    narrowing = draw(st.sampled_from(["", "has", "is", "none"]))
    if narrowing == "has":
        made = fold(start, "count")
        if made is not None:
            document["filter"] = {"path": made["path"], "has": "any"}
    elif narrowing:
        document["filter"] = {"path": field(start), "is": "is" if narrowing == "is" else "is_not", "value": "HIDDEN"}
    return document


@settings(max_examples=CASES, suppress_health_check=list(HealthCheck))
@given(st.data())
def test_nothing_outside_a_right_appears(house: Source, data: st.DataObject) -> None:
    """Random templates: no hidden text in rows, groups, folds, traces, records left out, counts per value or the tally."""
    catalogue = house.catalogue()
    document = data.draw(documents(catalogue))
    plan = planned(catalogue, document)
    if plan is None:
        return
    with house.reader.snapshot() as snapshot:
        for expected in (None, 1):
            rows = snapshot.table(Statements(plan, expected=expected).rows()).to_pylist()
            assert "HIDDEN" not in str(rows), document
        tally = count_tally(snapshot, plan, {})
        assert tally[-1]["rows"] == len(rows)
        assert all("HIDDEN" not in str(step) for step in tally)
        if document["columns"][0]["value"].get("field") and not plan.by:
            assert "HIDDEN" not in str(snapshot.table(Statements(plan).per_value(plan.columns[0].cell)).to_pylist())
        if not plan.by:
            for step in plan.steps:
                if not step.hidden:
                    assert "HIDDEN" not in str(snapshot.table(Statements(plan).left_out(step.place)).to_pylist())
        for key in ("0", "1", "2", "99", "HIDDEN"):
            assert "HIDDEN" not in str(trace(snapshot, plan, {}, (key,)).record), document


def test_a_closed_type_is_refused(house: Source) -> None:
    """No way leads from it to what the right speaks of: closed, not open."""
    template = read_document(
        {"name": "T", "records": "island", "columns": [{"id": "n", "heading": "N", "value": {"field": "name"}}]}
    )
    found = resolve(template, house.catalogue(), Context(as_of=NOW, scope=SCOPE))

    assert [(p.code, p.place) for p in found.problems] == [("closed", "records")]
    assert found.partial is None


def test_examples_are_of_what_may_be_seen(house: Source) -> None:
    """The shelf shows no value of somebody else's."""
    for name in NAMES:
        assert "HIDDEN" not in str(house.profile(name, SCOPE))
    assert "HIDDEN" in str(house.profile("plant"))


def test_values_at_a_glance_are_of_what_may_be_seen(house: Source) -> None:
    """Counts, distinct values and the most frequent ones are of a person's own records."""
    for name in NAMES:
        for field in house.catalogue().record_types[name].fields:
            assert "HIDDEN" not in str(house.facts(name, field.name, SCOPE))
    mine, closed = house.facts("plant", "name", SCOPE), house.facts("island", "name", SCOPE)

    assert (mine.rows, mine.seen, mine.distinct, mine.top) == (16, 16, 1, (("theirs", 16),))
    assert (closed.rows, closed.top) == (0, ())


def test_a_search_goes_through_what_may_be_seen(house: Source) -> None:
    """Nothing is found in another's records, and no count is of them."""
    *_, hidden = house.find("letter", "HIDDEN", scope=SCOPE)
    *_, theirs = house.find("letter", "theirs", scope=SCOPE)
    counts = {hit.path: hit.count for hit in theirs.hits}

    assert hidden.hits == ()
    assert (counts["name"], counts["plant.name"], counts["plant.site.name"]) == (48, 16, 4)
    assert list(house.find("island", "HIDDEN", scope=SCOPE))[-1].hits == ()


# Marrowby


def test_residents_of_other_wards_stay_hidden_by_every_way(source: Source, query: Any) -> None:
    """Through species and trees a runner of two wards once met 4,563 residents."""
    mine = query(
        "SELECT count(*) FROM rp_report r JOIN tree t ON t.t_id = r.t_id JOIN site s ON s.s_id = r.s_id JOIN ward w ON w.w_id = s.ward_id"
        " JOIN species p ON p.sp_id = t.sp_id WHERE w_code IN ('03', '07')"
        " AND EXISTS (SELECT FROM tree k JOIN site j ON j.s_id = k.s_id JOIN ward v ON v.w_id = j.ward_id WHERE k.t_id = t.t_id AND v.w_code IN ('03', '07'))"
    )[0][0]
    document = {
        "records": "species",
        "columns": [{"id": "n", "heading": "N", "value": {"fold": {"path": "trees.resident_reports", "how": "count"}}}],
    }
    plan = planned(source.catalogue(), document, TOBIN)
    assert plan is not None
    with source.reader.snapshot() as snapshot:
        found = sum(int(r["c0"]) for r in snapshot.table(Statements(plan).rows()).to_pylist())

    assert 0 < found == mine < 4563


@pytest.mark.parametrize("name", sorted({**PLAIN, **ENGINE}))
def test_every_template_keeps_to_a_right(source: Source, name: str) -> None:
    """Under a right each template of the suite still runs; tally, rows and count agree."""
    document, *rest = {**PLAIN, **ENGINE}[name]
    answers = rest[1] if len(rest) > 1 else {}
    template = read_document({"name": "Test", **document})
    plan = resolve(template, source.catalogue(), Context(as_of=NOW, answers=answers, picks=PICKS, scope=TOBIN)).plan
    if plan is None:
        return
    with source.reader.snapshot() as snapshot:
        count = int(snapshot.row(Statements(plan).count())["rows"])
        few = snapshot.table(Statements(plan, expected=1).rows(limit=5)).num_rows
        assert count_tally(snapshot, plan, {})[-1]["rows"] == count
    assert few == min(5, count)
