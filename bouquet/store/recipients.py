"""
Means that files leave by, and recipients, as the store keeps them.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from datetime import datetime
from typing import Any

import sqlalchemy as sa
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from bouquet.core.language import tr
from bouquet.store.deliveries import rounds_sent_to
from bouquet.store.errors import NameTaken, NotFound, NotPossible
from bouquet.store.models import (
    UNDER_WAY,
    Delivery,
    Means,
    Recipient,
    RecipientWay,
    Round,
    RoundRecipient,
    TemplateRecord,
)

__all__ = [
    "LONGEST_NAME",
    "MOST_WAYS",
    "change",
    "checked_name",
    "get_means",
    "get_recipient",
    "keep",
    "list_means",
    "list_recipients",
    "newest_delivery",
    "put_more_ways",
    "remove_means",
    "remove_recipient",
    "rounds_by_recipient",
    "users_of_all_means",
    "users_of_means",
]

LONGEST_NAME = 80

#: Ways by which one recipient receives, with the first.
MOST_WAYS = 6


def checked_name(name: str) -> str:
    """
    A name of means or of a recipient. Raises NotPossible.
    """
    found = " ".join(name.split())
    if not 0 < len(found) <= LONGEST_NAME or not found.isprintable():
        raise NotPossible(tr("A name has 1 to {longest_name} characters that can be seen.", longest_name=LONGEST_NAME))
    return found


def keep(session: Session, record: Means | Recipient) -> None:
    """
    Add a record, or keep what was changed of it. Raises NameTaken.
    """
    what = tr("way out") if isinstance(record, Means) else tr("recipient")
    name = record.name
    try:
        with session.begin_nested():
            session.add(record)
            session.flush()
    except IntegrityError as error:
        raise NameTaken(name, what) from error


def change(session: Session, record: Means | Recipient, facts: dict[str, Any]) -> None:
    """
    Give a record other facts. Raises NameTaken.
    """
    name = facts.get("name", record.name)
    try:
        with session.begin_nested():
            for key, value in facts.items():
                setattr(record, key, value)
            session.flush()
    except IntegrityError as error:
        raise NameTaken(name, "way out" if isinstance(record, Means) else "recipient") from error


def list_means(session: Session) -> Sequence[Means]:
    """
    The means of the house, by name.
    """
    query = sa.select(Means).where(Means.deleted_at.is_(None)).order_by(sa.func.lower(Means.name))
    return session.scalars(query).all()


def get_means(session: Session, means_id: int, *, lock: bool = False) -> Means:
    """
    Means by their number. Raises NotFound.
    """
    found = session.get(Means, means_id, with_for_update=lock or None, populate_existing=lock)
    if found is None or found.deleted_at is not None:
        raise NotFound(tr("There is no such way out, or it was removed."))
    return found


def remove_means(session: Session, means_id: int, now: datetime) -> None:
    """
    Remove means that nobody receives by, and forget their secret. Raises NotFound and NotPossible.
    """
    found = get_means(session, means_id, lock=True)
    users = users_of_means(session, means_id)
    if users:
        more = tr(" and {users} more", users=len(users) - 3) if len(users) > 3 else ""
        raise NotPossible(
            tr(
                "{users}{more} receive by this. Give them another way first.",
                users=", ".join(users[:3]),
                more=more,
            )
        )
    found.deleted_at, found.secret = now, ""


def users_of_means(session: Session, means_id: int) -> list[str]:
    """
    The names of the recipients who receive by some means.
    """
    return users_of_all_means(session).get(means_id, [])


def users_of_all_means(session: Session) -> dict[int, list[str]]:
    """
    The names of the recipients, by the means that they receive by.
    """
    first = sa.select(Recipient.means_id, Recipient.id)
    more = sa.select(RecipientWay.means_id, RecipientWay.recipient_id).where(RecipientWay.deleted_at.is_(None))
    way = first.union(more).subquery()
    query = sa.select(way.c.means_id, Recipient.name).join(Recipient, Recipient.id == way.c.id)
    found: dict[int, list[str]] = {}
    for means_id, name in session.execute(query.where(Recipient.deleted_at.is_(None)).order_by(Recipient.name)):
        found.setdefault(means_id, []).append(name)
    return found


def put_more_ways(
    session: Session, recipient: Recipient, ways: Sequence[tuple[int, dict[str, Any]]], now: datetime
) -> None:
    """
    Set by which (means, address) a recipient receives besides the first. Ways that stay keep their numbers, and so
    their place in the order of what is sent.
    """
    left = list(recipient.more_ways)
    for position, (means_id, address) in enumerate(ways):
        same = [w for w in left if (w.means_id, w.address) == (means_id, address)]
        found = next(iter(same or [w for w in left if w.means_id == means_id]), None)
        if found is None:
            session.add(RecipientWay(recipient_id=recipient.id, means_id=means_id, address=address, position=position))
            continue
        left.remove(found)
        found.address, found.position = address, position
    for gone in left:
        gone.deleted_at = now
    session.flush()
    session.expire(recipient, ["more_ways"])


def list_recipients(session: Session) -> Sequence[Recipient]:
    """
    All recipients, by name.
    """
    query = sa.select(Recipient).where(Recipient.deleted_at.is_(None)).order_by(sa.func.lower(Recipient.name))
    return session.scalars(query).all()


def get_recipient(session: Session, recipient_id: int, *, lock: bool = False) -> Recipient:
    """
    A recipient by their number. Raises NotFound.
    """
    found = session.get(
        Recipient, recipient_id, with_for_update={"of": Recipient} if lock else None, populate_existing=lock
    )
    if found is None or found.deleted_at is not None:
        raise NotFound(tr("There is no such recipient, or they were removed."))
    return found


def rounds_by_recipient(session: Session, recipient_ids: Collection[int]) -> dict[int, list[str]]:
    """
    What the rounds that send to each of some recipients run, by name.
    """
    query = (
        sa.select(RoundRecipient.recipient_id, TemplateRecord.name)
        .join(Round, Round.id == RoundRecipient.round_id)
        .join(TemplateRecord, TemplateRecord.id == Round.template_id)
        .where(RoundRecipient.recipient_id.in_(recipient_ids), Round.deleted_at.is_(None))
        .order_by(Round.id)
    )
    found: dict[int, list[str]] = {number: [] for number in recipient_ids}
    for number, name in session.execute(query):
        found[number].append(name)
    return found


def newest_delivery(session: Session, recipient_ids: Sequence[int]) -> dict[int, Delivery]:
    """
    The newest delivery to each of some recipients.
    """
    newest = sa.select(sa.func.max(Delivery.id)).where(Delivery.recipient_id.in_(recipient_ids))
    query = sa.select(Delivery).where(Delivery.id.in_(newest.group_by(Delivery.recipient_id)))
    return {d.recipient_id: d for d in session.scalars(query)}


def remove_recipient(session: Session, recipient_id: int, now: datetime) -> None:
    """
    Remove a recipient whom no round sends to, and for whom nothing is under way. Raises NotFound and NotPossible.
    """
    found = get_recipient(session, recipient_id, lock=True)
    rounds: list[Round] = rounds_sent_to(session, recipient_id)
    if rounds:
        raise NotPossible(
            tr(
                "The round of “{template}” sends to them. Take them out of it first.",
                template=rounds[0].template.name,
            )
        )
    waiting = sa.select(Delivery.id).where(Delivery.recipient_id == recipient_id, Delivery.state.in_(UNDER_WAY))
    if session.scalar(waiting.limit(1)) is not None:
        raise NotPossible(tr("Something is still under way to them. Waive it first."))
    found.deleted_at = now
