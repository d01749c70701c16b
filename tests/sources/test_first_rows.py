"""
The first rows, found by their keys and joined for display after, are the rows; what is expected is marked as such.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import psycopg
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from bouquet.core.plan import Context, Plan, Scope, resolve
from bouquet.core.sql import Statements, render, sheet
from bouquet.core.template import read_document
from bouquet.demo.cluster import Cluster
from bouquet.designing import looking
from bouquet.runs import about_tally, count_tally, tallying
from bouquet.sources import Source
from tests.conftest import NOW
from tests.sources.test_against_sql import CASES as PLAIN
from tests.sources.test_engine_against_sql import CASES as ENGINE
from tests.sources.test_engine_against_sql import PICKS, cols

TOBIN = Scope("ward", "code", ("03", "07"))


def planned(source: Source, document: dict[str, Any], **context: Any) -> Plan | None:
    template = read_document({"name": "Test", **document})
    return resolve(template, source.catalogue(), Context(as_of=NOW, picks=PICKS, **context)).plan


@pytest.mark.parametrize("name", sorted({**PLAIN, **ENGINE}))
def test_first_rows_are_the_rows_of_every_template(source: Source, name: str) -> None:
    """With and without a right, at the beginning and further on."""
    document, *rest = {**PLAIN, **ENGINE}[name]
    for scope in (None, TOBIN):
        plan = planned(source, document, answers=rest[1] if len(rest) > 1 else {}, scope=scope)
        if plan is None:
            continue
        statements = Statements(plan)
        ways = [False, True] if statements.can_presort else [False]
        with source.reader.snapshot() as snapshot:
            for offset in (0, 7):
                page = {"limit": 9, "offset": offset, "keys": True}
                expected = snapshot.rows(statements.rows(**page))
                assert all(snapshot.rows(statements.first(**page, presorted=w)) == expected for w in ways)


@st.composite
def inspections(draw: st.DrawFn) -> dict[str, Any]:
    """Inspections in an order that an index gives but for ties, narrowed by their trees and by themselves."""
    span = {"path": "inspected_on", "is": "in_window", "window": {"type": "last", "count": 400}}
    narrowings: list[dict[str, Any]] = [
        {"path": "tree.status", "is": "is", "value": draw(st.sampled_from("SFR"))},
        {"path": "risk", "is": "is_not", "value": 1},
        {"path": "tree.site.ward.code", "is": "one_of", "values": ["03", "07"]},
        {"path": "defects", "has": "any"},
        {"any": [{"path": "risk", "is": "is", "value": 2}, {"path": "remarks", "is": "blank"}]},
    ]
    kept = draw(st.lists(st.sampled_from(narrowings), min_size=1, max_size=3, unique_by=id))
    orders = [{"path": p, "direction": draw(st.sampled_from(["ascending", "descending"]))} for p in ("risk", "remarks")]
    direction = draw(st.sampled_from(["ascending", "descending"]))
    return {
        "records": "inspection",
        "columns": cols("i_id", "tree.tag", "tree.species.botanical_name", "inspected_on", "remarks"),
        "filter": {"all": [span, *kept]},
        "order": [
            {"path": "inspected_on", "direction": direction},
            *draw(st.lists(st.sampled_from(orders), max_size=2)),
        ],
        **draw(st.sampled_from([{}, {"at_most": 12}])),
    }


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(document=inspections(), offset=st.integers(0, 40))
def test_records_put_in_order_before_their_filter_joins_are_the_same(
    source: Source, document: dict[str, Any], offset: int
) -> None:
    """Among records that tie, too."""
    plan = planned(source, document)
    assert plan is not None
    statements = Statements(plan)
    elsewhere = any("tree." in str(n) or "has" in n for n in document["filter"]["all"])
    with source.reader.snapshot() as snapshot:
        page = {"limit": 15, "offset": offset, "keys": True}
        expected = snapshot.rows(statements.rows(**page))
        assert snapshot.rows(statements.first(**page)) == expected
        assert statements.can_presort == elsewhere
        if elsewhere:
            assert snapshot.rows(statements.first(**page, presorted=True)) == expected


def test_only_an_index_on_all_rows_gives_an_order(source: Source) -> None:
    """Its first column alone; a key is one."""
    types = source.catalogue().record_types
    found = {f.name for f in types["inspection"].fields if f.indexed}

    assert found == {"i_id", "t_id", "inspected_on"}


def test_any_rows_stand_in_for_those_that_take_a_while(source: Source, monkeypatch: pytest.MonkeyPatch) -> None:
    """They are rows of the template, marked; whoever does not hurry gets the first."""
    document = {
        "name": "T",
        "records": "tree",
        "columns": cols("tag", "species.common_name"),
        "order": [{"path": "species.common_name"}, {"path": "note"}],
    }
    plan = planned(source, document)
    assert plan is not None
    template = read_document(document)
    monkeypatch.setattr(looking, "SOON", 100)
    monkeypatch.setattr(sheet, "FEW", 0)
    with source.reader.snapshot() as snapshot:
        hurried = looking.first_rows(snapshot, template, plan, limit=5, hurry=True)
        first = looking.first_rows(snapshot, template, plan, limit=5)
        exact = snapshot.rows(Statements(plan).rows(limit=5))
        tags = {r["c0"] for r in snapshot.rows(Statements(plan).rows())}

    assert not hurried.in_order
    assert first.in_order
    assert {r[0] for r in hurried.rows} <= tags
    assert [r[0] for r in first.rows] == [r["c0"] for r in exact]


DEEP = {
    "records": "tree",
    "rows": {"per": "child", "path": "inspections"},
    "columns": cols("tag", "inspections.risk"),
    "filter": {
        "all": [{"path": "status", "is": "is", "value": "S"}, {"path": "inspections.risk", "is": "is", "value": 2}]
    },
    "at_most": 3,
}


OFTEN: dict[str, Any] = {
    "records": "tree",
    "rows": {"per": "group", "by": [{"path": "status"}]},
    "columns": [
        {"id": "Status", "heading": "Status", "value": {"field": "status"}},
        {"id": "Minutes", "heading": "Minutes", "value": {"fold": {"path": "inspections.minutes", "how": "sum"}}},
    ],
}


@pytest.mark.parametrize(
    ("narrowed", "joined"), [({}, True), ({"path": "tag", "is": "is", "value": "MB-00017"}, False)]
)
def test_groups_gather_what_all_records_have_or_what_few_have(
    source: Source, monkeypatch: pytest.MonkeyPatch, narrowed: dict[str, Any], joined: bool
) -> None:
    """However few groups are shown or written, what counts is how many records they are made of; it may be guessed."""
    plan = planned(source, {**OFTEN, "filter": {"all": [narrowed]}} if narrowed else OFTEN)
    assert plan is not None
    monkeypatch.setattr(sheet, "FEW", 100)
    with source.reader.snapshot() as snapshot:
        made = {"limit": 20, "offset": 0, "keys": False, "checks": False}
        statement, _ = looking._soonest(snapshot, Statements(plan), made, hurry=False)
        with monkeypatch.context() as patch:
            patch.setattr(looking, "_cost", lambda *_: None)
            unknown, _ = looking._soonest(snapshot, Statements(plan), made, hurry=False)
        written = Statements(plan, expected=tallying.records_read(count_tally(snapshot, plan, {}))).rows()

    for found in (statement, unknown, written):
        assert ('GROUP BY "t1"."t_id"' in render(found)) is joined


def test_what_a_tally_will_come_to_is_said_in_its_own_steps(source: Source, monkeypatch: pytest.MonkeyPatch) -> None:
    """The same steps in the same words, with numbers that never grow where a step narrows."""
    plan = planned(source, DEEP)
    assert plan is not None
    words = {s.place: s.place.upper() for s in plan.steps}
    with source.reader.snapshot() as snapshot:
        assert about_tally(snapshot, plan, words) is None, "what is counted soon is not estimated"
        monkeypatch.setattr(tallying, "SOON_COUNTED", 0)
        assert about_tally(snapshot, plan, words) is None, "and of small tables nobody asks what it would take"
        monkeypatch.setattr(sheet, "FEW", 0)
        about = about_tally(snapshot, plan, words)
        exact = count_tally(snapshot, plan, words)

    assert about is not None
    assert [(s["kind"], s["place"], s["words"]) for s in about] == [(s["kind"], s["place"], s["words"]) for s in exact]
    assert about[0]["rows"] == pytest.approx(exact[0]["rows"], rel=0.1)
    assert about[1]["rows"] == about[0]["rows"] - about[1]["left_out"]


def test_nothing_is_estimated_of_what_rights_hide(source: Source, monkeypatch: pytest.MonkeyPatch) -> None:
    """The planner's figures are of all records."""
    monkeypatch.setattr(sheet, "FEW", 0)
    monkeypatch.setattr(tallying, "SOON_COUNTED", 0)
    plan = planned(source, DEEP, scope=TOBIN)
    assert plan is not None
    with source.reader.snapshot() as snapshot:
        assert about_tally(snapshot, plan, {}) is None


@pytest.fixture(scope="module")
def keyed(cluster: Cluster) -> Iterator[Source]:
    """Records whose key the database keeps as what Python has no kind for."""
    cluster.ensure_database("keyed_test", "marrowby_owner")
    url = cluster.url("keyed_test", "marrowby_owner", "test-only")
    with psycopg.connect(url, autocommit=True) as connection:
        connection.execute("DROP TABLE IF EXISTS thing, kind")
        connection.execute("CREATE TABLE kind (id int PRIMARY KEY, name text)")
        connection.execute("CREATE TABLE thing (id uuid PRIMARY KEY, kind_id int REFERENCES kind, n int, m jsonb)")
        connection.execute("INSERT INTO kind VALUES (1, 'one'), (2, 'two')")
        connection.execute(
            "INSERT INTO thing SELECT md5(g::text)::uuid, 1 + g % 2, g / 7, NULL FROM generate_series(1, 500) g"
        )
    made = Source("keyed", url)
    yield made
    made.close()


def test_a_key_is_found_as_it_is_kept(keyed: Source) -> None:
    """Not as the text it is read as, by which no index finds it."""
    document = {"records": "thing", "columns": cols("id", "kind.name", "n"), "order": [{"path": "n"}]}
    plan = planned(keyed, document)
    assert plan is not None
    statements = Statements(plan)
    page = {"limit": 9, "offset": 4, "keys": True}
    with keyed.reader.snapshot() as snapshot:
        assert snapshot.rows(statements.first(**page)) == snapshot.rows(statements.rows(**page))
    assert 'ON "t0"."id" = "few"."key0"' in render(statements.first(**page))
