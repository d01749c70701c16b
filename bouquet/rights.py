"""
What people may do, decided in one place: every way into Bouquet asks here.

Rights so far follow from roles, from who something belongs to, and from the scope a person has (`core.rights`): that
leaves of one source only the records of their part, and of all other sources nothing.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, TypeAlias

from sqlalchemy.orm import Session

from bouquet.core.language import tr
from bouquet.core.rights import Limits
from bouquet.sources import LEDGER
from bouquet.store import NotFound, recipients
from bouquet.store import templates as shelf
from bouquet.store.allowed import SEES_ALL, lets_go, sees
from bouquet.store.models import Person, Recipient, Round, TemplateRecord
from bouquet.store.sharing import is_shared_with, people_of

__all__ = [
    "Act",
    "Thing",
    "barred_elsewhere",
    "looks_after",
    "may",
    "may_change",
    "may_send",
    "recipient_for",
    "says_who_sends_to",
    "sees_source",
    "told_of",
    "visible",
]

Act: TypeAlias = Literal["look", "run", "design", "keep", "audit"]

#: What a right can be asked about besides an act.
Thing: TypeAlias = TemplateRecord | Round

#: The acts each role may do.
ROLE_ACTS: dict[str, frozenset[Act]] = {
    "auditor": frozenset({"look", "audit"}),
    "runner": frozenset({"look", "run"}),
    "designer": frozenset({"look", "run", "design"}),
    "keeper": frozenset({"look", "run", "design", "keep", "audit"}),
}


def may(person: Person, act: Act, thing: Thing | None = None) -> bool:
    """
    Whether a person may do this at all, or with a certain thing. What one may not look at, one may do nothing with.
    """
    allowed = person.by_token is None or act in person.by_token
    if not allowed or not any(act in ROLE_ACTS.get(role, frozenset()) for role in person.roles):
        return False
    if thing is None:
        return True
    template = thing.template if isinstance(thing, Round) else thing
    return sees_source(person, template.source) and _sees(person, template)


def may_change(person: Person, template: TemplateRecord) -> bool:
    """
    Whether a person may share, remove or bring back a template: its owner and the keepers; the house's standard is the
    keepers'.
    """
    return may(person, "keep") or (template.owner_id == person.id and template.standing != "house")


def looks_after(person: Person, round_: Round) -> bool:
    """
    Whether a person may pause a round, skip its next moment and run it: its owner, with whom they share that, and the
    keepers. Whoever sees a part of the records only does not, since it runs with its owner's rights.
    """
    if may(person, "keep") or round_.created_by == person.id:
        return True
    whole = person.scope is None and person.limits is None
    return whole and may(person, "run", round_) and is_shared_with(round_.shared_with, person)


def told_of(session: Session, round_: Round) -> list[int]:
    """
    Who is told what befell a round: its owner, and whoever looks after it with them.
    """
    others = [p.id for p in people_of(session, round_.shared_with) if looks_after(p, round_)]
    return list(dict.fromkeys([round_.created_by, *others]))


def may_send(person: Person, recipient: Recipient | None = None) -> bool:
    """
    Whether files may go to a recipient by a person's hand or their rounds; without one, to whoever is none: a folder, a
    mail address, a recipient whom they make up.
    """
    return Limits.read(person.limits).lets_go() if recipient is None else lets_go(person, recipient)


def recipient_for(session: Session, person: Person, recipient_id: int, *, lock: bool = False) -> Recipient:
    """
    A recipient who is there for a person. Raises NotFound.
    """
    found = recipients.get_recipient(session, recipient_id, lock=lock)
    if not sees(person, found):
        raise NotFound(tr("There is no such recipient, or they were removed."))
    return found


def says_who_sends_to(person: Person, recipient: Recipient) -> bool:
    """
    Whether a person decides for whom a recipient is there: who wrote them down, and the keepers.
    """
    return may(person, "keep") or recipient.created_by == person.id


def barred_elsewhere(owner: Person, folder: str, mail_to: Sequence[str]) -> str | None:
    """
    Why files of a person may not go into a folder, or to addresses that are not their own; None where they may.
    """
    if may_send(owner) or not (folder or any(address.lower() != owner.email for address in mail_to)):
        return None
    return tr(
        "Files of {owner}, for whom this round runs, may go to named recipients only.",
        owner=owner.name,
    )


def sees_source(person: Person, source: str) -> bool:
    """
    Whether anything of a source is theirs to see.
    """
    bound = person.scope is not None and bool({"records", "types"} & set(person.scope))
    return not bound or source == LEDGER or (person.scope or {}).get("source", "") == source


def visible(
    session: Session, person: Person, template_id: int, kind: Literal["template", "bundle", "any"] = "template"
) -> TemplateRecord:
    """
    A template, a bundle, or either that a person may use. Raises NotFound, also for one that is somebody's own.
    """
    record = shelf.get_template(session, template_id)
    if kind not in (record.kind, "any") or not may(person, "look", record):
        msg = tr(
            "There is no such {kind}, or it was removed.",
            kind="template" if kind == "any" else kind,
        )
        raise NotFound(msg)
    return record


def _sees(person: Person, template: TemplateRecord) -> bool:
    if template.owner_id == person.id or not SEES_ALL.isdisjoint(person.roles):
        return True
    if Limits.read(person.limits).house_only:
        return template.standing == "house"
    if template.standing != "own":
        return True
    return is_shared_with(template.shared_with, person)
