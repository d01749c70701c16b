"""
Each recipient's own part: in the form that they take, remembered when it arrived, and found again as theirs alone.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Callable
from typing import Any

import openpyxl
import pytest

from bouquet.core.memory import short_digest
from bouquet.demo.post_room import Room
from bouquet.runs import execute
from bouquet.store import NotPossible
from bouquet.store import deliveries as outbox
from bouquet.store import runs as ledger
from bouquet.store.models import Recipient, Run, RunFile
from bouquet.store.whereabouts import runs_that_sent, whereabout
from tests.delivery.conftest import Sending
from tests.delivery.test_readers import CRATES, Yard, yard  # noqa: F401
from tests.runs.test_review import get

Query = Callable[[str], list[tuple[Any, ...]]]

OWNERS = {
    **CRATES,
    "only": "new",
    "columns": [*CRATES["columns"], {"id": "o", "heading": "Owner", "value": {"field": "owner"}}],  # type: ignore[misc]
    "output": {"name": "crates_{value:owner}", "split": {"by": "owner"}},
}

OWN: dict[str, Any] = {"fact": "owner", "missing": "keep"}


@pytest.fixture
def owned(yard: Yard) -> Yard:  # noqa: F811
    """Crates of two owners, and of one whom nobody knows."""
    yard.sql(
        "ALTER TABLE crate ADD owner text; UPDATE crate SET owner = (ARRAY['ash', 'oak', 'fir'])[crate_id % 3 + 1]"
    )
    return yard


def test_who_did_not_get_their_part_gets_it_next_time_and_the_others_nothing_twice(owned: Yard) -> None:
    ash = owned.sending.recipient("webhook", acceptance={"facts": {"owner": "ash"}})
    oak = owned.sending.recipient("sftp", acceptance={"facts": {"owner": "oak"}})
    owned.set({}, OWNERS, own_part=OWN)
    first = owned.arrived(owned.day("webhook"))
    owned.sql("INSERT INTO crate VALUES (7, 70, now(), 'oak'), (9, 90, now(), 'fir')")
    second = owned.arrived(owned.day())
    third = owned.arrived(owned.day())

    assert first == {oak: [("1", "10"), ("4", "40")]}
    assert second == {ash: [("3", "30"), ("6", "60")], oak: [("7", "70")]}
    assert third == {}


def test_a_record_of_several_parts_is_sent_once_it_arrived_with_all_of_them(owned: Yard) -> None:
    """One row per child: the parts are those of the children."""
    ash = owned.sending.recipient("webhook", acceptance={"facts": {"owner": "thing 6"}})
    oak = owned.sending.recipient("sftp", acceptance={"facts": {"owner": "thing 12"}})
    document = {
        **OWNERS,
        "rows": {"per": "child", "path": "contents"},
        "filter": {"path": "contents.what", "is": "one_of", "values": ["thing 6", "thing 12"]},
        "output": {"name": "crates_{value:contents.what}", "split": {"by": "contents.what"}},
    }
    owned.set({}, document, own_part=OWN)
    first = owned.arrived(owned.day("webhook"))
    second = owned.arrived(owned.day())
    third = owned.arrived(owned.day())

    assert first == {oak: [("1", "10")]}
    assert second == {ash: [("1", "10")], oak: [("1", "10")]}
    assert third == {}


def test_a_record_went_to_whom_it_belonged_and_to_nobody_else(owned: Yard) -> None:
    ash = owned.sending.recipient("webhook", "Ash", {"facts": {"owner": "ash"}})
    oak = owned.sending.recipient("sftp", "Oak", {"facts": {"owner": "oak"}, "csv": {"separator": ";"}})
    owned.set({}, OWNERS, own_part=OWN)
    run = owned.day()

    def went_to(number: int) -> list[str]:
        digest = short_digest((str(number),))
        with owned.sending.services.store.session() as session:
            found = runs_that_sent(session, None, "", "crate", digest)
            return [who.split(",")[0] for r, holders in found for who in whereabout(session, r, holders).went_to]

    assert {d.recipient_id for d in owned.sending.deliveries(run)} == {ash, oak}
    assert [went_to(n) for n in (1, 2, 3)] == [["Oak"], [], ["Ash"]]


REPORTS = {
    "name": "Reports",
    "records": "resident_report",
    "columns": [
        {"id": "n", "heading": "Report", "value": {"field": "number"}},
        {"id": "s", "heading": "State", "value": {"field": "state"}},
        {"id": "r", "heading": "Resident", "value": {"field": "resident"}},
    ],
    "order": [{"path": "number"}],
    "output": {"name": "reports_{value:state}", "split": {"by": "state"}},
}


def content(sending: Sending, file: RunFile) -> bytes:
    return b"".join(sending.services.storage.chunks(file.path))


def test_a_part_comes_in_the_form_that_its_recipient_takes(sending: Sending, room: Room, query: Query) -> None:
    """One as they have it, one as a spreadsheet without residents, one not at all: personal data are not for them."""
    layout = {"facts": {"state": "New"}, "personal": True, "csv": {"separator": ";"},
              "columns": [{"heading": "Who", "kind": "text"}, {"heading": "REPORT"}], "name": "new_ones"}  # fmt: skip
    new = sending.recipient("webhook", "new", layout)
    hidden = {"facts": {"state": "Open"}, "format": "xlsx", "classes": dict.fromkeys(("name", "other"), "hidden")}
    open_ = sending.recipient("sftp", "open", hidden)
    closed = sending.recipient("mail", "closed", {"facts": {"state": "Closed"}})
    document = {**REPORTS, "columns": [{**REPORTS["columns"][2], "heading": "Who"}, *REPORTS["columns"][:2]]}  # type: ignore[index]
    run = sending.run([], document, own_part={"fact": "state", "missing": "hold"})
    assert run.status == "ready", run.error
    sending.send()
    found = {d.recipient_id: d for d in sending.deliveries(run)}
    files = {r: [f for f in run.files if f.id in d.files] for r, d in found.items()}

    def numbers(state: str) -> list[str]:
        return [n for (n,) in query(f"SELECT rp_no FROM rp_report WHERE rp_st = '{state}' ORDER BY rp_no, rp_id")]

    assert [found[r].state for r in (new, open_, closed)] == ["arrived", "arrived", "failed"]
    assert "personal data" in found[closed].why
    (theirs,) = files[new]
    heading, *rows = csv.reader(io.StringIO(content(sending, theirs).decode()), delimiter=";")
    assert (heading, theirs.name) == (["Who", "REPORT"], "new_ones-New.csv")
    assert [row[1] for row in rows] == numbers("N")
    (sheet,) = files[open_]
    book = openpyxl.load_workbook(io.BytesIO(content(sending, sheet)))
    cells = [[c for c in row if c is not None] for row in book.active.iter_rows(values_only=True)]  # type: ignore[union-attr]
    assert ["Report", "State"] in cells
    assert [row[0] for row in cells if row[1:] == ["Open"]] == numbers("O")


def test_who_comes_when_it_is_made_already_gets_no_personal_data_and_no_form(sending: Sending) -> None:
    """Until the run is made again, nothing is known of what they may receive of it."""
    sending.recipient("webhook", "new", {"facts": {"state": "New"}, "personal": True})
    run = sending.run([], REPORTS, own_part={"fact": "state", "missing": "hold"})
    assert run.status == "held"
    sending.recipient("webhook", "open", {"facts": {"state": "Open"}})
    sending.recipient("webhook", "closed", {"facts": {"state": "Closed"}, "personal": True})
    with sending.services.store.session() as session:
        ledger.release_run(session, run.id, "Ines", "they are there now", sending.now)
    execute(sending.services, run.id)
    sending.send()
    run = get(sending.services, run.id)
    with sending.services.store.session() as session:
        names = {r.id: r.name for r in session.query(Recipient)}
        states = {names[d.recipient_id]: d.state for d in session.get_one(Run, run.id).deliveries}

    assert states == {"new": "arrived", "open": "failed", "closed": "arrived"}


def test_who_may_not_receive_personal_data_does_not_read_it_in_the_sentence(sending: Sending, room: Room) -> None:
    """Neither in the file's title nor beside the file; who may receive it reads all of it."""
    residents = {"any": [{"path": "resident", "is": "is", "ask": "who"}, {"path": "state", "is": "not_blank"}]}
    asks = [{"name": "who", "label": "Who?", "kind": "text", "default": "Zebulon Quist"}]
    output = {"style": "reader", "name": "of_{ask.who}"}
    document = {**REPORTS, "columns": REPORTS["columns"][:2], "filter": residents, "asks": asks, "output": output}  # type: ignore[index]
    may = sending.recipient("webhook", "may", {"personal": True})
    may_not = sending.recipient("sftp", "may not", {})
    notice = sending.recipient("mail", "by mail", {"format": "xlsx"})
    run = sending.run([may, may_not, notice], document)
    sending.send()
    files = {d.recipient_id: [f for f in run.files if f.id in d.files] for d in sending.deliveries(run)}
    bodies = {to: [content(sending, f) for f in found] for to, found in files.items()}
    sheet = openpyxl.load_workbook(io.BytesIO(bodies[notice][0])).active
    names = {to: found[0].name for to, found in files.items()}
    letter = next(a for a in room.arrivals if a.way == "mail")

    assert {d.state for d in sending.deliveries(run)} == {"arrived"}
    assert "Quist" in bodies[may][0].decode()
    assert ["Quist" in names[to] for to in (may, may_not, notice)] == [True, False, False]
    assert "Quist" not in bodies[may_not][0].decode()
    assert "1 part you may not see" in bodies[may_not][0].decode()
    assert not any("Quist" in str(c) for row in sheet.iter_rows(values_only=True) for c in row)  # type: ignore[union-attr]
    assert "Quist" not in letter.beginning + str(letter.facts)
    (theirs,) = [d for d in sending.deliveries(run) if d.recipient_id == may]
    with sending.services.store.session() as session, pytest.raises(NotPossible, match="may not receive personal data"):
        outbox.send_again(session, theirs.id, "Ines", sending.now, may_not)
