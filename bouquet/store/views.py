"""
Saved views of records, and what people like: pins, remembered answers, preferences.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from bouquet.core.language import tr
from bouquet.store.errors import NotFound, NotPossible
from bouquet.store.models import Person, Pin, View
from bouquet.store.sharing import Entry, checked_entries, is_shared_with, shared_with

__all__ = ["list_views", "pins_of", "put_pin", "put_preferences", "put_view", "remove_view", "restore_view", "see_view"]


def list_views(session: Session, person: Person, records: str, source: str = "") -> Sequence[View]:
    """
    The views of a record type of a source that a person may use, their own first.
    """
    query = sa.select(View).where(
        View.source == source,
        View.records == records,
        View.deleted_at.is_(None),
        sa.or_(View.owner_id == person.id, View.shared, shared_with(View.shared_with, person)),
    )
    return session.scalars(query.order_by(View.owner_id != person.id, sa.func.lower(View.name))).all()


def see_view(session: Session, view_id: int, person: Person) -> View:
    """
    A view that a person may use. Raises NotFound.
    """
    view = session.get(View, view_id)
    open_to = view is not None and (
        view.shared or view.owner_id == person.id or is_shared_with(view.shared_with, person)
    )
    if view is None or view.deleted_at is not None or not open_to:
        msg = tr("There is no such view of yours, or it is shared no longer.")
        raise NotFound(msg)
    return view


def put_view(
    session: Session,
    *,
    name: str,
    document: dict[str, Any],
    shared: bool,
    owner: Person,
    now: datetime,
    source: str = "",
    with_some: Sequence[Entry] = (),
) -> View:
    """
    Save a view under a name, for its owner, for all (`shared`), or with some; an earlier one of its owner's with that
    name is replaced. Raises NotFound for who is not there.
    """
    query = sa.select(View).where(
        View.owner_id == owner.id,
        View.source == source,
        View.records == document["records"],
        View.deleted_at.is_(None),
        sa.func.lower(View.name) == name.lower(),
    )
    view = session.scalars(query).first()
    if view is None:
        try:
            with session.begin_nested():
                view = View(
                    name=name,
                    source=source,
                    records=document["records"],
                    owner_id=owner.id,
                    owner=session.get_one(Person, owner.id),
                    document=document,
                    changed_at=now,
                    deleted_at=None,
                )
                session.add(view)
        except IntegrityError:
            # Saved twice at once: the other one was first.
            view = session.scalars(query).first()
            if view is None:
                raise
    view.document, view.shared, view.changed_at = document, shared, now
    view.shared_with = checked_entries(session, with_some)
    session.flush()
    return view


def remove_view(session: Session, view_id: int, owner: Person, now: datetime) -> None:
    """
    Remove a view of one's own; it can be brought back. Raises NotFound.
    """
    _own_view(session, view_id, owner, removed=False).deleted_at = now


def restore_view(session: Session, view_id: int, owner: Person) -> View:
    """
    Bring back a view of one's own. Raises NotFound, and NotPossible where another has its name by now.
    """
    view = _own_view(session, view_id, owner, removed=True)
    taken = sa.select(View.id).where(
        View.owner_id == owner.id,
        View.source == view.source,
        View.records == view.records,
        View.deleted_at.is_(None),
        sa.func.lower(View.name) == view.name.lower(),
    )
    if session.scalars(taken).first() is not None:
        msg = tr("Another view is called “{view}” by now.", view=view.name)
        raise NotPossible(msg)
    view.deleted_at = None
    return view


def _own_view(session: Session, view_id: int, owner: Person, *, removed: bool) -> View:
    view = session.get(View, view_id)
    if view is None or view.owner_id != owner.id or (view.deleted_at is not None) != removed:
        msg = tr("There is no such view of yours.")
        raise NotFound(msg)
    return view


def pins_of(session: Session, person: Person) -> dict[int, Pin]:
    """
    What a person pinned or answered, by template.
    """
    return {p.template_id: p for p in session.scalars(sa.select(Pin).where(Pin.person_id == person.id))}


def put_pin(session: Session, person: Person, template_id: int, **changes: Any) -> Pin:
    """
    Remember of a template `pinned`, `answers` or `format` for a person.
    """
    new = {"person_id": person.id, "template_id": template_id, "pinned": False, "answers": {}, "format": None}
    session.execute(insert(Pin).values(**new).on_conflict_do_nothing())
    pin = session.get_one(Pin, (person.id, template_id), with_for_update=True)
    for name, value in changes.items():
        setattr(pin, name, value)
    session.flush()
    return pin


def put_preferences(session: Session, person: Person, changes: dict[str, Any]) -> dict[str, Any]:
    """
    Change single preferences; the rest stays.
    """
    # Two changes at once are made one after the other, or the later would undo the earlier.
    known = session.get_one(Person, person.id, with_for_update=True)
    known.preferences = {**known.preferences, **changes}
    return known.preferences
