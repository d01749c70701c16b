"""
Whether files that were made, and wait, may be sent to whom they are for: rights are taken while something waits.
"""

from __future__ import annotations

from sqlalchemy.orm import Session

from bouquet.core.rights import Limits
from bouquet.store.models import Delivery, Person, Recipient, Run

__all__ = ["barred", "why_not"]


def barred(session: Session, delivery: Delivery) -> str | None:
    """
    Why a delivery may not be sent: since it was made who sends may have lost the right to, and its recipient the way or
    the personal data. None where it may.
    """
    run = session.get_one(Run, delivery.run_id)
    whose = run.person_id if delivery.person_id is None else delivery.person_id
    sender = session.get(Person, whose) if whose is not None else None
    if sender is not None and sender.disabled_at is not None:
        return f"Not sent: {sender.name}, who sends it, is not among the people of the house any more. Send it again."
    if sender is not None and not Limits.read(sender.limits).lets_go(delivery.recipient_id):
        return f"Not sent: files of {sender.name} may not go to {delivery.recipient.name}."
    name = delivery.recipient.name
    if delivery.way is not None and delivery.way.deleted_at is not None:
        return f"Not sent: {name} does not receive by {delivery.means.name} any more."
    if _allowed_otherwise(delivery.recipient, run):
        return f"Not sent: what {name} may receive of personal data was changed since this was made. Run it again."
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
        return f"{to.name} may not receive personal data, and this file holds some."
    if {"format", "csv", "columns", "most_rows"} & set(to.acceptance):
        return f"{to.name} takes files in a form of their own. Add them to the round instead."
    return None
