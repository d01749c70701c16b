"""
The outbox: deliveries taken up one after the other for each recipient, how they ended, and what people do about them.
"""

from __future__ import annotations

import secrets
from collections.abc import Iterable, Sequence, Set
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

import sqlalchemy as sa
from sqlalchemy.orm import Session, aliased

from bouquet.core.language import tr
from bouquet.core.memory import split_keys
from bouquet.store import memory, people
from bouquet.store.allowed import why_not
from bouquet.store.errors import NotFound, NotPossible
from bouquet.store.models import (
    SENT,
    UNDER_WAY,
    Delivery,
    DeliveryEvent,
    Link,
    Means,
    Recipient,
    Round,
    Run,
    SentKeysRecord,
)
from bouquet.store.notices import notify

__all__ = [
    "DeliveryFilter",
    "Ended",
    "due_lines",
    "expired_links",
    "fetched",
    "get_delivery",
    "list_deliveries",
    "note",
    "note_failure",
    "rounds_sent_to",
    "send_again",
    "send_now",
    "sent_of",
    "set_state",
    "settle",
    "stop_all",
    "take",
    "tell_failed",
    "waive",
    "withdraw",
]

#: Failures in a row after which means are left alone, for so many seconds the first time, and at most.
FAILURES, ALONE, LONGEST_ALONE = 3, 30, 1_800


@dataclass(frozen=True)
class DeliveryFilter:
    """
    Which deliveries are listed; nothing given is every one.
    """

    recipient_id: int | None = None
    run_id: int | None = None
    round_id: int | None = None
    states: tuple[str, ...] = ()
    before: int | None = None


@dataclass(frozen=True)
class Ended:
    """
    How a try ended: a delivery's new state, what is said of it, and when it is tried again, if it is.
    """

    state: str
    says: str
    next_at: datetime | None = None


# Taking up


def due_lines(session: Session, now: datetime, run_id: int | None = None) -> list[tuple[int, int]]:
    """
    (recipient, way) of those for whom the oldest delivery under way is due; only those of a run, if it is given.
    """
    oldest = (
        sa.select(sa.func.min(Delivery.id).label("first"))
        .where(Delivery.next_at.is_not(None))
        .group_by(Delivery.recipient_id, Delivery.way_id)
    )
    if run_id is not None:
        own = sa.select(Delivery.recipient_id).where(Delivery.run_id == run_id, Delivery.next_at.is_not(None))
        oldest = oldest.where(Delivery.recipient_id.in_(own))
    first = oldest.subquery()
    query = sa.select(Delivery.recipient_id, sa.func.coalesce(Delivery.way_id, 0))
    query = query.join(first, first.c.first == Delivery.id).where(Delivery.next_at <= now)
    return [(recipient, way) for recipient, way in session.execute(query.order_by(Delivery.next_at))]


def take(session: Session, recipient_id: int, way_id: int, now: datetime) -> tuple[Delivery, bool] | None:
    """
    The next delivery to a recipient by one of their ways (0 for the first), where it is due, and whether an earlier try
    of it was broken off. Older ones go first, and means that fail are left alone for a while.
    """
    query = sa.select(Delivery).where(
        Delivery.recipient_id == recipient_id,
        sa.func.coalesce(Delivery.way_id, 0) == way_id,
        Delivery.next_at.is_not(None),
    )
    found = session.scalars(query.order_by(Delivery.id).limit(1).with_for_update(of=Delivery)).first()
    if found is None or found.next_at is None or found.next_at > now:
        return None
    down = found.means.down_until
    if down is not None and down > now:
        found.next_at = down
        return None
    broken_off = found.state == "sending"
    found.tries += 1
    found.tried_at = now
    found.state = "sending"
    session.add(DeliveryEvent(delivery_id=found.id, at=now, state="sending", says=tr("try {tries}", tries=found.tries)))
    session.flush()
    return found, broken_off


def note(session: Session, delivery_id: int, progress: dict[str, Any]) -> None:
    """
    What a try has to tell the next one, kept before it is done.
    """
    found = session.get_one(Delivery, delivery_id)
    found.progress = {**found.progress, **progress}


def settle(session: Session, delivery_id: int, ended: Ended, now: datetime) -> Delivery:
    """
    Enter how a try ended, and what follows: the memory goes on, or people are told. A delivery that a person waived or
    withdrew in the meantime stays as it is, unless it arrived.
    """
    found = session.get_one(Delivery, delivery_id, with_for_update={"of": Delivery}, populate_existing=True)
    if found.state not in UNDER_WAY and ended.state != "arrived":
        return found
    run = session.get_one(Run, found.run_id)
    set_state(session, found, ended, now)
    if ended.state == "failed":
        tell_failed(session, found, run, now)
    if ended.state == "arrived":
        _remember(session, run, found.recipient_id, now)
    session.flush()
    return found


def note_failure(session: Session, means_id: int, says: str | None, now: datetime) -> None:
    """
    Count that means could not be reached, or, with nothing to say, that they could. After some failures in a row all
    their deliveries wait, longer each time.
    """
    if says is None and session.get_one(Means, means_id).failures == 0:
        return
    means = session.get_one(Means, means_id, with_for_update=True, populate_existing=True)
    if says is None:
        means.failures, means.down_until, means.said = 0, None, ""
        return
    means.failures, means.said = means.failures + 1, says[:500]
    if means.failures >= FAILURES:
        seconds = min(ALONE * 2 ** min(means.failures - FAILURES, 20), LONGEST_ALONE)
        means.down_until = now + timedelta(seconds=seconds)


def set_state(session: Session, delivery: Delivery, ended: Ended, now: datetime, by: str = "") -> None:
    """
    Enter what became of a delivery, with who did so, where it was a person.
    """
    delivery.state, delivery.next_at = ended.state, ended.next_at
    if ended.state == "arrived":
        delivery.arrived_at, delivery.reply, delivery.why = now, ended.says, ""
    else:
        delivery.why = ended.says
    delivery.reply = delivery.reply or ""
    session.flush()
    session.add(DeliveryEvent(delivery_id=delivery.id, at=now, state=ended.state, says=ended.says, by=by))


def _remember(session: Session, run: Run, recipient_id: int, now: datetime) -> None:
    """
    The memory of a recipient goes on once their files have arrived. Where everybody gets their own part there is one
    memory: it goes on by the records in their part; by what is nobody's, once all that must arrive has.
    """
    if run.status != "ready":
        return
    memory.advance(session, run, recipient_id, now)
    round_ = session.get(Round, run.round_id) if run.round_id is not None else None
    if round_ is None or round_.own_part is None:
        return
    to_come = Delivery.must & Delivery.state.not_in(("arrived", "waived"))
    # The newest of each recipient counts: what was sent again takes the place of what failed. By one of their ways it
    # is enough: they have it then.
    newer, other = aliased(Delivery), aliased(Delivery)
    later = sa.select(newer.id).where(
        newer.run_id == Delivery.run_id,
        newer.recipient_id == Delivery.recipient_id,
        newer.way_id.is_not_distinct_from(Delivery.way_id),
        newer.number > Delivery.number,
    )
    elsewhere = sa.select(other.id).where(
        other.run_id == Delivery.run_id,
        other.recipient_id == Delivery.recipient_id,
        other.way_id.is_distinct_from(Delivery.way_id),
        other.state.in_(("arrived", "waived")),
    )
    query = sa.select(Delivery.recipient_id)
    query = query.where(Delivery.run_id == run.id, to_come, ~later.exists(), ~elsewhere.exists())
    waiting = set(session.scalars(query))
    if not waiting:
        memory.advance(session, run, 0, now)
    elif recipient_id not in waiting:
        memory.advance(session, run, 0, now, _in_part(session, run, recipient_id, waiting))


def _in_part(session: Session, run: Run, recipient_id: int, waiting: Set[int]) -> Set[bytes]:
    """
    The digests of the keys of the records in a recipient's own part, but for those that also stand in a part that is
    yet to arrive.
    """
    types = {facts["id"]: facts.get("records") for facts in (run.slip or {}).get("recipients", ())}
    query = sa.select(SentKeysRecord.recipient_id, SentKeysRecord.keys).where(
        SentKeysRecord.run_id == run.id,
        SentKeysRecord.recipient_id.in_({recipient_id, *waiting}),
        SentKeysRecord.records == types.get(recipient_id, ""),
    )
    found = {reader: split_keys(keys) for reader, keys in session.execute(query)}
    return found.pop(recipient_id, frozenset()).difference(*found.values())


def tell_failed(session: Session, delivery: Delivery, run: Run, now: datetime) -> None:
    """
    Tell whose run it was, and keepers, that a delivery failed.
    """
    recipient = session.get_one(Recipient, delivery.recipient_id)
    text = tr(
        "{run} did not arrive at {recipient}: {why}",
        run=run.name,
        recipient=recipient.name,
        why=delivery.why,
    )
    notify(session, [run.person_id, *people.keeper_ids(session)], run.id, text, now)


# Looking, and what people do


def get_delivery(session: Session, delivery_id: int, *, lock: bool = False) -> Delivery:
    """
    One delivery. Raises NotFound.
    """
    found = session.get(
        Delivery, delivery_id, with_for_update={"of": Delivery} if lock else None, populate_existing=lock
    )
    if found is None:
        raise NotFound(tr("There is no delivery {delivery_id}.", delivery_id=delivery_id))
    return found


def list_deliveries(
    session: Session, wanted: DeliveryFilter, at_most: int = 100, runs: sa.Select[Any] | None = None
) -> list[Delivery]:
    """
    Deliveries, the newest first; only those of the runs that a query gives, if it is given.
    """
    query = sa.select(Delivery).order_by(Delivery.id.desc()).limit(at_most)
    if runs is not None:
        query = query.where(Delivery.run_id.in_(runs))
    if wanted.recipient_id is not None:
        query = query.where(Delivery.recipient_id == wanted.recipient_id)
    if wanted.run_id is not None:
        query = query.where(Delivery.run_id == wanted.run_id)
    if wanted.round_id is not None:
        query = query.where(Delivery.run_id.in_(sa.select(Run.id).where(Run.round_id == wanted.round_id)))
    if wanted.states:
        query = query.where(Delivery.state.in_(wanted.states))
    if wanted.before is not None:
        query = query.where(Delivery.id < wanted.before)
    return list(session.scalars(query))


def sent_of(session: Session, run_ids: Iterable[int]) -> dict[int, dict[str, int]]:
    """
    For runs that sent something: for how many recipients it `arrived`, is `under_way`, `failed` or was `given_up`; one
    who receives by several ways counts for each.
    """
    found = session.execute(sa.select(SENT).where(SENT.c.run_id.in_(list(run_ids)))).mappings()
    return {row["run_id"]: {name: row[name] for name in row if name != "run_id"} for row in found}


def send_now(session: Session, delivery_id: int, by: str, now: datetime) -> Delivery:
    """
    Try a delivery at once, its means too. Raises NotFound, and NotPossible for one that is over.
    """
    found = get_delivery(session, delivery_id, lock=True)
    if found.state not in ("waiting", "trying"):
        raise NotPossible(tr("This delivery is {state}; only one that waits can be sent now.", state=found.state))
    found.next_at = now
    found.means.down_until = None
    session.add(DeliveryEvent(delivery_id=found.id, at=now, state=found.state, says=tr("asked for now"), by=by))
    return found


def send_again(
    session: Session,
    delivery_id: int,
    by: str,
    now: datetime,
    recipient_id: int | None = None,
    person_id: int | None = None,
) -> Delivery:
    """
    Send a delivery's files once more, to the same recipient by the same way, or to another one by their first.

    Args:
        person_id: By whose right; none: by that of whom the run is of.

    Raises NotFound, and NotPossible where it is still under way, where the files are gone, or where the other one may
    not have them.
    """
    first = get_delivery(session, delivery_id, lock=True)
    run = session.get_one(Run, first.run_id)
    if first.state in UNDER_WAY and recipient_id is None and first.state != "offered":
        raise NotPossible(tr("It is still under way. Send it now instead, or waive it first."))
    files = [f for f in run.files if f.id in first.files]
    if not files or any(f.removed_at is not None for f in files):
        raise NotPossible(tr("Its files have expired. Run it again instead."))
    if run.status != "ready":
        raise NotPossible(tr("Run {id} is {status}; nothing of it is sent.", id=run.id, status=run.status))
    unmet = (run.slip or {}).get("recipients", ())
    if recipient_id is None and any(f["id"] == first.recipient_id and f.get("unmet") for f in unmet):
        raise NotPossible(tr("It does not meet their layout. Change the template or the layout, and run it again."))
    to = session.get(Recipient, recipient_id if recipient_id is not None else first.recipient_id)
    if to is None or to.deleted_at is not None:
        raise NotFound(tr("There is no such recipient, or it was removed."))
    if to.id != first.recipient_id and (why := why_not(to, run)) is not None:
        raise NotPossible(why)
    way_id = first.way_id if to.id == first.recipient_id else None
    if first.way is not None and first.way.deleted_at is not None and way_id is not None:
        raise NotPossible(tr("{to} does not receive by {means} any more.", to=to.name, means=first.means.name))
    # Of two who send at the same moment, the second finds what the first entered.
    session.execute(sa.select(Run.id).where(Run.id == run.id).with_for_update())
    query = sa.select(Delivery).where(Delivery.run_id == run.id, Delivery.recipient_id == to.id)
    query = query.where(Delivery.way_id.is_not_distinct_from(way_id)).order_by(Delivery.number.desc())
    newest = session.scalars(query.limit(1)).first()
    if newest is not None and newest.state in UNDER_WAY and newest.state != "offered":
        raise NotPossible(tr("It is on its way to {to} already.", to=to.name))
    again = Delivery(
        run_id=run.id,
        recipient_id=to.id,
        way_id=way_id,
        person_id=person_id,
        number=newest.number + 1 if newest is not None else 1,
        identity=secrets.token_hex(12),
        must=first.must and to.id == first.recipient_id,
        files=first.files,
        entered_at=now,
        progress={},
    )
    session.add(again)
    set_state(session, again, Ended("waiting", "", now), now, by)
    return again


def waive(session: Session, delivery_id: int, by: str, reason: str, now: datetime) -> Delivery:
    """
    Do without a delivery, for a reason. Raises NotFound and NotPossible.
    """
    found = get_delivery(session, delivery_id, lock=True)
    if found.state in ("arrived", "withdrawn", "waived", "sending"):
        raise NotPossible(tr("This delivery is {state}; it cannot be waived.", state=found.state))
    set_state(session, found, Ended("waived", reason), now, by)
    _remember(session, session.get_one(Run, found.run_id), found.recipient_id, now)
    return found


def withdraw(session: Session, delivery_id: int, by: str, reason: str, now: datetime) -> Delivery:
    """
    Enter that a delivery was taken back. Raises NotFound and NotPossible.
    """
    found = get_delivery(session, delivery_id, lock=True)
    if found.state in ("withdrawn", "sending"):
        raise NotPossible(tr("This delivery is {state}; it cannot be withdrawn.", state=found.state))
    link = session.get(Link, delivery_id)
    if link is not None:
        link.withdrawn_at = now
    set_state(session, found, Ended("withdrawn", reason), now, by)
    return found


def stop_all(session: Session, run_id: int, by: str, now: datetime) -> None:
    """
    Nothing more of a run is sent: it was discarded.
    """
    query = sa.select(Delivery).where(Delivery.run_id == run_id, Delivery.state.in_(UNDER_WAY))
    for found in session.scalars(query.with_for_update(of=Delivery)):
        link = session.get(Link, found.id)
        if link is not None:
            link.withdrawn_at = now
        set_state(session, found, Ended("withdrawn", tr("the run was discarded")), now, by)


def fetched(session: Session, delivery: Delivery, file_id: int, now: datetime) -> None:
    """
    Count that a file was fetched at a link; the delivery has arrived with the first one.
    """
    link = session.get_one(Link, delivery.id, with_for_update=True, populate_existing=True)
    link.fetches = {**link.fetches, str(file_id): int(link.fetches.get(str(file_id), 0)) + 1}
    name = next((f.name for f in session.get_one(Run, delivery.run_id).files if f.id == file_id), "a file")
    if delivery.state == "offered":
        set_state(session, delivery, Ended("arrived", tr("{name} was fetched", name=name)), now)
        _remember(session, session.get_one(Run, delivery.run_id), delivery.recipient_id, now)
    else:
        session.add(
            DeliveryEvent(
                delivery_id=delivery.id, at=now, state=delivery.state, says=tr("{name} was fetched", name=name)
            )
        )


def expired_links(session: Session, now: datetime) -> Sequence[int]:
    """
    Deliveries whose link nobody used in its time.
    """
    query = sa.select(Delivery.id).join(Link, Link.delivery_id == Delivery.id)
    return list(session.scalars(query.where(Delivery.state == "offered", Link.expires_at < now)))


def rounds_sent_to(session: Session, recipient_id: int) -> list[Round]:
    """
    The rounds that send to a recipient.
    """
    query = sa.select(Round).where(Round.deleted_at.is_(None), Round.recipients.any(recipient_id=recipient_id))
    return list(session.scalars(query.order_by(Round.id)))
