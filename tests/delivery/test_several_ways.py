"""
A recipient who receives by several ways.
"""

from __future__ import annotations

from datetime import timedelta

import pytest

from bouquet.demo.post_room import Room
from bouquet.store import NotPossible
from bouquet.store.deliveries import send_again
from bouquet.store.models import Delivery, Run
from tests.delivery.conftest import Sending
from tests.delivery.test_outbox import remembered
from tests.runs.test_review import WARDS


def states(sending: Sending, run: Run) -> dict[str, str]:
    with sending.services.store.session() as session:
        return {d.means.kind: d.state for d in session.get_one(Run, run.id).deliveries}


def test_the_same_file_arrives_by_each_of_them(sending: Sending, room: Room) -> None:
    recipient = sending.recipient("webhook", "desk")
    sending.also_by(recipient, "sftp", "mail")
    run = sending.run([recipient])
    sending.send()

    assert states(sending, run) == {"webhook": "arrived", "sftp": "arrived", "mail": "arrived"}
    assert sorted(a.way for a in room.arrivals) == ["mail", "sftp", "webhook"]
    assert {a.sha256 for a in room.arrivals if a.way != "mail"} == {f.sha256 for f in run.files}


def test_a_way_that_is_down_delays_no_other_and_keeps_its_own_order(sending: Sending, room: Room) -> None:
    recipient = sending.recipient("webhook", "desk")
    sending.also_by(recipient, "sftp")
    room.tell("sftp", "busy", times=1)
    first = sending.run([recipient])
    second = sending.run([recipient], {**WARDS, "name": "Later", "output": {"name": "second"}})
    sending.send()
    assert states(sending, first) == {"webhook": "arrived", "sftp": "trying"}
    assert states(sending, second) == {"webhook": "arrived", "sftp": "waiting"}
    sending.now += timedelta(seconds=5)
    sending.send()

    assert [a.name for a in room.arrivals if a.way == "sftp"] == ["wards.csv", "second.csv"]


@pytest.mark.parametrize("failing", ["webhook", "sftp"])
def test_what_arrived_by_one_of_them_is_not_new_again(sending: Sending, room: Room, failing: str) -> None:
    recipient = sending.recipient("webhook", "desk")
    sending.also_by(recipient, "sftp")
    room.tell(failing, "busy")
    run = sending.run([recipient], {**WARDS, "only": "new"})
    for _ in range(6):
        sending.send()
        sending.now += timedelta(minutes=2)

    assert sorted(states(sending, run).values()) == ["arrived", "failed"]
    assert remembered(sending, run, recipient) == 12


def test_it_is_sent_again_by_the_way_that_failed_alone(sending: Sending, room: Room) -> None:
    recipient = sending.recipient("webhook", "desk")
    sending.also_by(recipient, "sftp")
    room.tell("sftp", "full")
    run = sending.run([recipient])
    for _ in range(6):
        sending.send()
        sending.now += timedelta(minutes=2)
    room.tell("sftp", None)
    (failed,) = [d for d in sending.deliveries(run) if d.state == "failed"]
    with sending.services.store.session() as session:
        send_again(session, failed.id, "Ines", sending.now)
    sending.send()

    assert [a.way for a in room.arrivals] == ["webhook", "sftp"]
    with sending.services.store.session() as session:
        assert [(d.means.kind, d.number) for d in session.get_one(Run, run.id).deliveries] == [
            ("webhook", 1),
            ("sftp", 1),
            ("sftp", 2),
        ]


def test_nothing_goes_by_a_way_that_was_taken_from_them(sending: Sending, room: Room) -> None:
    recipient = sending.recipient("webhook", "desk")
    sending.also_by(recipient, "sftp")
    first = sending.run([recipient])
    sending.send()
    sending.also_by(recipient)
    second = sending.run([recipient], {**WARDS, "name": "Later"})
    assert list(states(sending, second)) == ["webhook"]
    with sending.services.store.session() as session:
        old: Delivery = next(d for d in session.get_one(Run, first.id).deliveries if d.way_id)
        with pytest.raises(NotPossible, match="does not receive by"):
            send_again(session, old.id, "Ines", sending.now)


def test_what_waits_does_not_go_by_a_way_that_was_taken_from_them(sending: Sending, room: Room) -> None:
    recipient = sending.recipient("webhook", "desk")
    sending.also_by(recipient, "sftp")
    run = sending.run([recipient])
    sending.also_by(recipient)
    sending.send()

    assert states(sending, run) == {"webhook": "arrived", "sftp": "failed"}
    assert [a.way for a in room.arrivals] == ["webhook"]
