"""
Only what is new: every record is sent exactly as often as a simple model says, whatever becomes of single runs.
"""

from __future__ import annotations

import csv
import itertools
import random
import sqlite3
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import polars as pl
import psycopg
import pytest
import sqlalchemy as sa
from hypothesis import given
from hypothesis import strategies as st

from bouquet.core.errors import PlanError
from bouquet.core.memory import SentKeys, key_digest, seen_records, short_digest
from bouquet.runs import Services, ask_for_run
from bouquet.runs.executor import execute
from bouquet.sources import Source
from bouquet.store import memory as memories
from bouquet.store import memory_changes as changes
from bouquet.store import runs as ledger
from bouquet.store import templates as shelf
from bouquet.store.memory import Memory
from bouquet.store.models import Remembered, Remembering, Run
from tests.conftest import NOW, OwnCluster

TABLES = """
CREATE TABLE crate (crate_id int PRIMARY KEY, weight int, changed_at timestamptz NOT NULL DEFAULT now());
CREATE TABLE content (content_id int PRIMARY KEY, crate_id int NOT NULL REFERENCES crate, what text);
INSERT INTO crate SELECT n, n * 10 FROM generate_series(1, 6) n;
INSERT INTO content SELECT n, 1 + n % 6, 'thing ' || n FROM generate_series(1, 12) n;
GRANT USAGE ON SCHEMA public TO marrowby_reader; GRANT SELECT ON ALL TABLES IN SCHEMA public TO marrowby_reader;
"""

CRATES = {
    "name": "Crates",
    "records": "crate",
    "columns": [
        {"id": "a", "heading": "Crate", "value": {"field": "crate_id"}},
        {"id": "b", "heading": "Weight", "value": {"field": "weight"}},
    ],
    "zone": "UTC",
}


class Yard:
    """A small source that changes, and one template over it."""

    def __init__(self, services: Services, connection: psycopg.Connection[Any], person: Any) -> None:
        self.services, self.connection, self.person = services, connection, person
        self.template_id = 0

    def sql(self, statement: str) -> None:
        self.connection.execute(statement)

    def template(self, only: str, **more: Any) -> int:
        document = {**CRATES, **more, "only": only}
        with self.services.store.session() as session:
            record = shelf.add_template(session, document, "", self.person, NOW)
            self.template_id = record.id
        return self.template_id

    def change_output(self, output: dict[str, Any]) -> None:
        with self.services.store.session() as session:
            record = shelf.get_template(session, self.template_id)
            record.draft = {**record.draft, "output": output}

    def ask(self, repeats: int | None = None) -> int:
        with self.services.store.session() as session:
            document = shelf.get_template(session, self.template_id).draft
        return ask_for_run(
            self.services,
            document,
            person=self.person,
            via="hand",
            template_id=self.template_id,
            purpose="x",
            repeats=repeats,
        ).id

    def run(self) -> list[str]:
        """The first cells of what a run writes."""
        return self.cells(self.finished(self.ask()))

    def finished(self, run_id: int) -> Run:
        execute(self.services, run_id)
        with self.services.store.session() as session:
            return ledger.get_run(session, run_id)

    def cells(self, run: Run) -> list[str]:
        assert run.status in ("ready", "held"), run.error
        text = b"".join(self.services.storage.chunks(run.files[0].path)).decode()
        rows = list(csv.reader(text.splitlines()))
        return [r[0] for r in rows[1:]]


@pytest.fixture
def yard(services: Services, cluster: OwnCluster, people: dict[str, Any]) -> Iterator[Yard]:
    cluster.drop_database("yard_test")
    cluster.ensure_database("yard_test", "marrowby_owner")
    services.sources.fixed = Source("yard", cluster.url("yard_test", "marrowby_reader", "test-only"))
    with psycopg.connect(cluster.url("yard_test", "marrowby_owner", "test-only"), autocommit=True) as connection:
        connection.execute(TABLES)
        yield Yard(services, connection, people["ines"])
    services.sources.fixed.close()


def test_a_record_is_sent_once(yard: Yard) -> None:
    """Also one that was committed late with an old time stamp; a change does not send it again."""
    yard.template("new")
    assert yard.run() == ["1", "2", "3", "4", "5", "6"]
    assert yard.run() == []
    yard.sql("INSERT INTO crate VALUES (7, 70, '1999-01-01'); UPDATE crate SET weight = 99 WHERE crate_id = 2")
    assert yard.run() == ["7"]
    assert yard.run() == []


def test_a_changed_record_is_sent_again(yard: Yard) -> None:
    yard.template("new_or_changed")
    assert len(yard.run()) == 6
    yard.sql("UPDATE crate SET changed_at = now() WHERE crate_id = 3")
    assert yard.run() == []
    yard.sql("UPDATE crate SET weight = NULL WHERE crate_id = 4; DELETE FROM content WHERE crate_id = 5")
    assert yard.run() == ["4"]


def test_a_parent_changes_with_its_children(yard: Yard) -> None:
    """One row per child: a parent counts as changed when one of its rows did, whatever their order."""
    columns = [
        {"id": "a", "heading": "Crate", "value": {"field": "crate_id"}},
        {"id": "b", "heading": "What", "value": {"field": "contents.what"}},
    ]
    yard.template("new_or_changed", rows={"per": "child", "path": "contents"}, columns=columns)
    assert len(yard.run()) == 12
    yard.sql("UPDATE content SET what = 'other' WHERE content_id = 3; UPDATE content SET what = what WHERE true")
    assert yard.run() == ["4", "4"]


@pytest.mark.parametrize("only", ["new", "new_or_changed"])
def test_a_run_sent_once_more_holds_the_same_records(yard: Yard, only: str) -> None:
    """Not what became new since, and the memory stays as it is."""
    yard.template(only)
    first = yard.ask()
    assert yard.cells(yard.finished(first)) == ["1", "2", "3", "4", "5", "6"]
    yard.sql("INSERT INTO crate VALUES (7, 70, now()); DELETE FROM content WHERE crate_id = 6")
    yard.sql("DELETE FROM crate WHERE crate_id = 6")
    second = yard.ask()
    assert yard.cells(yard.finished(second)) == ["7"]

    assert yard.cells(yard.finished(yard.ask(repeats=first))) == ["1", "2", "3", "4", "5"]
    assert yard.cells(yard.finished(yard.ask(repeats=second))) == ["7"]
    assert yard.run() == []


@pytest.mark.parametrize("ending", ["failed", "cancelled", "held and discarded"])
def test_a_run_that_is_not_delivered_leaves_the_memory_as_it_was(yard: Yard, ending: str) -> None:
    checks = [{"formula": "{weight} < 30", "severity": "stop" if ending == "failed" else "hold"}]
    yard.template("new", checks=[] if ending == "cancelled" else checks)
    run_id = yard.ask()
    if ending == "cancelled":
        with yard.services.store.session() as session:
            ledger.request_cancel(session, run_id, NOW)
    run = yard.finished(run_id)
    if ending == "held and discarded":
        assert run.status == "held"
        with yard.services.store.session() as session:
            ledger.discard_run(session, run_id, "x", "x", NOW)
    with yard.services.store.session() as session:
        assert session.scalar(sa.select(sa.func.count()).select_from(Remembered)) == 0
        assert session.scalar(sa.select(sa.func.count()).select_from(Remembering)) == 0


def test_a_held_run_is_remembered_once_it_is_released(yard: Yard) -> None:
    yard.template("new", checks=[{"formula": "{weight} < 30", "severity": "hold"}])
    run_id = yard.ask()
    assert yard.finished(run_id).status == "held"
    with yard.services.store.session() as session:
        assert memories.facts_of(session, Memory(yard.template_id))[0] == 0
        ledger.release_run(session, run_id, "x", "x", NOW)
        assert memories.facts_of(session, Memory(yard.template_id))[0] == 6
    assert yard.run() == []


def test_what_is_discarded_afterwards_is_sent_again(yard: Yard) -> None:
    yard.template("new")
    run = yard.finished(yard.ask())
    with yard.services.store.session() as session:
        ledger.discard_run(session, run.id, "x", "x", NOW)
    assert len(yard.run()) == 6


def test_a_limit_sends_the_rest_the_next_time(yard: Yard) -> None:
    yard.template("new", at_most=4, order=[{"path": "weight", "direction": "descending"}])
    assert [yard.run(), yard.run(), yard.run()] == [["6", "5", "4", "3"], ["2", "1"], []]


def test_totals_and_checks_are_of_what_is_new(yard: Yard) -> None:
    """The tally, the totals and the slip speak of the rows that are in the file."""
    yard.template("new")
    yard.run()
    yard.sql("INSERT INTO crate VALUES (8, 500), (9, 1)")
    run = yard.finished(yard.ask())
    assert run.slip is not None
    assert (run.slip["rows_announced"], run.slip["sent_before"]) == (2, 6)
    assert "not sent before" in run.slip["tally"][-1]["words"]
    assert next(c for c in run.slip["columns"] if c["heading"] == "Weight")["total"] == "501"


def test_each_template_and_round_has_a_memory_of_its_own(yard: Yard) -> None:
    yard.template("new")
    yard.run()
    first = yard.template_id
    yard.template("new", name="Crates again")
    assert len(yard.run()) == 6
    with yard.services.store.session() as session:
        assert memories.facts_of(session, Memory(first, 5))[0] == 0


def test_where_nothing_can_be_remembered_it_is_refused(yard: Yard) -> None:
    grouped = {
        "rows": {"per": "group", "by": [{"path": "weight"}]},
        "columns": [{"id": "a", "heading": "A", "value": {"field": "weight"}}],
    }
    limited = {"rows": {"per": "child", "path": "contents"}, "at_most": 3}
    for name, document in {"grouped": grouped, "limited": limited}.items():
        yard.template("new", name=name, **document)
        with pytest.raises(PlanError) as refused:
            yard.ask()
        assert [p.code for p in refused.value.problems] == ["no_memory"]
    with pytest.raises(PlanError):
        ask_for_run(yard.services, {**CRATES, "only": "new"}, person=yard.person, via="hand", purpose="x")


def test_two_runs_at_once_take_no_record_twice(yard: Yard) -> None:
    """The second starts while the first is under way: what that holds is not new."""
    yard.template("new")
    first, second = yard.ask(), yard.ask()
    with yard.services.store.session() as session:
        assert ledger.begin_attempt(session, first, NOW) is not None
        session.add(Remembering(run_id=first, key=key_digest(["1"]), row=0))
    assert yard.cells(yard.finished(second)) == ["2", "3", "4", "5", "6"]


@pytest.mark.parametrize(("seed", "only"), [(1, "new"), (2, "new_or_changed"), (3, "new_or_changed")])
def test_random_days_agree_with_a_model(yard: Yard, seed: int, only: str) -> None:
    """Inserts, changes, deletions, failed and discarded runs, records sent again: as often as the model says."""
    chance = random.Random(seed)
    yard.template(only)
    sent: dict[str, str] = {}
    weights = {str(n): str(n * 10) for n in range(1, 7)}
    for _ in range(40):
        what = chance.choice(["insert", "change", "delete", "run", "run", "run", "discard", "again"])
        key = str(chance.randint(1, 30))
        if what == "insert" and key not in weights:
            weights[key] = str(chance.randint(1, 99))
            yard.sql(f"INSERT INTO crate VALUES ({key}, {weights[key]}, '2000-01-01')")
        elif what == "change" and key in weights:
            weights[key] = str(chance.randint(1, 99))
            yard.sql(f"UPDATE crate SET weight = {weights[key]} WHERE crate_id = {key}")
        elif what == "delete" and key in weights:
            del weights[key]
            yard.sql(f"DELETE FROM content WHERE crate_id = {key}; DELETE FROM crate WHERE crate_id = {key}")
        elif what == "again" and key in sent:
            del sent[key]
            with yard.services.store.session() as session:
                whose, again = Memory(yard.template_id), [key_digest([key])]
                assert changes.forget(session, whose, "Ines", NOW, keys=again) == 1
        elif what in ("run", "discard"):
            new = {k: w for k, w in weights.items() if k not in sent or (only != "new" and sent[k] != w)}
            run = yard.finished(yard.ask())
            assert yard.cells(run) == sorted(new, key=int)
            if what == "run":
                sent |= new
            else:
                with yard.services.store.session() as session:
                    ledger.discard_run(session, run.id, "x", "x", NOW)
                for k in new:
                    sent.pop(k, None)


def test_digests_tell_records_apart() -> None:
    """No two keys or rows fall together because their cells, laid side by side, read the same."""
    keys = [("a", "bc"), ("ab", "c"), ("abc",), ("", "abc"), ("abc", ""), ("1:a",), ("a", "1:b")]
    assert len({key_digest(k) for k in keys}) == len(keys)
    frame = pl.DataFrame({"k": list("12345"), "a": [None, "", "-", "a", "ab"], "b": ["", None, "", "b", ""]})
    (first, last) = seen_records([frame], 1, cells=True)
    assert len({*first.rows, *last.rows}) == 5
    assert [*first.keys, *last.keys] == [key_digest([k]).hex for k in "12345"]
    assert str(key_digest(["42"])) == str(key_digest(iter(["42"])))


def seen(*batches: dict[str, list[str]]) -> list[tuple[tuple[str, ...], int]]:
    """The keys of records, and the digests of their rows."""
    parts = seen_records([pl.DataFrame(b, schema={"k": pl.String, "v": pl.String}) for b in batches], 1, cells=True)
    return [(t, r) for part in parts for t, r in zip(part.texts, part.rows, strict=True)]


@given(
    st.lists(st.tuples(st.sampled_from("abc"), st.sampled_from("123")), max_size=12),
    st.lists(st.integers(0, 12), max_size=5),
)
def test_records_are_the_same_however_their_rows_are_cut_into_batches(
    rows: list[tuple[str, str]], cuts: list[int]
) -> None:
    """Also where a whole batch is of one record, or of none."""
    rows.sort()
    bounds = [0, *sorted(min(c, len(rows)) for c in cuts), len(rows)]
    parts = [rows[a:b] for a, b in itertools.pairwise(bounds)]

    def batch(part: list[tuple[str, str]]) -> dict[str, list[str]]:
        return {"k": [k for k, _ in part], "v": [v for _, v in part]}

    whole = seen(batch(rows))
    assert seen(*map(batch, parts)) == whole
    assert [t for (t,), _ in whole] == sorted({k for k, _ in rows})


def test_records_are_known_by_all_their_rows() -> None:
    """Rows of one record in two batches are one record; their order does not count, their number does."""
    whole = seen({"k": ["a", "a", "b"], "v": ["1", "2", "3"]})
    assert seen({"k": ["a"], "v": ["2"]}, {"k": ["a", "b"], "v": ["1", "3"]}) == whole
    assert seen({"k": ["a", "b"], "v": ["1", "3"]})[0] != whole[0]
    assert [t for t, _ in whole] == [("a",), ("b",)]
    keys = SentKeys(["k"])
    for k in (["a", "a", "b"], ["b", "c", None]):
        keys.add(pl.DataFrame({"k": k}, schema={"k": pl.String}))
    assert keys.sorted() == b"".join(sorted(map(short_digest, (["a"], ["b"], ["c"], [""]))))


@pytest.mark.parametrize("only", ["new", "new_or_changed"])
def test_a_file_remembers_as_a_server_does(
    services: Services, people: dict[str, Any], tmp_path: Path, only: str
) -> None:
    """The same on SQLite, with a key of two fields, decimals, moments and blanks in the row."""
    path = tmp_path / "yard.db"
    with sqlite3.connect(path) as connection:
        connection.execute(
            "CREATE TABLE crate (yard text, no int, weight numeric(8, 2), seen_at timestamptz, PRIMARY KEY (yard, no))"
        )
        connection.execute(
            "INSERT INTO crate VALUES ('a', 1, 1.50, '2026-11-01 10:00:00'), ('a', 2, NULL, NULL), ('b', 1, 2, NULL)"
        )
    services.sources.fixed = Source("yard", f"sqlite:///{path}")
    yard = Yard(services, None, people["ines"])  # type: ignore[arg-type]
    names = ("yard", "no", "weight", "seen_at")
    columns = [{"id": f"c{n}", "heading": name, "value": {"field": name}} for n, name in enumerate(names)]
    yard.template(only, records="crate", columns=columns)
    assert len(yard.run()) == 3
    assert yard.run() == []
    with sqlite3.connect(path) as connection:
        connection.execute("UPDATE crate SET weight = 7 WHERE yard = 'b'")
        connection.execute("INSERT INTO crate VALUES ('b', 2, 1, NULL)")
    assert len(yard.run()) == (1 if only == "new" else 2)
    assert yard.run() == []
    services.sources.fixed.close()
