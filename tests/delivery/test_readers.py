"""
Only what is new, for each recipient of a round: nobody gets a record twice, and nobody is left without one, whatever
becomes of the deliveries to the others.
"""

from __future__ import annotations

import csv
import random
from collections.abc import Iterator
from datetime import timedelta
from typing import Any

import psycopg
import pytest
import sqlalchemy as sa

from bouquet.core.memory import key_digest, short_digest
from bouquet.demo.post_room import Room
from bouquet.rounds.watching import watch_rounds
from bouquet.runs import Queue, execute
from bouquet.sources import Source
from bouquet.store import memory as memories
from bouquet.store import memory_changes as changes
from bouquet.store.memory import Memory
from bouquet.store.models import Delivery, Round, RoundRecipient, Run
from bouquet.store.outgoing import content_of
from bouquet.store.whereabouts import runs_that_sent, whereabout
from tests.conftest import OwnCluster, seeds
from tests.delivery.conftest import Sending
from tests.runs.test_memory import CRATES, TABLES
from tests.runs.test_review import get, ticked

NEW = {**CRATES, "only": "new"}

#: The ways that the stand-ins can be told to refuse.
WAYS = ("webhook", "sftp", "mail")


class Yard:
    """A source that changes, and a round with recipients who each want what they want."""

    def __init__(self, sending: Sending, room: Room, connection: psycopg.Connection[Any]) -> None:
        self.sending, self.room, self.connection = sending, room, connection
        self.round_id = 0

    def sql(self, statement: str) -> None:
        self.connection.execute(statement)

    def set(self, wants: dict[int, str | None], document: dict[str, Any] = NEW, **facts: Any) -> None:
        self.round_id = self.sending.round([], document, **facts)
        with self.sending.services.store.session() as session:
            found = session.get_one(Round, self.round_id)
            found.recipients = [
                RoundRecipient(recipient_id=r, position=n, only=only) for n, (r, only) in enumerate(wants.items())
            ]

    def day(self, *refusing: str) -> Run:
        """A run, sent while some ways refuse until their deliveries are given up."""
        for way in WAYS:
            self.room.tell(way, "refuse" if way in refusing else None)
        (run_id,) = ticked(self.sending.services)
        execute(self.sending.services, run_id)
        run = get(self.sending.services, run_id)
        assert run.status == "ready", run.error
        for _ in range(5):
            self.sending.send()
            self.sending.now += timedelta(minutes=2)
            with self.sending.services.store.session() as session:
                session.execute(sa.text("UPDATE means SET down_until = NULL, failures = 0"))
        self.sending.now += timedelta(days=1)
        return run

    def arrived(self, run: Run) -> dict[int, list[tuple[str, str]]]:
        """The rows that arrived with each recipient."""
        return {d.recipient_id: self.rows(run, d) for d in self.sending.deliveries(run) if d.state == "arrived"}

    def rows(self, run: Run, delivery: Delivery) -> list[tuple[str, str]]:
        (file,) = [f for f in run.files if f.id in delivery.files and f.role in ("data", "form")]
        text = b"".join(self.sending.services.storage.chunks(file.path)).decode()
        heading, *rows = csv.reader(text.splitlines(), delimiter=";" if ";" in text else ",")
        assert len(rows) == file.rows
        return [(row[heading.index("Crate")], row[heading.index("Weight")]) for row in rows]


@pytest.fixture
def yard(sending: Sending, room: Room, cluster: OwnCluster) -> Iterator[Yard]:
    cluster.drop_database("readers_test")
    cluster.ensure_database("readers_test", "marrowby_owner")
    services = sending.services
    services.sources.fixed = Source("yard", cluster.url("readers_test", "marrowby_reader", "test-only"))
    with psycopg.connect(cluster.url("readers_test", "marrowby_owner", "test-only"), autocommit=True) as connection:
        connection.execute(TABLES)
        yield Yard(sending, room, connection)
    services.sources.fixed.close()


def numbers(rows: list[tuple[str, str]]) -> list[int]:
    return sorted(int(n) for n, _ in rows)


def test_who_was_out_of_reach_gets_what_they_missed_and_the_others_nothing_twice(yard: Yard) -> None:
    hook, drop = yard.sending.recipient("webhook"), yard.sending.recipient("sftp")
    yard.set({hook: None, drop: None})
    first = yard.arrived(yard.day("webhook"))
    yard.sql("INSERT INTO crate VALUES (7, 70)")
    second = yard.arrived(yard.day())
    third = yard.arrived(yard.day())

    assert {r: numbers(rows) for r, rows in first.items()} == {drop: [1, 2, 3, 4, 5, 6]}
    assert {r: numbers(rows) for r, rows in second.items()} == {drop: [7], hook: [1, 2, 3, 4, 5, 6, 7]}
    assert {r: numbers(rows) for r, rows in third.items()} == {drop: [], hook: []}


def test_each_recipient_has_what_they_want_of_one_template(yard: Yard) -> None:
    """Everything, what is new, and what is new or changed; a layout of their own included."""
    layout = {"columns": [{"heading": "Weight"}, {"heading": "Crate"}], "csv": {"separator": ";"}}
    whole, new, changed = (yard.sending.recipient("folder", name, folder=name) for name in ("a", "b", "c"))
    formed = yard.sending.recipient("folder", "d", layout, folder="d")
    yard.set({whole: "everything", new: "new", changed: "new_or_changed", formed: "new_or_changed"}, CRATES)
    yard.day()
    yard.sql("UPDATE crate SET weight = 99 WHERE crate_id = 2; INSERT INTO crate VALUES (7, 70)")
    run = yard.day()
    found = yard.arrived(run)

    assert {r: numbers(rows) for r, rows in found.items()} == {
        **{whole: [1, 2, 3, 4, 5, 6, 7], new: [7]},
        **{r: [2, 7] for r in (changed, formed)},
    }
    assert run.rows_written == 7
    (own,) = [f for f in run.files if f.recipient_id == formed]
    assert b"".join(yard.sending.services.storage.chunks(own.path)).decode().split() == ["Weight;Crate", "99;2", "70;7"]
    said = {f["id"]: f.get("rows") for f in (run.slip or {})["recipients"]}
    assert (said[new], said[changed], said[formed]) == (1, 2, 2)


@pytest.mark.parametrize("seed", seeds(1, 3))
def test_every_record_arrives_as_often_as_a_model_says(yard: Yard, seed: int) -> None:
    """Random days: records come and change, ways refuse for a day, recipients want different things."""
    dice = random.Random(seed)
    names = {yard.sending.recipient(way): way for way in WAYS}
    wants = {r: dice.choice(["new", "new", "new_or_changed", "everything"]) for r in names}
    yard.set(dict(wants), CRATES)
    known: dict[int, dict[str, str]] = {r: {} for r in names}
    for day in range(14):
        for _ in range(dice.randint(0, 3)):
            yard.sql(f"INSERT INTO crate VALUES ({100 * (day + 1) + dice.randrange(99)}, 1) ON CONFLICT DO NOTHING")
        yard.sql(f"UPDATE crate SET weight = {day} WHERE crate_id % 7 = {dice.randrange(7)}")
        refusing = [way for way in WAYS if dice.random() < 0.35]
        there = {str(n): str(w) for n, w in yard.connection.execute("SELECT crate_id, weight FROM crate")}
        found = yard.arrived(yard.day(*refusing))
        for recipient, way in names.items():
            seen, want = known[recipient], wants[recipient]
            due = {
                n: w
                for n, w in there.items()
                if want == "everything" or n not in seen or (want == "new_or_changed" and seen[n] != w)
            }
            if way in refusing:
                assert recipient not in found
            else:
                assert sorted(found[recipient]) == sorted(due.items()), (day, way, want)
                seen |= due


def test_what_one_missed_is_looked_at_sent_again_and_marked_for_them_alone(yard: Yard) -> None:
    hook, drop = yard.sending.recipient("webhook"), yard.sending.recipient("sftp")
    yard.set({hook: None, drop: None})
    run = yard.day("webhook")
    assert run.template_id is not None
    memory = {r: Memory(run.template_id, yard.round_id, r) for r in (hook, drop)}
    with yard.sending.services.store.session() as session:
        sent = {r: memories.look_up(session, memory[r], key_digest(["3"])) is not None for r in memory}
        changes.mark(session, memory[hook], "Ines", yard.sending.now, [key_digest([str(n)]) for n in range(1, 6)])
        changes.forget(session, memory[drop], "Ines", yard.sending.now, keys=[key_digest(["4"])])
    found = yard.arrived(yard.day())

    assert sent == {hook: False, drop: True}
    assert {r: numbers(rows) for r, rows in found.items()} == {hook: [6], drop: [4]}


def test_a_record_is_said_to_have_gone_where_its_file_went(yard: Yard) -> None:
    """Of a run that sent different records to different people, only those who got it are named."""
    hook, drop = yard.sending.recipient("webhook", "Hook"), yard.sending.recipient("sftp", "Drop")
    yard.set({hook: None, drop: None})
    yard.day("webhook")
    yard.sql("INSERT INTO crate VALUES (7, 70)")
    second = yard.day()
    went = {}
    with yard.sending.services.store.session() as session:
        for number in ("1", "7"):
            runs = runs_that_sent(session, None, second.source, "crate", short_digest([number]))
            went[number] = {r.id: sorted(whereabout(session, r, holders).went_to) for r, holders in runs}

    assert went["1"][second.id] == ["Hook, by webhook for Hook"]
    assert went["7"][second.id] == ["Drop, by sftp for Drop", "Hook, by webhook for Hook"]


def test_what_could_not_be_delivered_starts_nothing_by_itself(yard: Yard) -> None:
    """It goes out with the next record that appears, to whom it did not reach."""
    hook, drop = yard.sending.recipient("webhook"), yard.sending.recipient("sftp")
    watch = {"every": 10, "quiet": 0, "longest": 600}
    yard.set({hook: None, drop: None}, trigger="appears", watch=watch, look_at=yard.sending.now)
    queue = Queue(yard.sending.services)

    def looks() -> list[int]:
        yard.sending.now += timedelta(minutes=3)
        with queue.opened():
            found = watch_rounds(yard.sending.services, queue)
        for run_id in found:
            execute(yard.sending.services, run_id)
        for _ in range(6):
            yard.sending.send()
            yard.sending.now += timedelta(minutes=2)
        return found

    yard.room.tell("webhook", "refuse")
    (first,) = looks()
    states = {d.recipient_id: d.state for d in yard.sending.deliveries(get(yard.sending.services, first))}
    assert states == {hook: "failed", drop: "arrived"}
    assert looks() == []
    yard.room.tell("webhook", None)
    yard.sql("INSERT INTO crate VALUES (7, 70)")
    (second,) = looks()

    found = yard.arrived(get(yard.sending.services, second))
    assert {r: numbers(rows) for r, rows in found.items()} == {hook: [1, 2, 3, 4, 5, 6, 7], drop: [7]}


def test_checks_of_a_file_that_only_one_gets_hold_the_run(yard: Yard) -> None:
    """What is wrong in it is said with whom it is for."""
    hook, drop = yard.sending.recipient("webhook", "Hook"), yard.sending.recipient("sftp")
    check = {"file": "rows", "greatest": 6, "severity": "hold"}
    yard.set({hook: None, drop: None}, {**NEW, "checks": [check]}, folder="crates")
    yard.day("webhook")
    yard.sql("INSERT INTO crate VALUES (7, 70)")
    (run_id,) = ticked(yard.sending.services)
    execute(yard.sending.services, run_id)
    run = get(yard.sending.services, run_id)

    assert run.status == "held"
    assert any(c["words"].startswith("For Hook: ") for c in (run.slip or {})["checks"] if c["objections"])


def test_nothing_new_for_one_stops_nobody_elses_file(yard: Yard) -> None:
    """Though the template says that a file must not be empty: an empty one is theirs alone, as the round says of it."""
    whole, new = (yard.sending.recipient("folder", name, folder=name) for name in ("a", "b"))
    check = {"file": "not_empty", "severity": "stop"}
    yard.set({whole: "everything", new: "new"}, {**CRATES, "checks": [check]})
    yard.day()
    found = yard.arrived(yard.day())

    assert {r: numbers(rows) for r, rows in found.items()} == {whole: [1, 2, 3, 4, 5, 6], new: []}


def test_what_stops_the_file_of_one_keeps_it_from_them_alone(yard: Yard) -> None:
    """It is told of as failed, with the check; once the records are right, they get what they missed."""
    hook, drop = yard.sending.recipient("webhook"), yard.sending.recipient("sftp")
    check = {"column": "b", "must": "between", "least": 1, "greatest": 100, "severity": "stop"}
    yard.set({hook: None, drop: None}, {**NEW, "checks": [check]}, folder="crates")
    yard.day("webhook")
    yard.sql("INSERT INTO crate VALUES (7, 70); UPDATE crate SET weight = 999 WHERE crate_id = 2")
    stopped = yard.day()
    yard.sql("UPDATE crate SET weight = 20 WHERE crate_id = 2")
    mended = yard.arrived(yard.day())

    states = {d.recipient_id: (d.state, "between" in d.why) for d in yard.sending.deliveries(stopped)}
    assert states == {hook: ("failed", True), drop: ("arrived", False)}
    assert {r: numbers(rows) for r, rows in mended.items()} == {hook: [1, 2, 3, 4, 5, 6, 7], drop: []}


def test_a_mail_tells_of_the_records_in_it_and_not_of_others(yard: Yard) -> None:
    """Its rows and its sentence are those of the file that goes along, also where nothing is new for them."""
    mail, drop = yard.sending.recipient("mail"), yard.sending.recipient("sftp")
    yard.set({drop: "everything", mail: "new"}, CRATES)
    yard.day()
    run = yard.day()
    (delivery,) = [d for d in yard.sending.deliveries(run) if d.recipient_id == mail]
    shown = [a.beginning for a in yard.room.arrivals if a.way == "mail"]

    assert content_of(run, delivery)[0] == 0
    assert ["Rows: 6" in shown[0], "Rows: 0" in shown[1]] == [True, True]
    assert all("sent before" in one for one in shown)
