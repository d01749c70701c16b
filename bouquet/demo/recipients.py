"""
Who receives what in the demonstration: means that lead to the post room, seven recipients, and rounds for them.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

import sqlalchemy as sa
from sqlalchemy.orm import Session

from bouquet.demo.post_room import StandIn
from bouquet.runs import Services
from bouquet.store.models import Means, Person, Recipient, Round, RoundRecipient, TemplateRecord

__all__ = ["ROUNDS", "seed_means", "seed_recipients", "send_rounds"]

#: Means by the way that they are for: what they are called.
MEANS = {
    "mail": "Mail of the house",
    "sftp": "Drop of the region",
    "webhook": "Service desk",
    "store": "Council archive",
    "folder": "Shared folders",
    "link": "Links",
}

REGISTER = [
    {"heading": "TREE_NO", "kind": "text", "required": True},
    {"heading": "SPECIES", "kind": "text", "full": 90},
    {"heading": "INSPECTED", "kind": "date", "required": True},
    {"heading": "GIRTH_CM", "kind": "number", "least": 0, "greatest": 1500},
    {"heading": "RISK", "kind": "text", "full": 90},
    {"heading": "REMARKS", "kind": "text", "longest": 400},
]

#: (name, about, way, address, acceptance)
RECIPIENTS: tuple[tuple[str, str, str, dict[str, Any], dict[str, Any]], ...] = (
    (
        "Canopy Register",
        "regional register, strict layout",
        "sftp",
        {"folder": "canopy", "mode": "new", "marker": ".done"},
        {
            "format": "csv",
            "csv": {"separator": ";", "encoding": "windows-1252", "unencodable": "replace"},
            "name": "TREES_0417_{as_of:%Y-%m-%d}",
            "columns": REGISTER,
            "most_rows": 5000,
        },
    ),
    (
        "Finance Drop",
        "program that loads every night",
        "sftp",
        {"folder": "finance"},
        {"format": "csv", "csv": {"heading_row": "none"}, "name": "transactions"},
    ),
    ("Ward Desk", "12 people in the ward offices", "mail", {"to": ["ward-desk@marrowby.example"]}, {"format": "xlsx"}),
    (
        "Hollin Tree Care",
        "contractor",
        "link",
        {},
        {
            "facts": {"code": "HTC"},
            "columns": [
                {"heading": "Order"},
                {"heading": "Item"},
                {"heading": "Amount", "kind": "number"},
                {"heading": "Cost centre"},
                {"heading": "Due on", "kind": "date"},
            ],
        },
    ),
    ("Research Share", "folder of the university", "folder", {"folder": "research"}, {}),
    (
        "Service Desk",
        "program that opens tickets",
        "webhook",
        {"path": "tickets"},
        {"format": "jsonl"},
    ),
    ("Council Archive", "kept for ten years", "store", {"prefix": "trees"}, {"format": "xlsx"}),
)

#: The templates of rounds, when they run, and the recipients.
ROUNDS: tuple[tuple[str, dict[str, Any], Sequence[str]], ...] = (
    ("Resident reports, open", {"every": "day", "times": ["05:30"]}, ("Ward Desk", "Service Desk")),
    (
        "Contractor billing lines",
        {"every": "week", "weekdays": [0], "times": ["05:00"]},
        ("Finance Drop", "Hollin Tree Care"),
    ),
    ("Trees at a glance, per ward sheet", {"every": "week", "weekdays": [4], "times": ["04:00"]}, ("Council Archive",)),
)

#: The round that was there first sends to these, too.
FIRST = ("Canopy Register", "Research Share")


def seed_means(services: Services, stand_ins: Mapping[str, StandIn]) -> None:
    """
    Means that lead to the stand-ins, wherever these listen today.
    """
    now = services.clock()
    with services.store.session() as session:
        for kind, name in MEANS.items():
            found = session.scalars(sa.select(Means).where(Means.name == name, Means.deleted_at.is_(None))).first()
            if found is None:
                found = Means(name=name, kind=kind, settings={}, created_at=now)
                session.add(found)
            stand_in = stand_ins.get(kind)
            if stand_in is not None:
                found.settings = stand_in.settings
                found.secret = services.vault.seal(stand_in.secret) if stand_in.secret else ""
            found.failures, found.down_until = 0, None


def seed_recipients(session: Session, owner: Person, now: datetime) -> dict[str, Recipient]:
    """
    The seven recipients, by name.
    """
    means = {m.name: m for m in session.scalars(sa.select(Means).where(Means.deleted_at.is_(None)))}
    made = {}
    for name, about, way, address, acceptance in RECIPIENTS:
        made[name] = Recipient(
            name=name,
            about=about,
            acceptance={"document": "bouquet-recipient/1", "personal": True, **acceptance},
            means_id=means[MEANS[way]].id,
            address=address,
            created_by=owner.id,
            created_at=now,
        )
        session.add(made[name])
    session.flush()
    return made


def send_rounds(
    session: Session, records: Sequence[TemplateRecord], first: Round, owner: Person, start: datetime, zone: str
) -> None:
    """
    Let the first round send to its recipients, and set the others.
    """
    recipients = seed_recipients(session, owner, start)
    first.recipients = _entries(recipients, FIRST)
    by_name = {r.name: r for r in records}
    for name, rhythm, to in ROUNDS:
        made = Round(
            template_id=by_name[name].id,
            rhythm=rhythm,
            zone=zone,
            folder="",
            format=by_name[name].draft.get("output", {}).get("format", "csv"),
            purpose="the office's own lists",
            created_by=owner.id,
            next_at=start,
            deleted_at=None,
        )
        made.recipients = _entries(recipients, to)
        session.add(made)


def _entries(recipients: Mapping[str, Recipient], names: Sequence[str]) -> list[RoundRecipient]:
    return [RoundRecipient(recipient_id=recipients[name].id, position=n) for n, name in enumerate(names)]
