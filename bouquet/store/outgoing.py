"""
What a round's run sends, to whom: the deliveries that are entered when it ends.
"""

from __future__ import annotations

import secrets
from collections.abc import Iterable, Mapping
from datetime import datetime
from typing import Any

import sqlalchemy as sa
from sqlalchemy.orm import Session

from bouquet.core.language import tr
from bouquet.store.allowed import lets_go, sees, why_not
from bouquet.store.deliveries import Ended, set_state, tell_failed
from bouquet.store.models import LATER, Delivery, Person, Recipient, Round, Run, RunFile

__all__ = ["content_of", "enter", "parts_of_nobody", "with_fact"]


def enter(session: Session, run: Run, now: datetime) -> bool:
    """
    Enter what a round's run sends, in the transaction that ends the run. Returns whether it is everybody's own part and
    has to arrive yet.

    A recipient whose layout the run does not meet is told of as failed; the others get theirs.
    """
    round_ = session.get(Round, run.round_id) if run.round_id is not None else None
    if round_ is None or session.scalar(sa.select(Delivery.id).where(Delivery.run_id == run.id).limit(1)):
        return False
    said, owner = _said_of(run), session.get(Person, run.person_id)
    open_ = False
    for recipient, must, files in _wanted(session, round_, run):
        unmet = _unmet(recipient, run, said) if files else []
        if owner is not None and not lets_go(owner, recipient):
            unmet = [
                tr(
                    "files of {owner}, for whom the round runs, may not go to {recipient}",
                    owner=owner.name,
                    recipient=recipient.name,
                )
            ]
        for way_id, means, _ in recipient.ways:
            if not files and not unmet and means.kind not in TELLING:
                continue
            delivery = Delivery(
                run_id=run.id,
                recipient_id=recipient.id,
                way_id=way_id,
                identity=secrets.token_hex(12),
                must=must,
                files=[f.id for f in files],
                entered_at=now,
                progress={},
            )
            session.add(delivery)
            if unmet:
                set_state(session, delivery, Ended("failed", tr("not sent: {unmet}", unmet="; ".join(unmet[:5]))), now)
                tell_failed(session, delivery, run, now)
                # By every way it would be the same.
                break
            set_state(session, delivery, Ended("waiting", "", now), now)
        open_ = open_ or must
    session.flush()
    return open_ and round_.own_part is not None


def _unmet(recipient: Recipient, run: Run, said: Mapping[int, dict[str, Any]]) -> list[str]:
    """
    What keeps a run's files from a recipient: what was found when it was made, or, where they became one of its
    recipients later, what can be told without making it again.
    """
    if recipient.id in said:
        found: list[str] = said[recipient.id]["unmet"]
        return found
    why = why_not(recipient, run)
    return [tr("it was made before they were one of its recipients. {why}", why=why)] if why is not None else []


def _said_of(run: Run) -> dict[int, dict[str, Any]]:
    """
    What a run's slip says of each recipient.
    """
    return {facts["id"]: facts for facts in (run.slip or {}).get("recipients", ())}


def _wanted(session: Session, round_: Round, run: Run) -> Iterable[tuple[Recipient, bool, list[RunFile]]]:
    """
    (recipient, whether it must arrive, files) of a round's run.
    """
    files = [f for f in run.files if f.role not in (*LATER, "missing") and f.removed_at is None]
    common = [f for f in files if f.recipient_id is None]
    archive = [f for f in common if f.role == "archive"]
    if round_.own_part is not None:
        fact = str(round_.own_part["fact"])
        for recipient in with_fact(session, fact, session.get(Person, run.person_id)):
            theirs = [f for f in common if f.part is not None and f.part == recipient.acceptance["facts"][fact]]
            own = [f for f in files if f.recipient_id == recipient.id]
            if own or theirs:
                yield recipient, True, own or theirs
        return
    said = _said_of(run)
    for entry in round_.recipients:
        if entry.recipient.deleted_at is not None:
            continue
        facts = said.get(entry.recipient_id, {})
        if _is_empty(run, facts) and entry.when_empty != "send":
            if entry.when_empty == "tell" and any(means.kind in TELLING for _, means, _ in entry.recipient.ways):
                yield entry.recipient, entry.must, []
            continue
        own = [f for f in files if f.recipient_id == entry.recipient_id]
        if facts.get("apart"):
            # What others got is not theirs, also where they get nothing.
            if own or facts["unmet"]:
                yield entry.recipient, entry.must, own or common
            continue
        own += [f for f in common if f.role == "gone"] if own else []
        # A run that sends nothing when there is nothing has no files.
        if own or archive or common:
            yield entry.recipient, entry.must, own or archive or common


#: Ways out that can say something without sending a file.
TELLING = ("mail", "webhook")


def _is_empty(run: Run, facts: dict[str, Any]) -> bool:
    """
    Whether a run has nothing for a recipient, of whom its slip says this.
    """
    told = facts if facts.get("apart") else (run.slip or {})
    return facts.get("rows", run.rows_written) == 0 and not told.get("gone")


def with_fact(session: Session, fact: str, sender: Person | None) -> list[Recipient]:
    """
    The recipients who have a fact, of those who are there for a person.
    """
    query = sa.select(Recipient).where(Recipient.deleted_at.is_(None)).order_by(Recipient.id)
    found = [r for r in session.scalars(query) if fact in r.acceptance.get("facts", {})]
    return [r for r in found if sender is None or sees(sender, r)]


def content_of(run: Run, delivery: Delivery) -> tuple[int, str]:
    """
    (rows, sentence) of what a delivery holds, which may be other records than the run's own files have.
    """
    files = [f for f in run.files if f.id in delivery.files]
    whose = next((f.recipient_id for f in files if f.recipient_id is not None), delivery.recipient_id)
    facts = _said_of(run).get(whose, {})
    sentence = str(facts.get("sentence", (run.slip or {}).get("sentence", "")))
    # An archive does not say how many rows are in it; parts do, and are fewer than the run's.
    counted = [f.rows for f in files if f.role in ("data", "form")]
    return sum(counted) if counted else int(facts["rows"] if facts.get("apart") else run.rows_written), sentence


def parts_of_nobody(
    session: Session, fact: str, parts: Iterable[str | None], sender: Person | None = None
) -> list[str]:
    """
    The values of parts that no recipient has as this fact, of those who are there for a person.
    """
    known = {r.acceptance["facts"][fact] for r in with_fact(session, fact, sender)}
    return sorted({p for p in parts if p is not None and p not in known})
