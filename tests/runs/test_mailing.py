"""
A round's files by mail, to a real server: each person's once, whole, and nobody's lost when another's is refused.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from dataclasses import replace
from email import message_from_bytes, policy
from email.message import EmailMessage
from typing import Any
from urllib.parse import quote

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bouquet.runs import MailError, MailServer, Services, checked_address, execute
from bouquet.runs import mail_server as module
from bouquet.runs.letters import Letter, compose
from bouquet.runs.mailing import mail_to_person
from bouquet.store import runs as ledger
from bouquet.store.models import Round, Run
from tests.conftest import NOW
from tests.runs.post_office import PostOffice, dribbling, post_office
from tests.runs.test_review import WARDS, add_round, get, ticked

A, B = "auditor@regulator.example", "canopy@town.example"


@pytest.fixture
def office(monkeypatch: pytest.MonkeyPatch) -> Iterator[tuple[PostOffice, MailServer]]:
    monkeypatch.setattr(module, "PAUSES", (0.0, 0.0))
    with post_office() as (made, url):
        yield made, MailServer.at(url, "bouquet@marrowby.example", address="https://bouquet.example/")


def mailed(services: Services, person: Any, to: list[str], document: dict[str, Any] = WARDS) -> tuple[Run, int]:
    """A due round that sends to these addresses, carried out."""
    _, round_id = add_round(services, person, document)
    with services.store.session() as session:
        session.get_one(Round, round_id).mail_to = to
    (run_id,) = ticked(services)
    execute(services, run_id)
    return get(services, run_id), run_id


def test_everybody_gets_the_file_once(
    services: Services, people: dict[str, Any], office: tuple[PostOffice, MailServer]
) -> None:
    """The same bytes as in the folder, with the sentence, a link, and an identity of its own; never a second time."""
    made, server = office
    run, run_id = mailed(replace(services, mail=server), people["ines"], [A, B])
    execute(replace(services, mail=server), run_id)
    (first, mail), (second, _) = made.mails
    (attached,) = mail.iter_attachments()
    body = mail.get_body(("plain",))
    assert body is not None

    assert (run.status, first, second) == ("ready", A, B)
    assert run.delivered_to == ["wards-out/wards.csv", A, B]
    assert attached.get_content().replace("\r\n", "\n") == (services.outgoing / "wards-out" / "wards.csv").read_text()
    assert attached.get_filename() == "wards.csv"
    assert "One row per ward" in body.get_content()
    assert f"https://bouquet.example/runs/{run_id}" in body.get_content()
    assert (mail["Subject"], mail["From"]) == ("Wards: 12 rows, as of 2026-11-23 09:00 UTC", "bouquet@marrowby.example")
    assert mail["Auto-Submitted"] == "auto-generated"
    assert len({m["Message-ID"] for _, m in made.mails}) == 2


def test_one_refused_keeps_nobody_else_waiting(
    services: Services, people: dict[str, Any], office: tuple[PostOffice, MailServer]
) -> None:
    """The run waits with the server's words; let go again, only the one who has nothing gets a mail."""
    made, server = office
    made.replies[A] = ["550 5.1.1 nobody here"]
    house = replace(services, mail=server)
    run, run_id = mailed(house, people["ines"], [A, B])
    assert (run.status, (run.error or {})["code"]) == ("held", "mail")
    assert "550 5.1.1 nobody here" in (run.error or {})["message"]
    assert [address for address, _ in made.mails] == [B]
    with services.store.session() as session:
        ledger.release_run(session, run_id, "Ines", "address corrected there", NOW)
    execute(house, run_id)

    assert [address for address, _ in made.mails] == [B, A]
    assert get(services, run_id).status == "ready"


def test_a_server_that_asks_for_patience_is_tried_again(
    services: Services, people: dict[str, Any], office: tuple[PostOffice, MailServer]
) -> None:
    """Twice; a refusal for good is not."""
    made, server = office
    made.replies[A] = ["450 later", "451 later"]
    run, _ = mailed(replace(services, mail=server), people["ines"], [A])

    assert (run.status, made.tried[A]) == ("ready", 3)


def test_a_large_file_is_linked(
    services: Services, people: dict[str, Any], office: tuple[PostOffice, MailServer]
) -> None:
    """Beyond the limit nothing is attached, and the mail says where it is."""
    made, server = office
    mailed(replace(services, mail=replace(server, most_bytes=10)), people["ines"], [A])
    mail = made.mails[0][1]
    body = mail.get_body(("plain",))
    assert body is not None

    assert list(mail.iter_attachments()) == []
    assert "too large for a mail" in body.get_content()


def test_a_name_cannot_write_the_head_of_a_mail(
    services: Services, people: dict[str, Any], office: tuple[PostOffice, MailServer]
) -> None:
    """A line break in a template's name stays in the subject; letters of any script arrive."""
    made, server = office
    document = {**WARDS, "name": "Wärds\r\nBcc: everybody@town.example 🌳"}
    mailed(replace(services, mail=server), people["ines"], [A], document)
    mail = made.mails[0][1]

    assert mail["Bcc"] is None
    assert mail["Subject"].startswith("Wärds Bcc: everybody@town.example 🌳: 12 rows")


@given(st.text(st.characters(exclude_categories=["Cs"])) | st.sampled_from(["a\x85b", "a\u2028Bcc: x@y.example"]))
def test_any_name_is_a_subject_of_one_line(name: str) -> None:
    """Whatever letters a template is called by, the mail is made, and its head has what it should."""
    letter = Letter("bouquet@marrowby.example", [A], name, name, 1, NOW, name, "run-1", NOW)
    read = message_from_bytes(compose(letter).as_bytes(), policy=policy.default)

    assert (read["To"], read["Bcc"]) == (A, None)
    assert len(str(read["Subject"]).splitlines()) == 1


def test_without_a_server_the_run_waits_and_says_so(services: Services, people: dict[str, Any]) -> None:
    """The file is in its folder all the same."""
    run, _ = mailed(services, people["ines"], [A])

    assert (run.status, (run.error or {})["code"]) == ("held", "mail")
    assert (services.outgoing / "wards-out" / "wards.csv").exists()


@pytest.mark.parametrize(
    ("address", "sent"),
    [
        ("kim@grün.example", "kim@xn--grn-ioa.example"),
        ("kim@straße.example", "kim@xn--strae-oqa.example"),
        ("kim@Grün.Example", "kim@xn--grn-ioa.example"),
        ("Kim.O'Neil@Line.example", "Kim.O'Neil@Line.example"),
    ],
)
def test_a_domain_of_any_letters_is_written_as_every_server_takes_it(address: str, sent: str) -> None:
    letter = Letter(
        sender="desk@grün.example", to=[checked_address(address)], title="Wards", sentence="", rows=1, as_of=NOW,
        owner="Ines", mark="m", sent_at=NOW,
    )  # fmt: skip
    made = compose(letter)

    assert (made["To"], made["From"]) == (sent, "desk@xn--grn-ioa.example")
    assert str(made["Message-ID"]).isascii()


@pytest.mark.filterwarnings("ignore:Requiring AUTH while not requiring TLS")
@pytest.mark.parametrize("secret", ["s3cret", "größe€ 🌳"])
@pytest.mark.parametrize("by", ["PLAIN", "LOGIN"])
def test_a_server_may_want_a_password(secret: str, by: str) -> None:
    """The right one is taken, of any letters; a wrong one is said, and never shown."""
    with post_office(secret, by) as (_, url):
        good = MailServer.at(url.replace("//", f"//h%C3%B6use:{quote(secret)}@"), "bouquet@marrowby.example")
        bad = MailServer.at(url.replace("//", "//house:wr%40ng@"), "bouquet@marrowby.example")
        message = module.EmailMessage()
        message["From"], message["To"] = good.sender, A
        message.set_content("hello")
        good.send(message)
        with pytest.raises(MailError, match="535"):
            bad.send(message)

    assert bad.password == "wr@ng"
    assert secret not in repr(good)


@pytest.mark.parametrize(
    "address",
    [
        "",
        "x",
        "a@b",
        "a b@c.example",
        "a@c.example, b@c.example",
        "a@c.example\nBcc: x",
        "<a@c.example>",
        "@c.example",
        "a@" + "x" * 260 + ".example",
    ],
)
def test_what_is_no_address_is_refused(address: str) -> None:
    """One address each, without names, lists or line breaks."""
    with pytest.raises(MailError):
        checked_address(address)


def test_a_mail_server_has_an_address_of_a_known_kind() -> None:
    """Ports as registered; anything else is refused in words."""
    found = [MailServer.at(f"{kind}://mail.example", "b@c.example") for kind in ("smtp", "smtp+starttls", "smtps")]

    assert [(s.port, s.secure) for s in found] == [(25, "offered"), (587, "starttls"), (465, "tls")]
    for wrong in ("http://mail.example", "mail.example", "smtp://", "smtp://mail.example:99999", "smtp://[mail"):
        with pytest.raises(MailError):
            MailServer.at(wrong, "b@c.example")


def test_mail_leaves_for_known_domains_only(services: Services, people: dict[str, Any]) -> None:
    """Where a house names them, also for a round that was set before; others get theirs."""
    with post_office() as (office, url):
        server = MailServer.at(url, "bouquet@town.example", domains=frozenset({"town.example"}))
        run, _ = mailed(replace(services, mail=server), people["ines"], [A, B])

    assert [address for address, _ in office.mails] == [B]
    assert (run.status, "only, not to regulator.example" in (run.error or {})["message"]) == ("held", True)


def test_somebody_has_a_run_sent_to_themselves(
    services: Services, people: dict[str, Any], office: tuple[PostOffice, MailServer]
) -> None:
    """At their own address, with the same bytes; where no mail is set up it is said."""
    made, server = office
    _, run_id = mailed(replace(services, mail=server), people["ines"], [])
    run = get(services, run_id)
    with pytest.raises(MailError, match="not set up"):
        mail_to_person(services, run, run.files, people["tobin"])
    mail_to_person(replace(services, mail=server), run, run.files, people["tobin"])
    ((to, mail),) = made.mails

    assert to == people["tobin"].email
    assert [a.get_filename() for a in mail.iter_attachments()] == ["wards.csv"]


def test_a_server_that_never_comes_to_an_end_is_broken_off(monkeypatch: pytest.MonkeyPatch) -> None:
    """However short it keeps a single wait: a letter fails, and keeps no worker and no request."""
    monkeypatch.setattr(module, "WAIT", 0.2)
    with dribbling() as (port, _):
        server = MailServer.at(f"smtp://127.0.0.1:{port}", "bouquet@marrowby.example")
        message = EmailMessage()
        message["To"] = A
        began = time.monotonic()
        with pytest.raises(MailError, match="was not taken: it was broken off"):
            server.send(message)

    assert time.monotonic() - began < 20
