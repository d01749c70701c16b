"""
The outbox: in order, each in their form, theirs alone, remembered when it arrived, and nobody waits for another.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Callable
from datetime import timedelta
from typing import Any

import pytest
import sqlalchemy as sa
import xmlschema
from python_calamine import CalamineWorkbook

from bouquet.delivery import end_old_links
from bouquet.demo.post_room import Room
from bouquet.runs import execute
from bouquet.store import deliveries as outbox
from bouquet.store import memory
from bouquet.store.models import Link, Means, Notice, Recipient, RoundRecipient, Run
from tests.conftest import NOW
from tests.delivery.conftest import Sending
from tests.runs.test_review import WARDS, get, ticked

TREES: dict[str, Any] = {
    "name": "Trees",
    "records": "tree",
    "columns": [
        {"id": "a", "heading": "Tag", "value": {"field": "tag"}},
        {"id": "b", "heading": "Girth", "value": {"field": "t_girth"}},
        {"id": "c", "heading": "Planted on", "value": {"field": "planted_on"}},
        {"id": "d", "heading": "Ward", "value": {"field": "site.ward.name"}},
    ],
    "filter": {"all": [{"path": "site.ward.code", "is": "one_of", "values": ["03", "07"]}]},
    "order": [{"column": "a"}],
    "at_most": 300,
    "output": {"name": "trees"},
}


def content(room: Room, way: str, name: str) -> bytes:
    found = list((room.folder / way).rglob(name))
    assert len(found) == 1
    return found[0].read_bytes()


def test_each_gets_the_same_rows_in_the_form_that_they_take(sending: Sending, room: Room) -> None:
    """One template, read once: a layout with other headings and order, a spreadsheet, and the template's own form."""
    layout = {
        "csv": {"separator": ";"},
        "name": "register_{as_of:%Y%m%d}",
        "columns": [{"heading": "WARD"}, {"heading": "tag", "kind": "text", "required": True, "unique": True}],
    }
    strict = sending.recipient("sftp", "strict", layout, folder="strict")
    book = sending.recipient("sftp", "book", {"format": "xlsx"}, folder="book")
    plain = sending.recipient("sftp", "plain", folder="plain")
    run = sending.run([strict, book, plain], TREES)
    sending.send()
    own = list(csv.reader(io.StringIO(content(room, "sftp/plain", "trees.csv").decode())))
    theirs = list(
        csv.reader(io.StringIO(content(room, "sftp/strict", "register_20261123.csv").decode()), delimiter=";")
    )
    sheet = (
        CalamineWorkbook.from_path(str(room.folder / "sftp" / "book" / "trees.xlsx")).get_sheet_by_index(0).to_python()
    )

    assert [d.state for d in sending.deliveries(run)] == ["arrived"] * 3
    assert theirs == [["WARD", "tag"], *([r[3], r[0]] for r in own[1:])]
    assert len(own) == 301
    assert [r[0] for r in sheet] == [r[0] for r in own]
    assert [f["unmet"] for f in (run.slip or {})["recipients"]] == [[], [], []]


@pytest.mark.parametrize(
    ("column", "says"),
    [
        ({"heading": "Number"}, "the template has no such column"),
        ({"heading": "Tag", "kind": "number"}, "they take a number"),
        ({"heading": "Ward", "unique": True}, "has values that repeat"),
        ({"heading": "Tag", "pattern": "[0-9]+"}, "not of the form that they take 300 times"),
        ({"heading": "Girth", "least": 1, "greatest": 2}, "outside 1 to 2"),
        ({"heading": "Ward", "one_of": ["Nowhere"]}, "not one of theirs 300 times"),
        ({"heading": "Tag", "longest": 2}, "longer than 2 characters"),
    ],
)
def test_who_has_a_layout_that_is_not_met_gets_nothing_and_the_others_do(
    sending: Sending, room: Room, column: dict[str, Any], says: str
) -> None:
    strict, plain = sending.recipient("webhook", "strict", {"columns": [column]}), sending.recipient("webhook", "plain")
    run = sending.run([strict, plain], TREES)
    sending.send()
    first, second = sending.deliveries(run)

    assert (first.state, second.state, len(room.arrivals)) == ("failed", "arrived", 1)
    assert says in first.why
    assert run.status == "ready"
    with sending.services.store.session() as session:
        assert any(says in n.text for n in session.query(Notice))


def test_a_round_that_sends_nothing_when_there_is_nothing_sends_nobody_an_empty_mail(
    sending: Sending, room: Room
) -> None:
    none = {**WARDS, "filter": {"all": [{"path": "name", "is": "is", "value": "Nowhere"}]}}
    run = sending.run([sending.recipient("mail")], none, when_empty="skip")
    sending.send()

    assert (run.status, sending.deliveries(run), room.arrivals) == ("ready", [], [])


def test_who_wants_to_know_is_told_that_there_is_nothing(sending: Sending, room: Room) -> None:
    """By mail, without a file, whether or not the round writes one; a way out that cannot say it sends nothing."""
    none = {**WARDS, "filter": {"all": [{"path": "name", "is": "is", "value": "Nowhere"}]}}
    mail, store = sending.recipient("mail"), sending.recipient("store")
    sending.round([mail, store], none, when_empty="skip")
    with sending.services.store.session() as session:
        for entry in session.query(RoundRecipient):
            entry.when_empty = "tell"
    (run_id,) = ticked(sending.services)
    execute(sending.services, run_id)
    sending.send()
    (told,) = sending.deliveries(get(sending.services, run_id))
    (arrival,) = room.arrivals

    assert (told.state, told.recipient_id, told.files) == ("arrived", mail, [])
    assert "nothing to send this time" in arrival.beginning


def test_what_is_blank_and_required_is_listed_for_whoever_fills_it(
    sending: Sending, room: Room, query: Callable[[str], list[tuple[Any, ...]]]
) -> None:
    wanted = {"columns": [{"heading": "Tag"}, {"heading": "Planted on", "required": True}]}
    run = sending.run([sending.recipient("webhook", "Canopy Register", wanted)], {**TREES, "order": [{"path": "t_id"}]})
    (file,) = [f for f in run.files if f.role == "missing"]
    rows = list(csv.reader(io.StringIO(b"".join(sending.services.storage.chunks(file.path)).decode("utf-8-sig"))))
    blank = query(
        "SELECT t_id FROM (SELECT t_id, t_planted FROM tree JOIN site USING (s_id) JOIN ward ON ward.w_id = site.ward_id"
        " WHERE w_code IN ('03', '07') ORDER BY t_id LIMIT 300) t WHERE t_planted IS NULL ORDER BY t_id"
    )

    assert rows[0][-1] == "What is missing"
    assert rows[1:] == [[str(t), "Planted on"] for (t,) in blank]
    assert len(blank) > 0
    assert sending.deliveries(run)[0].state == "failed"


def test_what_cannot_be_written_in_ones_form_keeps_nothing_from_the_others(sending: Sending, room: Room) -> None:
    """A letter that their encoding does not have."""
    greek = {**WARDS, "columns": [*WARDS["columns"], {"id": "b", "heading": "Ω", "value": {"constant": "Ω"}}]}
    narrow = sending.recipient("webhook", "narrow", {"format": "csv", "csv": {"encoding": "iso-8859-1"}})
    run = sending.run([narrow, sending.recipient("webhook", "wide")], greek)
    sending.send()

    assert run.status == "ready"
    assert [d.state for d in sending.deliveries(run)] == ["failed", "arrived"]
    assert "Ω" in sending.deliveries(run)[0].why


REPORTS: dict[str, Any] = {
    "name": "Reports",
    "records": "resident_report",
    "columns": [
        {"id": "a", "heading": "Who", "value": {"field": "resident"}},
        {"id": "b", "heading": "No", "value": {"field": "number"}},
    ],
    "at_most": 5,
    "output": {"name": "reports"},
}


def test_personal_data_reaches_nobody_who_may_not_receive_it(sending: Sending, room: Room) -> None:
    allowed = sending.recipient("webhook", "allowed", {"personal": True})
    # Whoever takes only the other column receives nothing personal.
    narrow = sending.recipient("webhook", "narrow", {"columns": [{"heading": "No"}]})
    run = sending.run([sending.recipient("webhook", "not"), allowed, narrow], REPORTS)
    sending.send()

    assert [d.state for d in sending.deliveries(run)] == ["failed", "arrived", "arrived"]
    assert sorted("Who" in a.beginning for a in room.arrivals) == [False, True]


@pytest.mark.parametrize("less", [{}, {"personal": True, "classes": {"name": "masked"}}])
def test_personal_data_waits_for_nobody_who_may_receive_less_by_now(
    sending: Sending, room: Room, less: dict[str, Any]
) -> None:
    """What was made before is not sent, neither again; where they may have it again, it is."""
    to = sending.recipient("webhook", "desk", {"personal": True})
    run = sending.run([to], REPORTS)
    whole = {"personal": True}
    for number, (acceptance, state) in enumerate(((less, "failed"), (less, "failed"), (whole, "arrived"))):
        with sending.services.store.session() as session:
            session.get_one(Recipient, to).acceptance = acceptance
            if number:
                outbox.send_again(session, sending.deliveries(run)[-1].id, "Ines", sending.now)
        sending.send()
        assert sending.deliveries(run)[-1].state == state
    assert len(room.arrivals) == 1


def test_each_gets_personal_data_as_they_may_receive_it(sending: Sending, room: Room) -> None:
    """Masked, as a pseudonym of their own, or without the column; what is made of it, not at all; and who takes parts
    named by it, nothing."""
    reports = {
        "name": "Reports",
        "records": "resident_report",
        "columns": [
            {"id": "a", "heading": "Who", "value": {"field": "resident"}},
            {"id": "b", "heading": "No", "value": {"field": "number"}},
            {"id": "c", "heading": "Letters", "value": {"formula": "=LEN({resident})"}},
            {"id": "d", "heading": "Mail", "value": {"field": "mail"}},
        ],
        "order": [{"path": "number"}],
        "filter": {"path": "mail", "is": "not_blank"},
        "at_most": 5,
        "output": {"name": "reports"},
    }
    to = {
        name: sending.recipient("sftp", name, acceptance, folder=name)
        for name, acceptance in {
            "whole": {"personal": True},
            "masked": {"personal": True, "classes": {"name": "masked"}},
            "one": {"classes": {"name": "pseudonym", "contact": "hidden"}},
            "other": {"classes": {"name": "pseudonym", "contact": "hidden"}},
            "half": {"classes": {"name": "masked"}},
        }.items()
    }
    run = sending.run(list(to.values()), reports)
    sending.send()
    states = {d.recipient_id: d.state for d in sending.deliveries(run)}
    received = {a.facts["folder"]: list(csv.reader(io.StringIO(a.beginning))) for a in room.arrivals}
    sending.run([sending.recipient("webhook", "parts", {"personal": True, "classes": {"name": "masked"}})], {
        **reports, "name": "By name", "output": {"name": "by_{value:a}", "split": {"by": "a"}}
    })  # fmt: skip
    before = len(room.arrivals)
    sending.send()

    assert [states[to[n]] for n in to] == ["arrived"] * 4 + ["failed"]
    assert received["whole"][0] == ["Who", "No", "Letters", "Mail"]
    assert received["masked"][0] == ["Who", "No", "Mail"]
    assert received["one"][0] == received["other"][0] == ["Who", "No"]
    names = [row[0] for row in received["whole"][1:]]
    assert [row[0] for row in received["masked"][1:]] == [" ".join(f"{w[0]}." for w in n.split()[:2]) for n in names]
    pseudonyms = [[row[0] for row in received[who][1:]] for who in ("one", "other")]
    assert all(len(one) == 15 for both in pseudonyms for one in both)
    assert not set(pseudonyms[0]) & set(pseudonyms[1])
    assert len(set(pseudonyms[0])) == len(set(names))
    assert len(room.arrivals) == before


def test_each_gets_their_own_part_and_nobody_anothers(sending: Sending, room: Room) -> None:
    """Codes that look alike are not the same; the part of nobody has the run wait."""
    split = {
        **TREES,
        "at_most": None,
        "output": {"name": "trees_{value:site.ward.code}", "split": {"by": "site.ward.code"}},
    }
    sending.recipient("sftp", "three", {"facts": {"ward": "03"}}, folder="three")
    sending.recipient("sftp", "trois", {"facts": {"ward": "3"}}, folder="trois")
    run = sending.run([], split, own_part={"fact": "ward", "missing": "hold"})
    assert run.status == "held"
    assert "07" in (run.error or {})["message"]
    sending.recipient("sftp", "seven", {"facts": {"ward": "07"}}, folder="seven")
    from bouquet.store import runs as ledger

    with sending.services.store.session() as session:
        ledger.release_run(session, run.id, "Ines", "somebody has it now", sending.now)
    execute(sending.services, run.id)
    sending.send()

    assert {a.name: a.facts["folder"] for a in room.arrivals} == {"trees_03.csv": "three", "trees_07.csv": "seven"}
    assert not (room.folder / "sftp" / "trois").exists()


def test_what_waits_for_one_recipient_goes_out_in_order_and_delays_nobody(sending: Sending, room: Room) -> None:
    one, other = sending.recipient("webhook"), sending.recipient("mail")
    room.tell("webhook", "busy", times=1)
    first = sending.run([one, other])
    second = sending.run([one, other], {**WARDS, "name": "Wards 2", "output": {"name": "second"}})
    sending.send()
    assert [d.state for d in sending.deliveries(first)] == ["trying", "arrived"]
    assert [d.state for d in sending.deliveries(second)] == ["waiting", "arrived"]
    sending.now += timedelta(seconds=5)
    sending.send()

    assert [a.name for a in room.arrivals if a.way == "webhook"] == ["wards.csv", "second.csv"]


def test_a_delivery_that_cannot_even_be_begun_fails_and_the_next_goes_out(sending: Sending, room: Room) -> None:
    """What is known of its run is damaged: it is tried as often as any other, and keeps nothing back for ever."""
    recipient = sending.recipient("webhook")
    first = sending.run([recipient])
    second = sending.run([recipient], {**WARDS, "name": "Later"})
    with sending.services.store.session() as session:
        session.execute(sa.update(Run).where(Run.id == first.id).values(slip={"recipients": [{"no": "number"}]}))
    for minutes in range(6):
        sending.now = NOW + timedelta(minutes=minutes)
        sending.send()
    ends = [d.state for run in (first, second) for d in sending.deliveries(run)]

    assert (ends, len(room.arrivals)) == (["failed", "arrived"], 1)


def test_a_machine_that_does_not_answer_is_left_alone_for_all_its_deliveries(sending: Sending) -> None:
    first = sending.recipient("webhook")
    with sending.services.store.session() as session:
        means = session.get_one(Recipient, first).means
        means.settings = {**means.settings, "url": "http://127.0.0.1:9/desk"}
        second = Recipient(
            name="second",
            acceptance={},
            means_id=means.id,
            address={},
            created_by=sending.person.id,
            created_at=sending.now,
        )
        session.add(second)
        session.flush()
        numbers, means_id = [first, second.id], means.id
    run = sending.run(numbers)
    for _ in range(3):
        sending.send()
        sending.now += timedelta(seconds=2)
    with sending.services.store.session() as session:
        down = session.get_one(Means, means_id).down_until
    tried = sum(d.tries for d in sending.deliveries(run))
    sending.send()

    assert down is not None
    assert tried == sum(d.tries for d in sending.deliveries(run))
    assert all("does not answer" in d.why for d in sending.deliveries(run) if d.tries)


def remembered(sending: Sending, run: Run, recipient: int | None = None) -> int:
    """How many records a run's round remembers for a recipient, the first one if none is given."""
    whose = recipient if recipient is not None else sending.deliveries(run)[0].recipient_id
    with sending.services.store.session() as session:
        return memory.facts_of(session, memory.Memory(run.template_id or 0, run.round_id or 0, whose))[0]


def test_what_must_arrive_is_remembered_when_it_has(sending: Sending, room: Room) -> None:
    """While it is on its way it is not sent twice; when it failed for good, the next run has it again."""
    recipient = sending.recipient("webhook")
    room.tell("webhook", "busy")
    run = sending.run([recipient], {**WARDS, "only": "new"})
    sending.send()
    assert remembered(sending, run) == 0
    sending.now += timedelta(days=1)
    (again,) = ticked(sending.services)
    execute(sending.services, again)
    assert get(sending.services, again).rows_written == 0
    for _ in range(6):
        sending.now += timedelta(minutes=2)
        sending.send()
    assert sending.deliveries(run)[0].state == "failed"
    sending.now += timedelta(days=1)
    (third,) = ticked(sending.services)
    execute(sending.services, third)
    assert get(sending.services, third).rows_written == 12
    room.tell("webhook", None)
    sending.send()

    assert remembered(sending, run) == 12


def test_a_link_is_remembered_when_it_is_fetched_and_new_again_when_nobody_did(sending: Sending) -> None:
    run = sending.run([sending.recipient("link")], {**WARDS, "only": "new"})
    sending.send()
    (offered,) = sending.deliveries(run)
    assert (offered.state, remembered(sending, run)) == ("offered", 0)
    with sending.services.store.session() as session:
        outbox.fetched(session, outbox.get_delivery(session, offered.id), offered.files[0], sending.now)

    assert (sending.deliveries(run)[0].state, remembered(sending, run)) == ("arrived", 12)


def test_a_link_that_nobody_used_makes_its_records_new_again(sending: Sending) -> None:
    run = sending.run([sending.recipient("link")], {**WARDS, "only": "new"})
    sending.send()
    with sending.services.store.session() as session:
        sending.now = session.get_one(Link, sending.deliveries(run)[0].id).expires_at + timedelta(minutes=1)
    end_old_links(sending.services)
    (over,) = sending.deliveries(run)
    (next_one, *_) = ticked(sending.services)
    execute(sending.services, next_one)

    assert over.state == "failed"
    assert get(sending.services, next_one).rows_written == 12


def test_who_takes_every_worker_along_is_given_up(sending: Sending, room: Room) -> None:
    """Each try ends with its worker: none is left to say how it went."""
    run = sending.run([sending.recipient("webhook")])
    with sending.services.store.session() as session:
        (delivery,) = session.get_one(Run, run.id).deliveries
        delivery.state, delivery.tries = "sending", 4
    sending.send()
    (delivery,) = sending.deliveries(run)

    assert (delivery.state, room.arrivals) == ("failed", [])
    assert "broken off" in delivery.why


def test_people_waive_and_send_again_and_the_ledger_says_so(sending: Sending, room: Room) -> None:
    recipient, other = sending.recipient("webhook"), sending.recipient("mail")
    room.tell("webhook", "refuse")
    run = sending.run([recipient], {**WARDS, "only": "new"})
    sending.send()
    room.tell("webhook", None)
    services, (failed,) = sending.services, sending.deliveries(run)
    with services.store.session() as session:
        again = outbox.send_again(session, failed.id, "Ines", sending.now).id
        elsewhere = outbox.send_again(session, failed.id, "Ines", sending.now, other).id
    sending.send()
    with services.store.session() as session:
        states = [outbox.get_delivery(session, n).state for n in (failed.id, again, elsewhere)]
        events = [(e.state, e.by) for e in outbox.get_delivery(session, again).events]

    assert states == ["failed", "arrived", "arrived"]
    assert events == [("waiting", "Ines"), ("sending", ""), ("arrived", "")]
    assert remembered(sending, run) == 12
    assert {a.way for a in room.arrivals} == {"webhook", "mail"}


def test_a_form_that_needs_explaining_brings_its_schema(sending: Sending, room: Room) -> None:
    """Their XML holds by the schema that came with it; what somebody fetches for themselves has neither."""
    to = sending.recipient("sftp", "reader", {"format": "xml", "name": "theirs"}, folder="xml")
    run = sending.run([to])
    sending.send()
    names = sorted(a.name for a in room.arrivals)
    folder = room.folder / "sftp" / "xml"

    assert names == ["theirs-schema.xsd", "theirs.xml"]
    assert xmlschema.XMLSchema(str(folder / "theirs-schema.xsd")).is_valid(str(folder / "theirs.xml"))
    assert {f.name for f in run.files if f.recipient_id is None} == {"wards.csv"}
