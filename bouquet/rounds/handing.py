"""
What belongs to somebody, and how it becomes somebody else's: one round, or everything of who leaves the house.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Literal, TypeAlias

import sqlalchemy as sa
from sqlalchemy.orm import Session

from bouquet.core.errors import BouquetError
from bouquet.core.language import tr
from bouquet.rights import may, sees_source
from bouquet.rounds.calendar import set_paused
from bouquet.rounds.setting import RoundRefused, asked_again, round_facts
from bouquet.runs import Services
from bouquet.store import NotFound, NotPossible
from bouquet.store.accounts import OWNER_LEFT
from bouquet.store.models import Person, Picks, Recipient, Round, TemplateRecord, View

__all__ = ["Belonging", "Stays", "belongings_of", "hand_over", "hand_round_over"]

Kind: TypeAlias = Literal["template", "bundle", "recipient", "round", "list", "view"]

#: The last number that a view's name is tried with where the new owner has one of that name.
MOST_NAMES = 100


@dataclass(frozen=True)
class Belonging:
    """
    Something that belongs to somebody.
    """

    kind: Kind
    id: int
    name: str


@dataclass(frozen=True)
class Stays:
    """
    Something that could not be handed over, and why.
    """

    thing: Belonging
    why: str


def belongings_of(session: Session, person: Person) -> list[Belonging]:
    """
    What belongs to a person, what was removed left out: templates and bundles first, that rounds of theirs run.
    """
    return [belonging for belonging, _ in _owned(session, person)]


def hand_over(
    services: Services, session: Session, giver: Person, taker: Person
) -> tuple[list[Belonging], list[Stays]]:
    """
    Hand everything of one person to another. Returns what was handed over, and what stays where it is: what the other
    may not have, or what would fail with their rights. Raises NotFound, and NotPossible for oneself.
    """
    _check_taker(giver.id, taker)
    handed: list[Belonging] = []
    stays: list[Stays] = []
    for belonging, give in _owned(session, giver):
        try:
            with session.begin_nested():
                give(services, session, taker)
        except BouquetError as error:
            stays.append(Stays(belonging, str(error)))
        else:
            handed.append(belonging)
    return handed, stays


def hand_round_over(services: Services, session: Session, found: Round, taker: Person) -> None:
    """
    Make a round somebody else's: from now on it runs with their rights. Raises what setting it would raise for them,
    NotFound, and NotPossible for who has it already.
    """
    _check_taker(found.created_by, taker)
    _give_round(found, services, session, taker)


_Give: TypeAlias = Callable[[Services, Session, Person], None]


def _check_taker(giver_id: int, taker: Person) -> None:
    if taker.disabled_at is not None:
        raise NotFound(tr("There is no such person."))
    if taker.id == giver_id:
        raise NotPossible(tr("This is {taker}’s already.", taker=taker.name))


def _owned(session: Session, person: Person) -> list[tuple[Belonging, _Give]]:
    found: list[tuple[Belonging, _Give]] = []
    templates = sa.select(TemplateRecord).where(
        TemplateRecord.owner_id == person.id, TemplateRecord.deleted_at.is_(None)
    )
    # A bundle runs templates, and a round runs either.
    for record in session.scalars(templates.order_by(TemplateRecord.kind.desc(), TemplateRecord.id)):
        kind: Kind = "bundle" if record.kind == "bundle" else "template"
        found.append((Belonging(kind, record.id, record.name), partial(_give_template, record)))
    # Who is there for everybody needs no owner; a round sends to who is there for its owner.
    addressed = sa.select(Recipient).where(
        Recipient.created_by == person.id, ~Recipient.for_all, Recipient.deleted_at.is_(None)
    )
    for recipient in session.scalars(addressed.order_by(Recipient.id)):
        found.append((Belonging("recipient", recipient.id, recipient.name), partial(_give_recipient, recipient)))
    rounds = sa.select(Round).where(Round.created_by == person.id, Round.deleted_at.is_(None))
    for round_ in session.scalars(rounds.order_by(Round.id)):
        found.append((Belonging("round", round_.id, round_.template.name), partial(_give_round, round_)))
    lists = sa.select(Picks).where(Picks.owner_id == person.id, Picks.deleted_at.is_(None))
    for picks in session.scalars(lists.order_by(Picks.id)):
        found.append((Belonging("list", picks.id, picks.name), partial(_give_list, picks)))
    views = sa.select(View).where(View.owner_id == person.id, View.deleted_at.is_(None))
    for view in session.scalars(views.order_by(View.id)):
        found.append((Belonging("view", view.id, view.name), partial(_give_view, view)))
    return found


def _give_template(record: TemplateRecord, services: Services, session: Session, taker: Person) -> None:
    _check_designs(taker, tr("design templates"))
    _check_source(taker, record.source)
    record.owner_id = taker.id
    session.flush()
    session.refresh(record)


def _give_round(found: Round, services: Services, session: Session, taker: Person) -> None:
    _check_designs(taker, tr("set rounds"))
    if not may(taker, "look", found):
        raise NotPossible(
            tr(
                "{taker} does not see “{template}”, which it runs. Share that first.",
                taker=taker.name,
                template=found.template.name,
            )
        )
    try:
        round_facts(services, session, taker, asked_again(found), found.id)
    except RoundRefused as error:
        raise NotPossible(
            tr("With the rights of {taker} it could not run: {error}", taker=taker.name, error=error)
        ) from error
    found.created_by = taker.id
    if found.paused and found.paused_for == OWNER_LEFT:
        set_paused(session, found.id, False, services.clock())


def _give_recipient(recipient: Recipient, services: Services, session: Session, taker: Person) -> None:
    _check_designs(taker, tr("write recipients down"))
    recipient.created_by = taker.id
    session.flush()


def _give_list(picks: Picks, services: Services, session: Session, taker: Person) -> None:
    _check_designs(taker, tr("keep lists"))
    _check_source(taker, picks.source)
    picks.owner_id = taker.id


def _give_view(view: View, services: Services, session: Session, taker: Person) -> None:
    _check_source(taker, view.source)
    named = sa.select(sa.func.lower(View.name)).where(
        View.owner_id == taker.id,
        View.source == view.source,
        View.records == view.records,
        View.deleted_at.is_(None),
    )
    taken = set(session.scalars(named))
    names = (view.name, *(f"{view.name} ({n})" for n in range(2, MOST_NAMES)))
    free = next((name for name in names if name.lower() not in taken), None)
    if free is None:
        raise NotPossible(tr("{taker} has a view of this name already.", taker=taker.name))
    view.name, view.owner_id = free, taker.id
    session.flush()
    session.refresh(view)


def _check_designs(taker: Person, what: str) -> None:
    if not may(taker, "design"):
        raise NotPossible(tr("{taker} may not {what}, so this cannot be theirs.", taker=taker.name, what=what))


def _check_source(taker: Person, source: str) -> None:
    if not sees_source(taker, source):
        raise NotPossible(tr("{taker} sees nothing of its source.", taker=taker.name))
