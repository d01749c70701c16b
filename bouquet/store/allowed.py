"""
Whether somebody's files may go to a recipient; and of files that were made, and wait, whether they still may: rights
are taken while something waits.
"""

from __future__ import annotations

from sqlalchemy.orm import Session

from bouquet.core.language import tr
from bouquet.core.rights import Limits
from bouquet.store.models import Delivery, Person, Recipient, Run
from bouquet.store.sharing import is_shared_with

__all__ = ["SEES_ALL", "barred", "lets_go", "sees", "why_not"]

#: Roles that see what is not for all.
SEES_ALL = frozenset({"keeper", "auditor"})


def sees(person: Person, recipient: Recipient) -> bool:
    """
    Whether a recipient is there for a person.
    """
    if recipient.for_all or recipient.created_by == person.id or not SEES_ALL.isdisjoint(person.roles):
        return True
    return is_shared_with(recipient.shared_with, person)


def lets_go(person: Person, recipient: Recipient) -> bool:
    """
    Whether files of a person may go to a recipient.
    """
    return Limits.read(person.limits).lets_go(recipient.id) and sees(person, recipient)


def barred(session: Session, delivery: Delivery) -> str | None:
    """
    Why a delivery may not be sent: since it was made who sends may have lost the right to, and its recipient the way or
    the personal data. None where it may.
    """
    run = session.get_one(Run, delivery.run_id)
    whose = run.person_id if delivery.person_id is None else delivery.person_id
    sender = session.get(Person, whose) if whose is not None else None
    if sender is not None and sender.disabled_at is not None:
        return tr(
            "Not sent: {sender}, who sends it, is not among the people of the house any more. Send it again.",
            sender=sender.name,
        )
    if sender is not None and not lets_go(sender, delivery.recipient):
        return tr(
            "Not sent: files of {sender} may not go to {recipient}.",
            sender=sender.name,
            recipient=delivery.recipient.name,
        )
    name = delivery.recipient.name
    if delivery.way is not None and delivery.way.deleted_at is not None:
        return tr(
            "Not sent: {name} does not receive by {means} any more.",
            name=name,
            means=delivery.means.name,
        )
    if _allowed_otherwise(delivery.recipient, run):
        return tr(
            "Not sent: what {name} may receive of personal data was changed since this was made. Run it again.",
            name=name,
        )
    return None


def _allowed_otherwise(to: Recipient, run: Run) -> bool:
    """
    Whether a run's files for a recipient tell of people, by rules that do not hold for them any more.
    """
    slip = run.slip or {}
    if not run.personal and not slip.get("tells_of_people", False):
        return False
    may, classes = to.acceptance.get("personal", False), to.acceptance.get("classes", {})
    facts = next((f for f in slip.get("recipients", ()) if f.get("id") == to.id), None)
    if facts is None:
        # It was sent to them by hand, as it is.
        return not may or bool(classes)
    made = facts.get("allowed", {"personal": may, "classes": classes})
    return (made["personal"] and not may) or made["classes"] != classes


def why_not(to: Recipient, run: Run) -> str | None:
    """
    Why somebody for whom a run was not made may not have its files as they are; None where they may.
    """
    # Its sentence may name somebody, also where no column does.
    personal = run.personal or (run.slip or {}).get("tells_of_people", False)
    if personal and (not to.acceptance.get("personal", False) or to.acceptance.get("classes")):
        return tr("{to} may not receive personal data, and this file holds some.", to=to.name)
    if {"format", "csv", "columns", "most_rows"} & set(to.acceptance):
        return tr("{to} takes files in a form of their own. Add them to the round instead.", to=to.name)
    return None
