"""
What a stranger, a program or a careless colleague can send: refused at the door, in words, and nothing is harmed.
"""

from __future__ import annotations

import base64
import hashlib
import io
import json
import re
import threading
import time
import zipfile
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pytest
import sqlalchemy as sa
from fastapi.testclient import TestClient
from pydantic import SecretStr

from bouquet.core.spreadsheets import BadSpreadsheet, Room, check_spreadsheet
from bouquet.rounds import make_queue
from bouquet.runs import Services
from bouquet.settings import Settings
from bouquet.store.models import Download, TemplateRecord
from bouquet.web import create_app, guard

API = "/api/v1"
WARDS: dict[str, Any] = {
    "name": "Door wards",
    "records": "ward",
    "columns": [{"id": "a", "heading": "Ward", "value": {"field": "name"}}],
}
SignIn = Callable[[str], TestClient]


def add(client: TestClient, document: dict[str, Any] = WARDS) -> int:
    made = client.post(f"{API}/templates", json={"document": document})
    assert made.status_code == 201, made.text
    number: int = made.json()["id"]
    client.post(f"{API}/templates/{number}/versions", json={"note": ""}, headers={"If-Match": '"1"'})
    return number


# Addresses, hosts, origins


@pytest.mark.parametrize(
    "address", ["/api/v1/runs/%00", "/api/v1/templates?q=%00", "/%FF", "/api/v1/records/%00/views"]
)
def test_addresses_that_cannot_be_read_are_refused(client: TestClient, address: str) -> None:
    """Signed in or not; never an error of the server."""
    assert client.get(address).status_code == 400


@pytest.mark.parametrize(
    "address",
    ["runs/99999999999999999999", "templates/99999999999999999999", "runs?before=99999999999999999999", "comparisons/9223372036854775808",
     "runs/1/files/99999999999999999999", "templates/1/versions/99999999999999999999", "rounds?ahead=99999999999999999999"],
)  # fmt: skip
def test_numbers_beyond_the_store_are_refused(sign_in: SignIn, address: str) -> None:
    """Sixty-four bits and no more, in every part of an address."""
    assert sign_in("ines").get(f"{API}/{address}").status_code in (404, 422)


@pytest.mark.parametrize(
    ("host", "status"), [("evil.example", 421), ("127.0.0.1", 200), ("[::1]:8010", 200), ("bouquet", 200), ("a b", 421)]
)
def test_only_our_own_names_are_answered(client: TestClient, host: str, status: int) -> None:
    """A name that a stranger made to lead here is none of ours."""
    assert client.get(f"{API}/health", headers={"Host": host}).status_code == status


@pytest.mark.parametrize(
    "headers",
    [
        {"Origin": "https://evil.example"},
        {"Sec-Fetch-Site": "cross-site"},
        {"Origin": "null"},
        {"Sec-Fetch-Site": "same-site"},
    ],
)
def test_what_another_site_asks_for_is_not_done(sign_in: SignIn, headers: dict[str, str]) -> None:
    """Cookies alone prove nothing."""
    client = sign_in("ines")
    refused = client.put(f"{API}/session/preferences", json={"theme": "dark"}, headers=headers)
    own = client.put(
        f"{API}/session/preferences",
        json={"theme": "dark"},
        headers={"Origin": "http://127.0.0.1", "Sec-Fetch-Site": "same-origin"},
    )

    assert (refused.status_code, own.status_code) == (403, 200)


# Bodies


@pytest.mark.parametrize(
    "text",
    [
        '{"document": {"name": "\\ud800"}}',
        '{"document": {"name": "a\\u0000b"}}',
        '{"document": NaN}',
        "[" * 5000,
        '{"document": {"at_most": 1' + "0" * 5000 + "}}",
    ],
)
def test_bodies_that_nothing_can_keep_are_refused(sign_in: SignIn, text: str) -> None:
    """Half a character, NUL, no number, endless nesting or digits: told, and nothing is saved."""
    client = sign_in("ines")
    before = len(client.get(f"{API}/templates").json())
    answer = client.post(f"{API}/templates", content=text, headers={"Content-Type": "application/json"})

    assert answer.status_code == 422, answer.text
    assert len(client.get(f"{API}/templates").json()) == before


def test_a_body_is_bounded_before_it_is_read(sign_in: SignIn) -> None:
    """By its length, and, where that is not told or a lie, while it is received."""
    client = sign_in("ines")
    told = client.post(f"{API}/templates", content=b"x" * (guard.MOST_BODY + 1))
    untold = client.post(f"{API}/templates", content=(b"x" * 1_000_000 for _ in range(20)))

    assert (told.status_code, untold.status_code) == (413, 413)


@pytest.mark.parametrize(
    "document",
    [{**WARDS, "columns": [{"id": f"c{n}", "heading": f"H{n}", "value": {"field": "name"}} for n in range(1_700)]},
     {**WARDS, "filter": {"all": [{"path": "name", "is": "blank"}] * 10_000}}, {**WARDS, "at_most": 10**30}],
)  # fmt: skip
def test_documents_have_a_limit(sign_in: SignIn, document: dict[str, Any]) -> None:
    """More than can be worked with is said before anything is made of it."""
    began = time.monotonic()
    answer = sign_in("ines").post(f"{API}/design/look", json={"document": document})

    assert answer.json()["rows"] == []
    assert {p["code"] for p in answer.json()["problems"]} <= {"too_many", "less_than_equal"}
    assert time.monotonic() - began < 5


def test_columns_that_double_do_not_take_the_library_away(sign_in: SignIn) -> None:
    """A chain of thirty formula columns, each twice the last, is refused at its column; the library still answers."""
    columns: list[dict[str, Any]] = [{"id": "c0", "heading": "C0", "value": {"formula": "{name} & {name}"}}]
    columns += [
        {"id": f"c{n}", "heading": f"C{n}", "value": {"formula": f"{{C{n - 1}}} & {{C{n - 1}}}"}} for n in range(1, 30)
    ]
    client = sign_in("ines")
    began = time.monotonic()
    add(client, {**WARDS, "name": "Doubling", "columns": columns})
    look = client.post(f"{API}/design/look", json={"document": {**WARDS, "columns": columns}})
    library = client.get(f"{API}/templates")

    assert (look.status_code, library.status_code) == (200, 200)
    assert any(p["code"] == "large_formula" for p in look.json()["problems"])
    assert time.monotonic() - began < 10


# Turns


def test_what_is_too_much_waits_or_comes_back(services: Services, monkeypatch: pytest.MonkeyPatch) -> None:
    """One asker has six questions under way; the seventh is told when to come back, another asker is answered."""
    import asyncio

    monkeypatch.setattr(guard, "PATIENCE", 0.1)
    release = asyncio.Event()

    async def app(scope: Any, receive: Any, send: Any) -> None:
        await release.wait()
        await send({"type": "http.response.start", "status": 200, "headers": []})
        await send({"type": "http.response.body", "body": b""})

    async def ask(guarded: Any, cookie: str) -> tuple[int, dict[bytes, bytes]]:
        sent: list[Any] = []

        async def send(message: Any) -> None:
            sent.append(message)

        scope = {
            "type": "http",
            "method": "POST",
            "path": "/api/v1/design/look",
            "query_string": b"",
            "headers": [(b"host", b"localhost"), (b"cookie", cookie.encode())],
        }
        await guarded(scope, None, send)
        return sent[0]["status"], dict(sent[0]["headers"])

    async def main() -> None:
        guarded = guard.Guard(app)
        running = [asyncio.create_task(ask(guarded, "one")) for _ in range(guard.MOST_OF_ONE)]
        await asyncio.sleep(0.01)
        status, headers = await ask(guarded, "one")
        other = asyncio.create_task(ask(guarded, "two"))
        await asyncio.sleep(0.01)
        release.set()

        assert (status, headers[b"retry-after"]) == (503, b"2")
        assert [s for s, _ in await asyncio.gather(*running, other)] == [200] * (guard.MOST_OF_ONE + 1)

    # The browser's tests leave a loop running in the main thread.
    with ThreadPoolExecutor(1) as pool:
        pool.submit(lambda: asyncio.run(main())).result()


# Signing in


def test_guessing_is_braked_and_the_rightful_person_is_told_how_long(client: TestClient) -> None:
    """Eight wrong passwords for one account from one place; then a pause, whether the account is there or not."""
    for email in ("ines@marrowby.example", "nobody@marrowby.example"):
        answers = [client.post(f"{API}/session", json={"email": email, "password": "wrong"}) for _ in range(9)]
        assert [a.status_code for a in answers] == [401] * 8 + [429]
        assert int(answers[-1].headers["Retry-After"]) <= 60
        assert answers[0].json()["detail"] == "Wrong e-mail address or password."


def test_one_changes_ones_password_and_other_sessions_end(sign_in: SignIn, client: TestClient) -> None:
    """The one that changed it goes on; a short or wrong one is refused."""
    ines = sign_in("ines")
    old = dict(ines.cookies)
    current = {"email": "", "password": ""}
    from bouquet.demo.demo import PEOPLE

    current = {"email": PEOPLE[0][1], "password": PEOPLE[0][3]}
    ines.cookies.clear()
    client.post(f"{API}/session", json=current).raise_for_status()
    wrong = client.put(f"{API}/session/password", json={"current": "no", "new": "a long new password"})
    short = client.put(f"{API}/session/password", json={"current": current["password"], "new": "short"})
    changed = client.put(f"{API}/session/password", json={"current": current["password"], "new": "a long new password"})
    still = client.get(f"{API}/session")
    client.cookies.clear()
    client.cookies.update(old)
    gone = client.get(f"{API}/session")

    assert (wrong.status_code, short.status_code, changed.status_code) == (403, 422, 204)
    assert (still.status_code, gone.status_code) == (200, 401)


# What is somebody's own


def test_runs_of_ones_own_template_are_ones_own(sign_in: SignIn, client: TestClient, services: Services) -> None:
    """Not in another's ledger, not by its number, not in totals; the keeper sees it."""
    ines = sign_in("ines")
    number = add(ines)
    ines.patch(f"{API}/templates/{number}", json={"standing": "own"}).raise_for_status()
    run = ines.post(f"{API}/runs", json={"template_id": number}).json()["id"]
    with services.store.session() as session:
        record = session.get_one(TemplateRecord, number)
        assert record.standing == "own"
    tobin = sign_in("tobin")
    hidden = [tobin.get(f"{API}/runs/{run}{part}").status_code for part in ("", "/history", "/archive", "/files/1")]

    assert hidden == [404, 404, 404, 404]
    assert run not in [r["id"] for r in tobin.get(f"{API}/runs").json()["runs"]]
    assert tobin.post(f"{API}/runs/{run}/discard", json={"reason": "mine now"}).status_code == 404
    assert sign_in("marta").get(f"{API}/runs/{run}").status_code == 200


def test_what_was_removed_can_be_brought_back(sign_in: SignIn) -> None:
    """A template by its owner; a house template is not removed by any designer; a list by who saved it."""
    marta = sign_in("marta")
    number = add(marta, {**WARDS, "name": "House wards"})
    marta.patch(f"{API}/templates/{number}", json={"standing": "house"}).raise_for_status()
    ines = sign_in("ines")
    assert ines.delete(f"{API}/templates/{number}").status_code == 403
    own = add(ines, {**WARDS, "name": "Mine"})
    assert ines.delete(f"{API}/templates/{own}").status_code == 204
    assert ines.post(f"{API}/templates/{own}/restore").json()["name"] == "Mine"
    ines.put(f"{API}/picks/few", json={"records": "ward", "keys": [["1"]]}).raise_for_status()
    marta = sign_in("marta")
    assert marta.put(f"{API}/picks/few", json={"records": "ward", "keys": [["2"]]}).status_code == 200


def test_what_was_removed_is_listed_for_whoever_may_bring_it_back(sign_in: SignIn) -> None:
    """A template, its round, a list and a view, the latest first; each comes back at its address."""
    ines = sign_in("ines")
    number = add(ines)
    body = {"template_id": number, "beat": "daily", "at": "06:00", "folder": "wards"}
    round_id = ines.post(f"{API}/rounds", json=body).json()["id"]
    ines.put(f"{API}/picks/few", json={"records": "ward", "keys": [["1"]]}).raise_for_status()
    view = ines.put(f"{API}/records/ward/views", json={"name": "Mine", "document": WARDS, "shared": False}).json()["id"]
    for path in (f"rounds/{round_id}", f"templates/{number}", "picks/few", f"records/views/{view}"):
        assert ines.delete(f"{API}/{path}").status_code == 204
    listed = ines.get(f"{API}/removed").json()
    seen_by = {who: {r["kind"] for r in sign_in(who).get(f"{API}/removed").json()} for who in ("marta", "tobin")}
    ines = sign_in("ines")
    for entry in listed:
        place = {"picks": "picks/removed", "view": "records/views"}.get(entry["kind"], f"{entry['kind']}s")
        ines.post(f"{API}/{place}/{entry['id']}/restore").raise_for_status()

    assert {r["kind"] for r in listed} == {"template", "round", "picks", "view"}
    assert seen_by == {"marta": {"template", "round", "picks"}, "tobin": set()}
    assert ines.get(f"{API}/removed").json() == []


def test_a_clerk_is_offered_the_choices_of_their_own_part(sign_in: SignIn) -> None:
    """Contractors that a person's own work orders name: some, and no more than everybody's."""
    ines = sign_in("ines")
    document = {
        "name": "Lines of a contractor", "records": "work_order",
        "columns": [{"id": "n", "heading": "No.", "value": {"field": "number"}}],
        "asks": [{"name": "who", "label": "Which contractor?", "kind": "choices"}],
        "filter": {"all": [{"path": "contractor.code", "is": "one_of", "ask": "who"}]},
    }  # fmt: skip
    number = add(ines, document)
    all_of_them = len(ines.get(f"{API}/templates/{number}/questions").json()["asks"][0]["choices"])
    theirs = len(sign_in("tobin").get(f"{API}/templates/{number}/questions").json()["asks"][0]["choices"])

    assert 0 < theirs <= all_of_them


def test_a_round_with_personal_data_says_what_for(sign_in: SignIn) -> None:
    """No purpose, no round."""
    ines = sign_in("ines")
    columns = [{"id": "n", "heading": "Who", "value": {"field": "name"}}]
    types = {t["name"]: t for t in ines.get(f"{API}/record-types").json()}
    fields = ines.get(f"{API}/record-types/resident_report").json()["groups"][0]["fields"]
    personal = next(f["path"] for f in fields if f["personal"])
    columns[0]["value"] = {"field": personal}
    number = add(ines, {"name": "Residents", "records": "resident_report", "columns": columns})
    body = {"template_id": number, "beat": "daily", "at": "06:00", "folder": "residents"}
    refused, made = (
        ines.post(f"{API}/rounds", json=body),
        ines.post(f"{API}/rounds", json={**body, "purpose": "calling back"}),
    )

    assert "resident_report" in types
    assert (refused.status_code, refused.json()["errors"][0]["place"], made.status_code) == (422, "purpose", 201)


def test_personal_data_leaves_for_what_the_house_knows(sign_in: SignIn) -> None:
    """By runs, bundles and rounds alike; where nothing else is taken, what is known is said."""
    number = add(sign_in("ines"), {"name": "Callers of the list", "records": "resident_report", "columns": [
        {"id": "n", "heading": "Who", "value": {"field": "resident"}}
    ]})  # fmt: skip
    marta = sign_in("marta")
    known = {"names": ["calling back", "year book", "calling back"], "only": True}
    assert marta.put(f"{API}/purposes", json=known).json() == {"names": ["calling back", "year book"], "only": True}
    ines = sign_in("ines")
    body = {"template_id": number, "beat": "daily", "at": "06:00", "folder": "callers"}
    bundle = {"bundle": {"name": "b", "templates": [number]}}
    for path, asked in (("rounds", body), ("runs", {"template_id": number}), ("runs", bundle)):
        refused = ines.post(f"{API}/{path}", json={**asked, "purpose": "curiosity"})
        taken = ines.post(f"{API}/{path}", json={**asked, "purpose": " Year book "})
        assert (refused.status_code, refused.json()["errors"][0]["place"]) == (422, "purpose")
        assert "calling back, year book" in refused.json()["errors"][0]["message"]
        assert taken.status_code in (201, 202), taken.text
    assert ines.get(f"{API}/purposes").json()["only"] is True


def test_what_is_said_of_a_template_is_what_it_runs(sign_in: SignIn) -> None:
    """A draft that is not saved changes neither the library nor what a round must be told."""
    ines = sign_in("ines")
    columns = [{"id": "n", "heading": "Who", "value": {"field": "resident"}}]
    document = {"name": "Callers", "records": "resident_report", "columns": columns, "only": "new"}
    number = add(ines, document)
    before = next(t for t in ines.get(f"{API}/templates").json() if t["id"] == number)
    columns = [{"id": "n", "heading": "Number", "value": {"field": "number"}}]
    draft = {**document, "columns": columns, "only": "everything", "output": {"format": "pdf"}, "asks": [
        {"name": "since", "label": "Since when?", "kind": "date"}
    ]}  # fmt: skip
    tag = {"If-Match": ines.get(f"{API}/templates/{number}").headers["ETag"]}
    assert ines.put(f"{API}/templates/{number}/draft", json=draft, headers=tag).status_code == 200
    after = next(t for t in ines.get(f"{API}/templates").json() if t["id"] == number)
    body = {"template_id": number, "beat": "daily", "at": "06:00", "folder": "callers"}
    refused = ines.post(f"{API}/rounds", json=body)
    made = ines.post(f"{API}/rounds", json={**body, "purpose": "calling back"}).json()

    assert refused.json()["errors"][0]["place"] == "purpose"
    assert made["remembers"]
    said = ("sentence", "format", "asks", "fields", "personal", "broken")
    assert [after[name] for name in said] == [before[name] for name in said]


def test_downloads_are_recorded(sign_in: SignIn, services: Services) -> None:
    """Who took which file, when, and by which way."""
    from bouquet.runs import execute

    ines = sign_in("ines")
    number = add(ines)
    run = ines.post(f"{API}/runs", json={"template_id": number}).json()["id"]
    execute(services, run)
    file = ines.get(f"{API}/runs/{run}").json()["files"][0]["id"]
    ines.get(f"{API}/runs/{run}/files/{file}").raise_for_status()
    ines.get(f"{API}/templates/{number}/newest").raise_for_status()
    with services.store.session() as session:
        taken = list(session.execute(sa.select(Download.run_file_id, Download.way).order_by(Download.id)))

    assert [tuple(t) for t in taken] == [(file, "page"), (file, "address")]


# Spreadsheets


def workbook(sheet: str, *more: tuple[str, bytes]) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as package:
        package.writestr("xl/workbook.xml", "<workbook/>")
        package.writestr("xl/worksheets/sheet1.xml", sheet)
        for name, content in more:
            package.writestr(name, content)
    return buffer.getvalue()


ROOM = Room(unpacked=10_000_000, cells=1_000_000)


@pytest.mark.parametrize(
    "content",
    [workbook('<sheetData><row r="1"><c r="A1"><v>1</v></c></row><row r="1048576"><c r="XFD1048576"><v>1</v></c></row></sheetData>'),
     workbook('<dimension ref="A1:XFD1048576"/><sheetData/>'), workbook("<sheetData/>", ("xl/media/zeros", b"\0" * 20_000_000)),
     workbook("<sheetData>" + "<c/>" * 1_100_000 + "</sheetData>"),
     workbook("<sheetData/>", ("xl/elsewhere.xml", b'<c r="XFD1048576"/>')), b"PK\x03\x04 nonsense", b"a,b\r\n1,2\r\n"],
)  # fmt: skip
def test_a_spreadsheet_is_measured_before_it_is_read(content: bytes) -> None:
    """Far corners, lies about size, bombs and what is no workbook at all."""
    with pytest.raises(BadSpreadsheet):
        check_spreadsheet(io.BytesIO(content), ROOM)


def test_far_corners_do_not_end_the_server(sign_in: SignIn) -> None:
    """A kilobyte with two cells at opposite corners is refused in words, at once."""
    bad = workbook(
        '<sheetData><row r="1"><c r="A1"><v>1</v></c></row><row r="1048576"><c r="XFD1048576"/></row></sheetData>'
    )
    began = time.monotonic()
    answer = sign_in("ines").post(
        f"{API}/design/header-of-file", content=bad, headers={"Content-Type": "application/octet-stream"}
    )

    assert (answer.status_code, "too large" in answer.json()["detail"]) == (422, True)
    assert time.monotonic() - began < 5


def test_an_honest_spreadsheet_is_read(sign_in: SignIn) -> None:
    """Its header row and first rows come back as text."""
    from openpyxl import Workbook

    book, buffer = Workbook(), io.BytesIO()
    book.active.append(["Tag", "Girth"])  # type: ignore[union-attr]
    book.active.append(["MB-1", 12])  # type: ignore[union-attr]
    book.save(buffer)
    answer = sign_in("ines").post(
        f"{API}/design/header-of-file", content=buffer.getvalue(), headers={"Content-Type": "application/octet-stream"}
    )

    assert answer.json()["text"] == "Tag\tGirth\nMB-1\t12"


# Logs


def test_logs_hold_no_local_variables(capsys: pytest.CaptureFixture[str]) -> None:
    """A traceback tells where, never what: passwords, plans and records stand in variables."""
    import structlog

    from bouquet.logs import configure_logs

    configure_logs()
    try:
        password = "not for the log"  # noqa: F841
        try:
            raise RuntimeError("odd")
        except RuntimeError:
            structlog.get_logger().exception("failed", run=7)
    finally:
        structlog.reset_defaults()
    line = capsys.readouterr().err.strip()

    assert json.loads(line)["run"] == 7
    assert "not for the log" not in line


def test_a_failing_care_shows_on_the_health_address(client: TestClient, services: Services) -> None:
    """Until it goes well again."""
    from bouquet.store import care

    with services.store.session() as session:
        care.note_care(session, "runs", ["job 7: locked"], services.clock())

    assert client.get(f"{API}/health").json()["status"] == "failing"
    assert threading.active_count() < 200


# Headers and cookies


def test_pages_run_and_show_nothing_that_stands_in_them(client: TestClient) -> None:
    """No script and no style of a page itself, no frame, nothing from elsewhere."""
    headers = client.get(f"{API}/health").headers
    policy = headers["Content-Security-Policy"]

    assert "unsafe" not in policy
    assert {"default-src 'self'", "object-src 'none'", "frame-ancestors 'none'", "base-uri 'none'"} <= set(
        policy.split("; ")
    )
    assert headers["Cross-Origin-Opener-Policy"] == headers["Cross-Origin-Resource-Policy"] == "same-origin"
    assert "Strict-Transport-Security" not in headers


def test_pages_of_links_have_one_style_that_is_known(client: TestClient) -> None:
    """By its digest; nothing else runs, loads or frames them."""
    answer = client.get(f"/take/{'a' * 40}")
    style = re.search(r"<style>(.*)</style>", answer.text, re.DOTALL)
    assert style is not None
    digest = base64.b64encode(hashlib.sha256(style[1].encode()).digest()).decode()

    assert f"style-src 'sha256-{digest}'" in answer.headers["Content-Security-Policy"]
    assert "default-src 'none'" in answer.headers["Content-Security-Policy"]


def test_by_tls_a_session_belongs_to_this_host_alone(services: Services) -> None:
    """Its cookie is set for no other host, path or way; and the browser comes by TLS from then on."""
    settings = Settings(store_url=SecretStr("x"), source_url=SecretStr("x"), secure_cookies=True, _env_file=None)  # type: ignore[call-arg]
    app = create_app(services, make_queue(services), settings)
    with TestClient(app, base_url="https://127.0.0.1") as client:
        body = {"email": "ines@marrowby.example", "password": "damson-and-lime"}
        answer = client.post(f"{API}/session", json=body)
        said = answer.headers["Set-Cookie"]

        assert said.startswith("__Host-bouquet_session=")
        assert {"HttpOnly", "Secure", "Path=/", "SameSite=strict"} <= set(said.split("; "))
        assert "Domain" not in said
        assert "max-age" in answer.headers["Strict-Transport-Security"]
        assert client.get(f"{API}/session").status_code == 200
        client.delete(f"{API}/session")
        assert client.get(f"{API}/session").status_code == 401
