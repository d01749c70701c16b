"""
What a stranger, a program or a careless colleague can send: refused at the door, in words, and nothing is harmed.
"""

from __future__ import annotations

import asyncio
import base64
import hashlib
import inspect
import json
import re
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pytest
from fastapi.routing import APIRoute
from fastapi.testclient import TestClient
from pydantic import SecretStr

from bouquet.rounds import make_queue
from bouquet.runs import Services
from bouquet.settings import Settings
from bouquet.web import create_app, guard
from bouquet.web.app import _PARTS
from bouquet.web.routers import taking
from tests.web.templates import API, WARDS, SignIn, add

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
    ("host", "status"),
    [
        ("evil.example", 421),
        ("127.0.0.1", 200),
        ("[::1]:8010", 200),
        ("bouquet", 200),
        ("a b", 421),
        ("[", 421),
        ("[::1", 421),
    ],
)
def test_only_our_own_names_are_answered(client: TestClient, host: str, status: int) -> None:
    """A name that a stranger made to lead here is none of ours."""
    assert client.get(f"{API}/health", headers={"Host": host}).status_code == status


@pytest.mark.parametrize("length", ["9" * 5_000, "-1", "²".encode("latin-1"), ""])
def test_a_length_that_is_none_is_refused(client: TestClient, length: str | bytes) -> None:
    """Of more digits than a machine counts in, too."""
    assert client.get(f"{API}/health", headers={"Content-Length": length}).status_code == 400


@pytest.mark.parametrize(
    "headers",
    [
        {"Origin": "https://evil.example"},
        {"Sec-Fetch-Site": "cross-site"},
        {"Origin": "null"},
        {"Origin": "http://["},
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
        *(
            f'{{"document": {{"at_most": {n}}}}}'
            for n in ("1e999999999", "1e-999999999", "1e9999999999999999999", "1E1000")
        ),
        '{"document": {"at_most": 1.' + "0" * 5000 + "1}}",
        '{"document": [' + "0," * 600_000 + "0]}",
    ],
)
def test_bodies_that_nothing_can_keep_are_refused(sign_in: SignIn, text: str) -> None:
    """Half a character, NUL, no number, endless nesting, digits or values: told at once, and nothing is saved."""
    client = sign_in("ines")
    before, began = len(client.get(f"{API}/templates").json()), time.monotonic()
    answer = client.post(f"{API}/templates", content=text, headers={"Content-Type": "application/json"})

    assert answer.status_code == 422, answer.text
    assert time.monotonic() - began < 5
    assert len(client.get(f"{API}/templates").json()) == before


def test_a_body_is_bounded_before_it_is_read(sign_in: SignIn) -> None:
    """By its length, and, where that is not told or a lie, while it is received."""
    client = sign_in("ines")
    told = client.post(f"{API}/templates", content=b"x" * (guard.MOST_BODY + 1))
    untold = client.post(f"{API}/templates", content=(b"x" * 1_000_000 for _ in range(20)))

    assert (told.status_code, untold.status_code) == (413, 413)


def test_all_bodies_together_have_a_limit(sign_in: SignIn, monkeypatch: pytest.MonkeyPatch) -> None:
    """What is answered makes room again."""
    monkeypatch.setattr(guard, "MOST_HELD", 50_000)
    client = sign_in("ines")
    small, large = b" " * 40_000 + b"{}", b" " * 60_000 + b"{}"
    to = {"Content-Type": "application/json"}
    answers = [client.post(f"{API}/templates", content=c, headers=to) for c in (small, small, large, small)]

    assert [a.status_code == 503 for a in answers] == [False, False, True, False]
    assert answers[2].headers["Retry-After"] == "2"


def test_of_a_stranger_little_is_read(client: TestClient) -> None:
    """Who brings neither a session nor a token asks for nothing long; nor does anybody who signs in."""
    long = b'{"email": "' + b"x" * guard.MOST_OF_STRANGERS + b'"}'
    to = {"Content-Type": "application/json"}
    stranger = client.post(f"{API}/design/look", content=long, headers=to)
    door = client.post(f"{API}/session", content=long, headers={**to, "Cookie": "bouquet_session=x"})

    assert (stranger.status_code, door.status_code) == (413, 413)
    assert "100 kB" in stranger.json()["detail"]


async def passed(guarded: Any, path: str, cookie: str, *body: bytes) -> tuple[int, dict[bytes, bytes]]:
    """Status and headers of what the guard answers, or lets through; a body that does not end with a space goes on."""
    waiting, sent = [{"type": "http.request", "body": b, "more_body": not b.endswith(b" ")} for b in body], []

    async def receive() -> Any:
        return waiting.pop(0) if waiting else await asyncio.Event().wait()

    async def send(message: Any) -> None:
        sent.append(message)

    headers = [(b"host", b"localhost"), (b"cookie", cookie.encode())]
    scope = {"type": "http", "method": "POST", "path": path, "query_string": b"", "headers": headers}
    await guarded(scope, receive, send)
    return sent[0]["status"], dict(sent[0]["headers"])


async def answering(scope: Any, receive: Any, send: Any) -> None:
    while (await receive())["more_body"]:
        pass
    await send({"type": "http.response.start", "status": 200, "headers": []})
    await send({"type": "http.response.body", "body": b""})


@pytest.mark.parametrize("path", [f"{API}/session", f"{API}/design/look"])
def test_who_does_not_end_a_request_takes_no_turn(path: str) -> None:
    """Half a request each of forty strangers, each with another name: the next one is answered at once."""

    async def main() -> None:
        guarded = guard.Guard(answering)
        slow = [asyncio.create_task(passed(guarded, path, f"c={n}", b"{")) for n in range(40)]
        await asyncio.sleep(0.01)
        status, _ = await asyncio.wait_for(passed(guarded, path, "c=99", b"{", b"} "), 2)
        for task in slow:
            task.cancel()
        await asyncio.gather(*slow, return_exceptions=True)

        assert status == 200

    # The browser's tests leave a loop running in the main thread.
    with ThreadPoolExecutor(1) as pool:
        pool.submit(lambda: asyncio.run(main())).result()


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


def test_no_route_waits_for_the_store_in_everybodys_thread() -> None:
    """What is a coroutine runs in the thread that all requests share: a question to the store would stop them all."""
    endpoints = [r.endpoint for part in (*_PARTS, taking) for r in part.router.routes if isinstance(r, APIRoute)]
    assert len(endpoints) > 150
    assert [e.__name__ for e in endpoints if inspect.iscoroutinefunction(e)] == []
    assert [e.__name__ for e in endpoints if inspect.isasyncgenfunction(e)] == ["listen"]


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
