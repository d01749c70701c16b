"""
A post room with real servers, and a house that sends to it.
"""

from __future__ import annotations

import secrets
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy.orm import Session

from bouquet.delivery import deliver_due
from bouquet.demo.post_room import (
    Room,
    StandIn,
    mail_stand_in,
    sftp_stand_in,
    store_stand_in,
    webhook_stand_in,
)
from bouquet.runs import Services, execute
from bouquet.store.deliveries import due_lines
from bouquet.store.models import Delivery, Means, Recipient, Round, RoundRecipient, Run
from bouquet.store.recipients import put_more_ways
from tests.conftest import NOW
from tests.runs.test_review import WARDS, add_round, get, ticked

KEY = "a key of the desk"


@pytest.fixture(scope="session")
def stand_ins(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[Room, dict[str, StandIn]]]:
    room = Room(tmp_path_factory.mktemp("post-room"), hang=5.0)
    made = [
        mail_stand_in(room),
        sftp_stand_in(room, "paper-and-ink"),
        webhook_stand_in(room, KEY),
        store_stand_in(room, "reports"),
    ]
    yield room, {s.way: s for s in made}
    for one in made:
        one.stop()


@pytest.fixture
def room(stand_ins: tuple[Room, dict[str, StandIn]]) -> Room:
    found = stand_ins[0]
    found.arrivals.clear()
    for way in stand_ins[1]:
        found.tell(way, None)
    return found


ADDRESSES: dict[str, dict[str, Any]] = {
    "mail": {"to": ["ward-desk@marrowby.example"]},
    "sftp": {"folder": "drop"},
    "webhook": {},
    "store": {},
    "folder": {"folder": "shared"},
    "link": {},
}


class Sending:
    """A house with a round and its recipients."""

    def __init__(self, services: Services, person: Any, stand_ins: dict[str, StandIn]) -> None:
        self.services = replace(services, delivery_pauses=(1.0, 1.0, 1.0))
        self.services.clock = lambda: self.now
        self.now, self.person, self.stand_ins = NOW, person, stand_ins

    def recipient(self, way: str, name: str = "", acceptance: dict[str, Any] | None = None, **address: Any) -> int:
        with self.services.store.session() as session:
            means = self.means(session, way, name)
            made = Recipient(
                name=name or f"by {way}",
                acceptance=acceptance or {},
                means_id=means.id,
                address=self.address(way, address),
                created_by=self.person.id,
                created_at=NOW,
            )
            session.add(made)
            session.flush()
            return made.id

    def means(self, session: Session, way: str, name: str = "") -> Means:
        known = self.stand_ins.get(way)
        made = Means(
            name=f"{way} for {name or way}",
            kind=way,
            settings=known.settings if known else {},
            secret=self.services.vault.seal(known.secret) if known and known.secret else "",
            created_at=NOW,
        )
        session.add(made)
        session.flush()
        return made

    def address(self, way: str, address: dict[str, Any]) -> dict[str, Any]:
        # The store keeps what earlier tests put there.
        return {**ADDRESSES[way], **({"prefix": secrets.token_hex(4)} if way == "store" else {}), **address}

    def also_by(self, recipient_id: int, *ways: str) -> None:
        """Let a recipient receive by these besides their first way."""
        with self.services.store.session() as session:
            more = [(self.means(session, w, f"{recipient_id}").id, self.address(w, {})) for w in ways]
            put_more_ways(session, session.get_one(Recipient, recipient_id), more, NOW)

    def round(self, recipients: list[int], document: dict[str, Any] = WARDS, **facts: Any) -> int:
        _, round_id = add_round(self.services, self.person, document)
        with self.services.store.session() as session:
            found = session.get_one(Round, round_id)
            found.folder = ""
            for name, value in facts.items():
                setattr(found, name, value)
            found.recipients = [RoundRecipient(recipient_id=r, position=n) for n, r in enumerate(recipients)]
        return round_id

    def run(self, recipients: list[int], document: dict[str, Any] = WARDS, **facts: Any) -> Run:
        self.round(recipients, document, **facts)
        (run_id,) = ticked(self.services)
        execute(self.services, run_id)
        return get(self.services, run_id)

    def send(self) -> None:
        with self.services.store.session() as session:
            due = due_lines(session, self.services.clock())
        for line in due:
            deliver_due(self.services, *line)

    def deliveries(self, run: Run) -> list[Delivery]:
        with self.services.store.session() as session:
            return list(session.get_one(Run, run.id).deliveries)


@pytest.fixture
def sending(
    services: Services, people: dict[str, Any], stand_ins: tuple[Room, dict[str, StandIn]], room: Room
) -> Sending:
    return Sending(services, people["ines"], stand_ins[1])


def body_of(services: Services, run: Run, folder: Path | None = None) -> bytes:
    (file,) = [f for f in run.files if f.role == "data" and f.recipient_id is None]
    return b"".join(services.storage.chunks(file.path))
