"""
Rounds in people's own calendars: read by an independent reader, and by nobody without the address.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from typing import Any

import icalendar
import recurring_ical_events
import sqlalchemy as sa
from fastapi.testclient import TestClient

from bouquet.rounds import skip_next, tick_rounds
from bouquet.runs import Queue, Services
from bouquet.store.models import Occurrence, Round, TemplateRecord
from tests.conftest import NOW
from tests.web.templates import add

API = "/api/v1"
SignIn = Callable[[str], TestClient]


def set_round(client: TestClient, **more: Any) -> dict[str, Any]:
    body = {"template_id": add(client), "folder": "feed", "format": "csv", "zone": "Europe/London", **more}
    made = client.post(f"{API}/rounds", json=body)
    assert made.status_code == 201, made.text
    found: dict[str, Any] = made.json()
    return found


def address(client: TestClient) -> str:
    made = client.post(f"{API}/feeds/mine")
    assert made.status_code == 201, made.text
    found: str = made.json()["address"]
    return found[found.index(API) :]


def calendar(client: TestClient, where: str) -> icalendar.Calendar:
    found = client.get(where)
    assert found.status_code == 200, found.text
    assert found.headers["content-type"].startswith("text/calendar")
    return icalendar.Calendar.from_ical(found.content)  # type: ignore[return-value]


def test_planned_moments_are_those_of_the_round(sign_in: SignIn) -> None:
    """Each once, at its moment, for two months; read without sign-in."""
    client = sign_in("ines")
    made = set_round(client, rhythm={"every": "week", "weekdays": [0, 3], "times": ["06:30", "18:00"]})
    where = address(client)
    client.delete(f"{API}/session")
    found = recurring_ical_events.of(calendar(client, where)).between(NOW, NOW + timedelta(days=62))
    moments = sorted(e["DTSTART"].dt for e in found)

    assert [m.isoformat().replace("+00:00", "Z") for m in moments[: len(made["next"])]] == made["next"]
    assert len(moments) == len(set(moments)) >= 34
    assert {str(e["SUMMARY"]) for e in found} == {made["template"]}
    assert len({str(e["UID"]) for e in found}) == len(found)


def test_past_moments_say_what_became_of_them(sign_in: SignIn, services: Services) -> None:
    """One that ran leads to its run, one that was left out is cancelled."""
    client = sign_in("ines")
    made = set_round(client, rhythm={"every": "day", "times": ["06:00"]})
    with services.store.session() as session:
        skip_next(session, made["id"], "Ines Harrow", NOW)
        session.get_one(Round, made["id"]).next_at = NOW - timedelta(hours=1)
    queue = Queue(services)
    with queue.opened():
        tick_rounds(services, queue)
    events = calendar(client, address(client)).walk("VEVENT")
    skipped = [e for e in events if e["STATUS"] == "CANCELLED"]
    ran = [e for e in events if "/runs/" in str(e["URL"])]

    assert ["skipped by" in str(e["DESCRIPTION"]) for e in skipped] == [True]
    assert [e["DTSTART"].dt for e in ran] == [NOW - timedelta(hours=1)]


def test_any_name_and_note_reads_as_it_was_written(sign_in: SignIn, services: Services) -> None:
    """Signs that mean something to a calendar, line breaks and long lines: names and notes stay inside their event."""
    client = sign_in("ines")
    made = set_round(client, rhythm={"every": "day", "times": ["06:00"]})
    name = "Trees; wards, \\n “crowns”: " + "Ulme und Eberesche " * 12 + "ж🌳"
    note = "skipped by A\r\nEND:VEVENT\nBEGIN:VEVENT, B; C\\" + "é" * 90
    with services.store.session() as session:
        session.get_one(TemplateRecord, session.get_one(Round, made["id"]).template_id).name = name
        session.add(Occurrence(round_id=made["id"], planned_at=NOW - timedelta(hours=1), note=note))
    text = client.get(address(client)).content
    events = calendar(client, address(client)).walk("VEVENT")
    past = [e for e in events if e["STATUS"] == "CANCELLED"]

    assert max(map(len, text.split(b"\r\n"))) <= 75
    assert {str(e["SUMMARY"]) for e in events} == {name}
    assert [str(e["DESCRIPTION"]) for e in past] == [f"A round, every day at 06:00: {note}.".replace("\r\n", "\n")]
    assert len(events) == text.count(b"\r\nBEGIN:VEVENT\r\n")


def test_an_address_is_its_own_secret_and_can_be_renewed(sign_in: SignIn, services: Services) -> None:
    """Another's rounds are not in it, an old one is worthless, and one of somebody who was let go as well."""
    client = sign_in("ines")
    set_round(client, rhythm={"every": "day", "times": ["06:00"]})
    first = address(client)
    assert client.get(f"{API}/feeds/mine").json() == {"there": True, "address": ""}
    second = address(client)
    with services.store.session() as session:
        session.execute(sa.update(TemplateRecord).values(standing="own"))
    theirs = address(sign_in("tobin"))

    assert client.get(first).status_code == 404
    assert len(calendar(client, second).walk("VEVENT")) > 20
    assert calendar(client, theirs).walk("VEVENT") == []
    sign_in("ines")
    assert client.delete(f"{API}/feeds/mine").status_code == 204
    assert client.get(second).status_code == 404
    assert client.get(f"{API}/feeds/{'x' * 32}.ics").status_code == 404


def test_an_address_that_is_read_without_end_is_answered_now_and_then(sign_in: SignIn, services: Services) -> None:
    """Whoever has it cannot keep the server busy; a minute later it is read again, and others’ are all the while."""
    tobins, where = address(sign_in("tobin")), address(client := sign_in("ines"))
    answers = [client.get(where).status_code for _ in range(15)]
    refused = client.get(where)

    assert answers == [200] * 12 + [429] * 3
    assert refused.json()["type"] == "/problems/too_much_at_once"
    assert int(refused.headers["Retry-After"]) > 0
    assert client.get(tobins).status_code == 200
    services.clock = lambda: NOW + timedelta(minutes=2)
    assert client.get(where).status_code == 200


def test_a_feed_is_in_the_language_of_whose_rounds_it_shows(sign_in: SignIn, services: Services) -> None:
    """Whatever the program that reads it asks for."""
    client = sign_in("ines")
    set_round(client, rhythm={"every": "day", "times": ["06:00"]})
    where = address(client)
    client.put(f"{API}/session/preferences", json={"language": "de"}).raise_for_status()

    event = client.get(where, headers={"Accept-Language": "fr"}).text
    assert "jeden Tag um 06:00" in event


def test_coverage_is_said_while_a_round_is_set(sign_in: SignIn) -> None:
    """Weekends would be in no run, and a window that has them is offered."""
    client = sign_in("ines")
    window = {"path": "inspected_on", "is": "in_window", "window": {"type": "previous", "unit": "day"}}
    document = {
        "name": "Yesterday", "records": "inspection", "filter": {"all": [window]},
        "columns": [{"id": "a", "heading": "A", "value": {"field": "i_id"}}],
    }  # fmt: skip
    body = {
        "template_id": add(client, document), "folder": "x", "format": "csv", "zone": "Europe/London",
        "rhythm": {"every": "week", "weekdays": [0, 1, 2, 3, 4], "times": ["06:00"]},
    }  # fmt: skip
    weekdays = client.post(f"{API}/rounds/preview", json=body).json()
    daily = client.post(f"{API}/rounds/preview", json={**body, "rhythm": {"every": "day", "times": ["06:00"]}}).json()

    assert weekdays["coverage"][0] == "Fridays and Saturdays would be in no run."
    assert (weekdays["covered"], weekdays["cure"]["type"]) == (False, "since_last_run")
    assert (daily["coverage"], daily["covered"]) == (["Every day falls into exactly one run."], True)


def test_days_off_are_read_from_a_calendar_and_not_kept(sign_in: SignIn) -> None:
    """By who keeps the house; the days are answered, to be looked at before they are saved."""
    text = (
        "BEGIN:VCALENDAR\nBEGIN:VEVENT\nSUMMARY:Closed\nDTSTART;VALUE=DATE:20261224\nDTEND;VALUE=DATE:20261226\n"
        "END:VEVENT\nEND:VCALENDAR\n"
    )
    read = f"{API}/rounds/days-off/read"
    assert sign_in("ines").post(read, json={"text": text}).status_code == 403
    keeper = sign_in("marta")
    found = keeper.post(read, json={"text": text})

    assert found.json() == [{"day": "2026-12-24", "name": "Closed"}, {"day": "2026-12-25", "name": "Closed"}]
    assert keeper.get(f"{API}/rounds/days-off").json()["days"] == []
    assert keeper.post(read, json={"text": "no calendar"}).status_code == 422
