"""
Who did what stands in the journal, for good, and whoever changes it is found out; sessions are listed and end.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
import sqlalchemy as sa
from fastapi.testclient import TestClient
from pydantic import SecretStr, ValidationError
from sqlalchemy.exc import DBAPIError

from bouquet.rounds.worker import seal_journal
from bouquet.runs import Services, execute
from bouquet.settings import Settings
from bouquet.store import journal
from bouquet.store.models import JournalEntry
from bouquet.web.journalling import ACTS, SILENT
from tests.conftest import NOW

API = "/api/v1"
SignIn = Callable[[str], TestClient]
WARDS: dict[str, Any] = {
    "name": "Wards of the journal",
    "records": "ward",
    "columns": [{"id": "a", "heading": "Ward", "value": {"field": "name"}}],
}


def entries(client: TestClient, **wanted: Any) -> list[dict[str, Any]]:
    answer = client.get(f"{API}/journal", params=wanted)
    assert answer.status_code == 200, answer.text
    found: list[dict[str, Any]] = answer.json()["entries"]
    return found


def acts(client: TestClient, **wanted: Any) -> list[str]:
    return [e["act"] for e in entries(client, **wanted)]


def seal(services: Services) -> int:
    with services.store.session() as session:
        return journal.seal_entries(session, services.clock())


def wrong(services: Services) -> tuple[str, ...]:
    with services.store.session() as session:
        return journal.verify_journal(session, services.clock()).wrong


def test_every_route_that_changes_something_is_written_down(client: TestClient) -> None:
    """Or is named as one that does not; a new one fails here until somebody says which."""
    paths = client.get(f"{API}/openapi.json").json()["paths"]
    found = {(m, p, o["operationId"]) for p, methods in paths.items() for m, o in methods.items()}
    changing = {name for m, p, name in found if m != "get" and not p.startswith(f"{API}/design")}
    assert changing - set(ACTS) - SILENT == set()
    assert (set(ACTS) | SILENT) - {name for *_, name in found} == set()


def test_who_did_what_is_told_with_its_thing_and_reason(sign_in: SignIn, services: Services) -> None:
    ines = sign_in("ines")
    template = ines.post(f"{API}/templates", json={"document": WARDS}).json()["id"]
    run = ines.post(f"{API}/runs", json={"template_id": template, "use": "draft", "purpose": "a look"}).json()["id"]
    execute(services, run)
    file = ines.get(f"{API}/runs/{run}").json()["files"][0]["id"]
    ines.get(f"{API}/runs/{run}/files/{file}")
    ines.post(f"{API}/templates/{template}/nothing")
    marta = sign_in("marta")
    found = entries(marta)

    assert [e["act"] for e in found] == [
        *("signed in", "fetched a file", "asked for a run", "made a template", "signed in"),
    ]
    made, asked = found[3], found[2]
    assert (made["who"], made["thing"], made["thing_id"], made["name"]) == (
        "Ines Harrow",
        "template",
        str(template),
        WARDS["name"],
    )
    assert asked["facts"] == {"template_id": template, "purpose": "a look"}
    assert acts(marta, thing="run", thing_id=str(run)) == ["fetched a file", "asked for a run"]
    assert acts(marta, search="ines", act="made a template") == ["made a template"]


def test_a_change_of_rights_is_told_before_and_after(sign_in: SignIn, people: dict[str, Any]) -> None:
    marta = sign_in("marta")
    tobin = people["tobin"]
    assert marta.patch(f"{API}/people/{tobin.id}", json={"roles": ["runner", "designer"]}).status_code == 200
    (told,) = entries(marta, act="changed a person")

    assert told["facts"]["before"]["roles"] == ["runner"]
    assert told["facts"]["roles"] == ["runner", "designer"]


def test_secrets_and_records_stay_out_of_it(sign_in: SignIn, services: Services) -> None:
    """Passwords, keys of stores, values of filters, keys of records."""
    marta = sign_in("marta")
    marta.post(f"{API}/session", json={"email": "ines@marrowby.example", "password": "not-her-password"})
    means = {"name": "Desk", "kind": "webhook", "settings": {"url": "https://desk.example"}, "secret": "hidden-key-1"}
    marta.post(f"{API}/means", json=means)
    secret = marta.post(f"{API}/tokens", json={"name": "reader", "acts": ["look"], "days": 1}).json()["secret"]
    marta.put(f"{API}/picks/Chosen", json={"records": "ward", "keys": [["hidden-key-2"]]})
    document = {**WARDS, "filter": {"path": "name", "is": "is", "value": "hidden-value-3"}}
    marta.post(f"{API}/templates", json={"document": document})
    with services.store.session() as session:
        text = str([(e.name, e.facts, e.thing_id) for e in session.scalars(sa.select(JournalEntry))])

    assert "could not sign in" in acts(marta)
    for hidden in ("not-her-password", "hidden-key-1", secret, "hidden-key-2", "hidden-value-3"):
        assert hidden not in text


def test_what_did_not_happen_is_not_told(sign_in: SignIn) -> None:
    ines = sign_in("ines")
    ines.post(f"{API}/templates", json={"document": {"name": ""}})
    ines.delete(f"{API}/templates/999999")
    ines.post(f"{API}/people", json={})
    assert acts(sign_in("marta")) == ["signed in", "signed in"]


def test_only_who_audits_reads_it(sign_in: SignIn) -> None:
    statuses = {w: sign_in(w).get(f"{API}/journal").status_code for w in ("tobin", "ines", "oskar", "marta")}
    assert statuses == {"tobin": 403, "ines": 403, "oskar": 200, "marta": 200}


@pytest.mark.parametrize(
    "statement",
    [
        "UPDATE journal SET who = 'nobody'",
        "DELETE FROM journal",
        "TRUNCATE journal CASCADE",
        "DELETE FROM journal_seals",
        "DELETE FROM journal_sealed",
    ],
)
def test_the_application_cannot_change_it(sign_in: SignIn, services: Services, statement: str) -> None:
    sign_in("ines")
    seal(services)
    with pytest.raises(DBAPIError, match="only added to"), services.store.session() as session:
        session.execute(sa.text(statement))
    assert wrong(services) == ()


@pytest.mark.parametrize(
    ("statement", "told"),
    [
        ("UPDATE journal SET who = 'Somebody Else' WHERE id = (SELECT min(id) FROM journal)", "was changed"),
        ("UPDATE journal SET facts = '{}' WHERE act = 'asked for a run'", "was changed"),
        ("DELETE FROM journal_sealed WHERE entry_id = (SELECT min(entry_id) FROM journal_sealed)", "there were"),
        ("DELETE FROM journal_sealed WHERE seal_id = (SELECT min(id) FROM journal_seals); DELETE FROM journal_seals WHERE id = (SELECT min(id) FROM journal_seals)", "a seal was removed"),
        ("INSERT INTO journal (id, at, who, via, act, facts) SELECT -1, at - interval '1 day', who, via, act, facts FROM journal LIMIT 1", "slipped in later"),
        ("INSERT INTO journal_retired SELECT min(id), now() FROM journal_seals; DELETE FROM journal_sealed WHERE seal_id = (SELECT min(id) FROM journal_seals)", "younger than a year"),
        ("UPDATE journal_seals SET at = at - interval '2 years' WHERE id = (SELECT max(id) FROM journal_seals)", "older than the one before"),
    ],
)  # fmt: skip
def test_who_changes_it_all_the_same_is_found_out(
    sign_in: SignIn, services: Services, statement: str, told: str
) -> None:
    """By somebody who owns the database, and so can lift what keeps it."""
    ines = sign_in("ines")
    seal(services)
    template = ines.post(f"{API}/templates", json={"document": WARDS}).json()["id"]
    ines.post(f"{API}/runs", json={"template_id": template, "use": "draft"})
    services.clock = lambda: NOW + timedelta(hours=1)
    seal(services)
    assert wrong(services) == ()
    with services.store.session() as session:
        for table in ("journal", "journal_seals", "journal_sealed", "journal_retired"):
            session.execute(sa.text(f"ALTER TABLE {table} DISABLE TRIGGER USER"))
        session.execute(sa.text(statement))
    services.clock = lambda: NOW + timedelta(hours=2)
    seal(services)

    assert any(told in said for said in wrong(services)), wrong(services)


def test_it_is_sealed_once_however_many_seal(sign_in: SignIn, services: Services) -> None:
    sign_in("ines")
    sign_in("marta")
    assert [seal(services), seal(services)] == [2, 0]
    with services.store.session() as session:
        found = journal.verify_journal(session, services.clock())
    assert (found.entries, found.seals, found.waiting, found.wrong) == (2, 1, 0, ())


def test_what_is_older_than_the_house_keeps_goes_with_its_seal_left(sign_in: SignIn, services: Services) -> None:
    """The oldest first, whole seals at a time; the chain holds, and that they went is an entry itself."""
    now = datetime.now(UTC)
    for days in (900, 500, 10):
        moment = now - timedelta(days=days)
        services.clock = lambda moment=moment: moment  # type: ignore[misc]
        sign_in("ines")
        seal(services)
    services.clock, services.journal_days = lambda: now, 400
    seal_journal(services)
    oskar = sign_in("oskar")

    assert acts(oskar) == ["signed in", "let old entries of the journal go", "signed in"]
    with services.store.session() as session:
        found = journal.verify_journal(session, now)
    assert (found.seals, found.retired, found.wrong) == (3, 2, ())


def test_what_stands_behind_a_seal_that_is_kept_is_kept(sign_in: SignIn, services: Services) -> None:
    """A worker whose clock was two years late sealed after another."""
    now = datetime.now(UTC)
    for days in (100, 800):
        moment = now - timedelta(days=days)
        services.clock = lambda moment=moment: moment  # type: ignore[misc]
        sign_in("ines")
        seal(services)
    services.clock, services.journal_days = lambda: now, 400
    seal_journal(services)
    with services.store.session() as session:
        assert journal.verify_journal(session, now).retired == 0


@pytest.mark.parametrize("place", ["(SELECT min(id) FROM journal_seals)", "(SELECT max(id) FROM journal_seals)"])
def test_the_database_keeps_a_year_and_lets_go_of_the_beginning_only(
    sign_in: SignIn, services: Services, place: str
) -> None:
    """Whatever rule the application has: the first seal is young here, the last one has another before it."""
    moment = datetime.now(UTC) - timedelta(days=300)
    services.clock = lambda: moment
    for _ in range(2):
        sign_in("ines")
        seal(services)
    with pytest.raises(DBAPIError, match="keeps a year"), services.store.session() as session:
        session.execute(sa.text(f"INSERT INTO journal_retired VALUES ({place}, now())"))


def test_a_rule_of_less_than_a_year_is_no_rule() -> None:
    with pytest.raises(ValidationError, match="a year at least"):
        Settings(store_url=SecretStr("x"), journal_days=30, _env_file=None)  # type: ignore[call-arg]


def test_it_is_exported_whole(sign_in: SignIn) -> None:
    """As CSV that no spreadsheet runs."""
    ines = sign_in("ines")
    ines.post(f"{API}/templates", json={"document": {**WARDS, "name": "=1+1"}})
    oskar = sign_in("oskar")
    answer = oskar.get(f"{API}/journal/export")
    heading, *rows = list(csv.reader(io.StringIO(answer.text)))

    assert heading[:4] == ["id", "at", "who", "via"]
    assert [r[5] for r in rows] == ["exported the journal", "signed in", "made a template", "signed in"]
    assert rows[2][8] == "'=1+1"


# Sessions


def test_sessions_are_listed_and_ended(client: TestClient, sign_in: SignIn) -> None:
    sign_in("ines")
    elsewhere = dict(client.cookies)
    client.cookies.clear()
    sign_in("ines")
    found = client.get(f"{API}/session/all").json()
    assert [s["here"] for s in found] == [True, False]
    assert client.delete(f"{API}/session/all/{found[1]['number']}").status_code == 204
    client.cookies.clear()
    client.cookies.update(elsewhere)
    assert client.get(f"{API}/session").status_code == 401


def test_all_other_sessions_end_at_once(client: TestClient, sign_in: SignIn) -> None:
    for _ in range(3):
        client.cookies.clear()
        sign_in("ines")
    client.delete(f"{API}/session/all")
    assert [s["here"] for s in client.get(f"{API}/session/all").json()] == [True]


def test_nobody_ends_somebody_elses_session(client: TestClient, sign_in: SignIn) -> None:
    number = sign_in("marta").get(f"{API}/session/all").json()[0]["number"]
    client.cookies.clear()
    sign_in("ines")
    assert client.delete(f"{API}/session/all/{number}").status_code == 404


def test_a_session_that_nobody_uses_ends(sign_in: SignIn, services: Services) -> None:
    """Used now and then it lasts until its own end."""
    client = sign_in("ines")
    for hours in (3, 6, 9):
        services.clock = lambda hours=hours: NOW + timedelta(hours=hours)
        assert client.get(f"{API}/session").status_code == 200
    services.clock = lambda: NOW + timedelta(hours=13, minutes=1)
    assert client.get(f"{API}/session").status_code == 401
    client.cookies.clear()
    sign_in("ines")
    services.clock = lambda: NOW + timedelta(hours=17, minutes=2)
    assert client.get(f"{API}/session").status_code == 401


def test_the_worker_seals_all_that_waits(services: Services, sign_in: SignIn, monkeypatch: pytest.MonkeyPatch) -> None:
    """Also what is more than one seal's worth; and its own trouble would stand in health."""
    monkeypatch.setattr(journal, "MOST_SEALED", 1)
    sign_in("ines").post(f"{API}/templates", json={"document": WARDS})
    seal_journal(services)

    assert seal(services) == 0
    assert wrong(services) == ()


def test_looking_at_personal_data_is_written_down_once_an_hour(sign_in: SignIn, services: Services) -> None:
    """At which columns of which records; no value stands in it; what is not personal is not noted."""
    ines = sign_in("ines")
    document = {
        "name": "Callers",
        "records": "resident_report",
        "columns": [
            {"id": "w", "heading": "Who called", "value": {"field": "resident"}},
            {"id": "n", "heading": "No.", "value": {"field": "number"}},
        ],
    }
    plain = {**document, "columns": document["columns"][1:]}
    for body in (plain, document, document):
        rows = ines.post(f"{API}/design/look", json={"document": body}).json()["rows"]
    services.clock = lambda: NOW + timedelta(hours=2)
    ines.post(f"{API}/design/look", json={"document": document})
    found = [e for e in entries(sign_in("marta")) if e["act"] == "looked at personal data"]
    told = {"records": "resident_report", "columns": ["Who called"], "template": "Callers"}

    assert [e["facts"] for e in found] == [told, told]
    assert rows[0][0] not in str(found)
