"""
Working off the outbox: what is due for a recipient is sent, in order, and how it ended is entered.

A worker may be killed at any instruction. Whoever takes a delivery up again first looks whether it is there.
"""

from __future__ import annotations

import random
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from datetime import timedelta
from functools import partial
from typing import Any

import sqlalchemy as sa
import structlog

from bouquet.core.errors import BouquetError
from bouquet.core.language import tr
from bouquet.delivery.means import way_to
from bouquet.delivery.way import DeliveryError, Parcel, ParcelFile, Receipt, Way, WrongSettings
from bouquet.runs import Services
from bouquet.runs.patience import TookTooLong, patience_for
from bouquet.store import STORE_AWAY, allowed
from bouquet.store import deliveries as outbox
from bouquet.store.models import Delivery, Person, Round, Run
from bouquet.store.outgoing import content_of
from bouquet.store.secrets import NoKey, WrongKey
from bouquet.traces import span

__all__ = ["PAUSES", "deliver_due", "end_old_links", "parcel_of", "take_back"]

log = structlog.get_logger()

#: Seconds between tries, each within a fifth more or less: eight tries in a day, then a delivery has failed.
PAUSES = (15, 60, 300, 1_800, 7_200, 25_200, 50_400)

#: What is noted of a delivery that may have arrived by a try that nobody answered, or whose worker died.
DOUBT = {"doubt": True}

#: The class of the locks by which one worker at a time sends to a recipient; of their further ways, the next one.
LOCK = 0x62717464


def deliver_due(services: Services, recipient_id: int, way_id: int = 0) -> None:
    """
    Send what is due for a recipient by one of their ways, the oldest first; 0 is the first way. Does nothing where
    another worker is at it.
    """
    with _alone(services, recipient_id, way_id) as alone:
        while alone and _deliver_next(services, recipient_id, way_id):
            pass


@contextmanager
def _alone(services: Services, recipient_id: int, way_id: int) -> Iterator[bool]:
    """
    Whether nobody else sends to this recipient by this way; for as long as the connection lives, and no longer.
    """
    # Further ways have numbers of their own, and so has what is locked.
    locked = (LOCK, recipient_id % 2**31) if not way_id else (LOCK + 1, way_id % 2**31)
    with services.store.engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        key = sa.select(sa.func.pg_try_advisory_lock(*locked))
        if not connection.scalar(key):
            yield False
            return
        try:
            yield True
        finally:
            connection.execute(sa.select(sa.func.pg_advisory_unlock(*locked)))


def _deliver_next(services: Services, recipient_id: int, way_id: int) -> bool:
    """
    Send the next delivery; False where none is due.
    """
    with services.store.session() as session:
        taken = outbox.take(session, recipient_id, way_id, services.clock())
        if taken is None:
            return False
        delivery, broken_off = taken
        number, recipient, means_id, tries = delivery.id, delivery.recipient, delivery.means.id, delivery.tries
        session.expunge_all()
    reached: str | None = None
    try:
        if broken_off:
            _note(services, number, DOUBT)
        with services.store.session() as session:
            found = outbox.get_delivery(session, number)
            parcel, barred = parcel_of(services, session, found), allowed.barred(session, found)
        if recipient.deleted_at is not None:
            raise DeliveryError(tr("{recipient} was removed.", recipient=recipient.name))
        if barred is not None:
            raise DeliveryError(barred)
        if broken_off and tries > len(services.delivery_pauses or PAUSES) + 1:
            # Each try ended with its worker: another would only take one more worker along.
            raise DeliveryError(
                tr(
                    "{tries} tries were broken off without an answer. Look at the log of the workers.",
                    tries=tries - 1,
                )
            )
        doubtful = DOUBT.items() <= parcel.progress.items()
        ended = _arrived(_sent(services, way_to(services, delivery), parcel, doubtful=doubtful), doubtful)
    except DeliveryError as error:
        if error.unanswered:
            _note(services, number, DOUBT)
        ended = _refused(services, error, tries)
        reached = str(error) if error.unreachable else None
    except STORE_AWAY:
        # Our own database is away: whoever takes it up next looks first.
        raise
    except (NoKey, WrongKey, WrongSettings) as error:
        ended = outbox.Ended("failed", str(error))
    except Exception as error:
        log.exception("delivery_broke", delivery=number)
        told = (
            str(error) if isinstance(error, BouquetError) else tr("{name} in Bouquet itself", name=type(error).__name__)
        )
        ended = _refused(services, DeliveryError(told, passing=True), tries)
    with services.store.session() as session:
        outbox.note_failure(session, means_id, reached, services.clock())
        outbox.settle(session, number, ended, services.clock())
    return True


def _note(services: Services, delivery_id: int, progress: Mapping[str, Any]) -> None:
    with services.store.session() as session:
        outbox.note(session, delivery_id, dict(progress))


def _sent(services: Services, way: Way, parcel: Parcel, *, doubtful: bool) -> Receipt:
    with span("delivery", way=way.kind, files=len(parcel.files)), _patiently(services, parcel):
        if doubtful:
            found = way.verify(parcel)
            if found is not None:
                return found
        return way.send(parcel)


@contextmanager
def _patiently(services: Services, parcel: Parcel) -> Iterator[None]:
    """
    Break off what does not come to an end. Raises DeliveryError.
    """
    size = sum(file.size for file in parcel.files)
    try:
        with patience_for(services.delivery_wait, size) as patience, patience.within():
            yield
    except TookTooLong as error:
        cause = error.__cause__
        unanswered = isinstance(cause, DeliveryError) and cause.unanswered
        raise DeliveryError(str(error), passing=True, unanswered=unanswered) from error


def _arrived(receipt: Receipt, doubtful: bool) -> outbox.Ended:
    says = receipt.says
    if doubtful and not receipt.known:
        says += tr("; perhaps twice, as a try was broken off")
    return outbox.Ended("arrived" if receipt.arrived else "offered", says)


def _refused(services: Services, error: DeliveryError, tries: int) -> outbox.Ended:
    """
    Whether it is tried again, and when.
    """
    pauses = services.delivery_pauses or PAUSES
    if not error.passing or tries > len(pauses):
        return outbox.Ended(
            "failed", tr("{error} Tried {tries} times.", error=error, tries=tries) if error.passing else str(error)
        )
    pause = pauses[tries - 1] * random.uniform(0.8, 1.2)
    if error.after is not None:
        pause = max(error.after, min(pause, 1.0))
    return outbox.Ended("trying", str(error), services.clock() + timedelta(seconds=pause))


def parcel_of(services: Services, session: Any, delivery: Delivery) -> Parcel:
    """
    A delivery as ways out know it.
    """
    run = session.get_one(Run, delivery.run_id)
    round_ = session.get(Round, run.round_id) if run.round_id is not None else None
    owner = session.get(Person, round_.created_by) if round_ is not None else None
    base = services.mail.address.rstrip("/") if services.mail is not None and services.mail.address else ""
    number = delivery.id

    def note(progress: Mapping[str, Any]) -> None:
        _note(services, number, progress)
        progress_so_far.update(progress)

    progress_so_far = dict(delivery.progress)
    rows, sentence = content_of(run, delivery)
    files = [f for f in run.files if f.id in delivery.files]
    return Parcel(
        delivery_id=number,
        identity=delivery.identity,
        files=tuple(
            ParcelFile(
                f.id,
                f.name,
                f.media_type,
                f.size,
                f.rows,
                f.sha256,
                partial(_fetched, services, f.path, f.name, f.removed_at),
            )
            for f in files
        ),
        recipient=delivery.recipient.name,
        run_id=run.id,
        title=run.name,
        sentence=sentence,
        rows=rows,
        as_of=run.as_of,
        owner=owner.name if owner is not None else run.asked_by,
        run_page=f"{base}/runs/{run.id}" if base else "",
        now=services.clock(),
        progress=progress_so_far,
        note=note,
    )


@contextmanager
def _fetched(services: Services, path: str, name: str, gone: Any) -> Iterator[Any]:
    try:
        if gone is not None:
            raise FileNotFoundError(path)
        with services.storage.fetched(path) as here:
            yield here
    except FileNotFoundError as error:
        raise DeliveryError(tr("{name} is not kept any more.", name=name)) from error


def take_back(services: Services, delivery_id: int, by: str, reason: str) -> None:
    """
    Withdraw a delivery: what can be removed on the other side is. Raises NotFound, NotPossible and DeliveryError.
    """
    with services.store.session() as session:
        delivery = outbox.get_delivery(session, delivery_id)
        state = delivery.state
        way, parcel = way_to(services, delivery), parcel_of(services, session, delivery)
    if state == "arrived" and not way.withdraws:
        raise DeliveryError(tr("{way}: what arrived cannot be taken back.", way=way.label))
    if state == "arrived":
        with _patiently(services, parcel):
            way.withdraw(parcel)
    with services.store.session() as session:
        outbox.withdraw(session, delivery_id, by, reason, services.clock())


def end_old_links(services: Services) -> None:
    """
    Links that nobody used in their time have failed.
    """
    now = services.clock()
    with services.store.session() as session:
        for number in outbox.expired_links(session, now):
            outbox.settle(session, number, outbox.Ended("failed", tr("nobody fetched it in its time")), now)
