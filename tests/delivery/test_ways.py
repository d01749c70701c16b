"""
Every way out, against a real server: what arrives is what was made, once, whatever the other side does.
"""

from __future__ import annotations

import base64
import hashlib
import hmac
import re
from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from typing import Any

import asyncssh
import pytest

from bouquet.delivery import parcel_of, take_back
from bouquet.delivery.means import way_to
from bouquet.demo.post_room import Room, sftp_stand_in
from bouquet.demo.post_room.stand_ins import _Counter, _Drop
from bouquet.store.models import Recipient
from tests.conftest import NOW
from tests.delivery.conftest import KEY, Sending, body_of
from tests.runs.test_review import WARDS

SENT = ("mail", "sftp", "webhook", "store")


@pytest.mark.parametrize("way", SENT)
def test_what_arrives_is_what_was_made(sending: Sending, room: Room, way: str) -> None:
    run = sending.run([sending.recipient(way)])
    sending.send()
    sending.send()
    (delivery,) = sending.deliveries(run)
    (arrival,) = room.arrivals
    made = body_of(sending.services, run)

    assert (delivery.state, delivery.tries) == ("arrived", 1)
    if way == "mail":
        assert arrival.facts["attached"] == "wards.csv"
        assert arrival.facts["to"] == "ward-desk@marrowby.example"
    else:
        assert (arrival.name, arrival.sha256) == ("wards.csv", hashlib.sha256(made).hexdigest())


@pytest.mark.parametrize("way", SENT)
@pytest.mark.parametrize("misdeed", ["busy", *(pytest.param(m, marks=pytest.mark.thorough) for m in ("full", "cut"))])
def test_what_fails_in_passing_is_tried_again(sending: Sending, room: Room, way: str, misdeed: Any) -> None:
    run = sending.run([sending.recipient(way)])
    room.tell(way, misdeed, times=1)
    sending.send()
    (delivery,) = sending.deliveries(run)
    assert (delivery.state, delivery.tries, room.arrivals) == ("trying", 1, [])
    assert delivery.why
    sending.now += timedelta(seconds=5)
    sending.send()
    (delivery,) = sending.deliveries(run)
    assert (delivery.state, delivery.tries, len(room.arrivals)) == ("arrived", 2, 1)


@pytest.mark.parametrize("way", SENT)
def test_who_answers_nothing_is_waited_for_so_long_and_tried_again(sending: Sending, room: Room, way: str) -> None:
    sending.services = replace(sending.services, delivery_wait=0.4)
    sending.services.clock = lambda: sending.now
    run = sending.run([sending.recipient(way)])
    room.tell(way, "hang")
    sending.send()
    (delivery,) = sending.deliveries(run)
    assert (delivery.state, delivery.tries, room.arrivals) == ("trying", 1, [])
    room.tell(way, None)
    sending.services.delivery_wait = 20
    sending.now += timedelta(minutes=2)
    sending.send()
    (delivery,) = sending.deliveries(run)
    assert (delivery.state, delivery.tries) == ("arrived", 2)


@pytest.mark.parametrize("way", SENT)
def test_what_is_refused_for_good_is_told_and_not_tried_again(sending: Sending, room: Room, way: str) -> None:
    run = sending.run([sending.recipient(way)])
    room.tell(way, "refuse")
    sending.send()
    (delivery,) = sending.deliveries(run)
    assert (delivery.state, delivery.next_at, room.arrivals) == ("failed", None, [])


@pytest.mark.parametrize("way", ["sftp", "store", "folder"])
def test_what_can_be_looked_up_is_never_sent_twice(sending: Sending, room: Room, way: str) -> None:
    """A worker that died after the file was there, and before it could say so."""
    run = sending.run([sending.recipient(way, mode="new") if way != "store" else sending.recipient(way)])
    sending.send()
    with sending.services.store.session() as session:
        (delivery,) = session.get_one(type(run), run.id).deliveries
        delivery.state, delivery.next_at = "sending", NOW
    sending.send()
    (delivery,) = sending.deliveries(run)

    assert (delivery.state, delivery.reply) == ("arrived", "it was there already")
    assert len(room.arrivals) == (0 if way == "folder" else 1)
    if way == "folder":
        assert [p.name for p in (sending.services.outgoing / "shared").iterdir()] == ["wards.csv"]


def test_a_mail_that_was_perhaps_sent_twice_says_so_and_can_be_known(sending: Sending, room: Room) -> None:
    run = sending.run([sending.recipient("mail")])
    sending.send()
    with sending.services.store.session() as session:
        (delivery,) = session.get_one(type(run), run.id).deliveries
        delivery.state, delivery.next_at, delivery.progress = "sending", NOW, {}
    sending.send()
    (delivery,) = sending.deliveries(run)

    assert "perhaps twice" in delivery.reply
    assert len({a.facts["message_id"] for a in room.arrivals}) == 1


@pytest.mark.parametrize(("way", "known"), [("mail", "message_id"), ("webhook", "idempotency-key")])
def test_what_nobody_answered_for_was_perhaps_sent_twice_however_the_next_try_went(
    sending: Sending, room: Room, way: str, known: str
) -> None:
    """Taken without an answer, then refused for a while, then taken: said, and known as one by its identity."""
    run = sending.run([sending.recipient(way)])
    for misdeed in ("mute", "busy", None):
        room.tell(way, misdeed)
        sending.send()
        sending.now += timedelta(minutes=2)
    (delivery,) = sending.deliveries(run)

    assert delivery.state == "arrived"
    assert "perhaps twice" in delivery.reply
    assert [len(room.arrivals), len({a.facts[known] for a in room.arrivals})] == [2, 1]


def test_a_try_that_ended_with_its_worker_stays_in_mind(sending: Sending, room: Room) -> None:
    """Though the try after it was refused for a while."""
    run = sending.run([sending.recipient("webhook")])
    with sending.services.store.session() as session:
        (delivery,) = session.get_one(type(run), run.id).deliveries
        delivery.state = "sending"
    for misdeed in ("busy", None):
        room.tell("webhook", misdeed)
        sending.send()
        sending.now += timedelta(minutes=2)
    (delivery,) = sending.deliveries(run)

    assert "perhaps twice" in delivery.reply


@pytest.mark.parametrize("way", ["sftp", "store"])
def test_what_was_taken_without_a_word_is_looked_up_and_not_sent_twice(sending: Sending, room: Room, way: str) -> None:
    run = sending.run([sending.recipient(way)])
    for misdeed, wait in (("mute", 1.0), (None, 20.0)):
        room.tell(way, misdeed)
        sending.services.delivery_wait = wait
        sending.send()
        sending.now += timedelta(minutes=2)
    (delivery,) = sending.deliveries(run)

    assert (delivery.state, len(room.arrivals)) == ("arrived", 1)


def test_a_request_is_signed_so_that_it_can_be_checked_by_the_standard_alone(sending: Sending, room: Room) -> None:
    """RFC 9421, 2.5 and 3.1: the base is made here by hand from what arrived."""
    sending.run([sending.recipient("webhook")])
    sending.send()
    (arrival,) = room.arrivals
    facts = arrival.facts
    given = re.fullmatch(r"(\w+)=(\((.*?)\).*)", facts["signature-input"])
    assert given is not None
    label, parameters, covered = given.groups()
    method, path = facts["target"].split(" ")
    values = {"@method": method, "@target-uri": f"http://{facts['host']}{path}"}
    lines = [f'"{name}": {values.get(name, facts.get(name, ""))}' for name in re.findall(r'"([^"]+)"', covered)]
    base = "\n".join([*lines, f'"@signature-params": {parameters}'])
    wanted = base64.b64encode(hmac.new(KEY.encode(), base.encode(), hashlib.sha256).digest()).decode()

    assert facts["signature"] == f"{label}=:{wanted}:"
    assert facts["content-digest"] == f"sha-256=:{base64.b64encode(bytes.fromhex(arrival.sha256)).decode()}:"
    assert {"@method", "@target-uri", "content-digest", "idempotency-key"} <= set(re.findall(r'"([^"]+)"', covered))


def test_an_sftp_server_with_another_key_gets_nothing(sending: Sending, room: Room) -> None:
    recipient = sending.recipient("sftp")
    with sending.services.store.session() as session:
        means = session.get_one(Recipient, recipient).means
        kind, body = means.settings["host_key"].split()
        means.settings = {**means.settings, "host_key": f"{kind} {body[:-4]}AAAA"}
    run = sending.run([recipient])
    sending.send()
    (delivery,) = sending.deliveries(run)

    assert (delivery.state, room.arrivals) == ("failed", [])
    assert "another key than the one that was pinned" in delivery.why


def test_an_sftp_server_that_got_further_keys_is_still_known(sending: Sending, room: Room, tmp_path: Path) -> None:
    """By the one that was pinned, whichever is asked for first; one of a kind that it has no more is told."""
    old, never = (asyncssh.generate_private_key(kind) for kind in ("ssh-rsa", "ecdsa-sha2-nistp256"))
    server = sftp_stand_in(Room(tmp_path / "room"), "paper-and-ink", [old])
    recipients = [sending.recipient("sftp", name) for name in ("known", "gone")]
    with sending.services.store.session() as session:
        for number, key in zip(recipients, (old, never), strict=True):
            means, public = session.get_one(Recipient, number).means, key.export_public_key().decode().split()[:2]
            means.settings = {**means.settings, "port": server.settings["port"], "host_key": " ".join(public)}
    run = sending.run(recipients)
    sending.send()
    server.stop()
    found = {d.recipient.name: (d.state, d.why) for d in sending.deliveries(run)}

    assert found["known"][0] == "arrived"
    assert "another key than the one that was pinned" in found["gone"][1]


def test_an_sftp_server_that_cannot_replace_gets_the_file_all_the_same(
    sending: Sending, room: Room, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Protocol 3 knows only renaming to a free name."""

    def lacking(self: Any, oldpath: bytes, newpath: bytes) -> None:
        raise asyncssh.SFTPOpUnsupported("Operation unsupported")

    monkeypatch.setattr(_Drop, "posix_rename", lacking)
    root = room.folder / "sftp" / "old"
    root.mkdir(parents=True)
    (root / "wards.csv").write_text("of yesterday")
    run = sending.run([sending.recipient("sftp", folder="old")])
    sending.send()
    assert sending.deliveries(run)[0].state == "arrived"
    assert (root / "wards.csv").read_bytes() == body_of(sending.services, run)
    assert [p.name for p in root.iterdir()] == ["wards.csv"]


@pytest.mark.parametrize("large", [False, True])
def test_a_store_of_the_older_protocol_gets_the_file_all_the_same(
    sending: Sending, room: Room, monkeypatch: pytest.MonkeyPatch, large: bool
) -> None:
    """It knows no conditions, and no digests behind what is sent; nothing that is there is replaced there either."""
    answered = _Counter.__call__

    def older(self: Any, environ: dict[str, Any], start: Any) -> Any:
        if "HTTP_IF_NONE_MATCH" in environ or "HTTP_X_AMZ_TRAILER" in environ:
            environ["wsgi.input"].read(int(environ.get("CONTENT_LENGTH") or 0))
            start("501 Not Implemented", [("Content-Type", "application/xml")])
            return [b"<Error><Code>NotImplemented</Code><Message>of a newer protocol</Message></Error>"]
        return answered(self, environ, start)

    monkeypatch.setattr(_Counter, "__call__", older)
    if large:
        monkeypatch.setattr("bouquet.delivery.store.LARGE", 1)
    recipients = [sending.recipient("store", name, prefix=f"older-{large}") for name in ("first", "second")]
    run = sending.run(recipients)
    sending.send()
    found = {d.state: d.why for d in sending.deliveries(run)}

    assert set(found) == {"arrived", "failed"}
    assert "not to be replaced" in found["failed"]
    assert [a.sha256 for a in room.arrivals] == [hashlib.sha256(body_of(sending.services, run)).hexdigest()]


def test_an_equal_object_of_another_delivery_is_not_withdrawn(sending: Sending, room: Room) -> None:
    prefix = "equal"
    first = sending.run([sending.recipient("store", "first", prefix=prefix, replace=True)])
    sending.send()
    second = sending.run([sending.recipient("store", "second", prefix=prefix, replace=True)], {**WARDS, "name": "Same"})
    sending.send()
    states = [sending.deliveries(run)[0].state for run in (first, second)]
    assert states == ["arrived", "arrived"]
    assert len(room.arrivals) == 2
    take_back(sending.services, sending.deliveries(first)[0].id, "Ines", "a mistake")
    with sending.services.store.session() as session:
        second_delivery = session.get_one(type(second), second.id).deliveries[0]
        assert way_to(sending.services, second_delivery).verify(parcel_of(sending.services, session, second_delivery))


@pytest.mark.parametrize("way", ["folder", "sftp"])
def test_an_equal_file_of_another_delivery_is_not_taken_for_ones_own(sending: Sending, room: Room, way: str) -> None:
    """A worker died before its file had the name that it noted, and meanwhile another delivered the same bytes there."""
    recipient = sending.recipient(way, mode="new", folder="equal")
    first = sending.run([recipient])
    sending.send()
    second = sending.run([recipient], {**WARDS, "name": "Same"})
    root = (sending.services.outgoing if way == "folder" else room.folder / "sftp") / "equal"
    with sending.services.store.session() as session:
        delivery = session.get_one(type(second), second.id).deliveries[0]
        (file,) = parcel_of(sending.services, session, delivery).files
        mark = delivery.id if way == "folder" else delivery.identity[:12]
        target = "equal/wards.csv" if way == "folder" else "wards.csv"
        delivery.state, delivery.next_at, delivery.progress = "sending", NOW, {f"at {file.id}": target}
    (root / f".wards.csv.{mark}.part").write_bytes(body_of(sending.services, first))
    sending.send()

    assert sending.deliveries(second)[0].state == "arrived"
    assert sorted(p.name for p in root.iterdir()) == ["wards-2.csv", "wards.csv"]


def test_a_fixed_name_is_replaced_and_another_is_never_overwritten(sending: Sending, room: Room) -> None:
    root = room.folder / "sftp" / "kept"
    root.mkdir(parents=True)
    (root / "wards.csv").write_text("somebody else's")
    new, fixed = (
        sending.recipient("sftp", "new", folder="kept", mode="new"),
        sending.recipient("sftp", "fixed", folder="kept"),
    )
    run = sending.run([new])
    sending.send()
    assert (root / "wards.csv").read_text() == "somebody else's"
    assert (root / "wards-2.csv").read_bytes() == body_of(sending.services, run)
    again = sending.run([fixed], {**WARDS, "name": "Wards again"})
    sending.send()
    assert (root / "wards.csv").read_bytes() == body_of(sending.services, again)
