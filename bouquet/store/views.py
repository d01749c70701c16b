"""
Saved views of records, and what people like: pins, remembered answers, preferences.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any

import sqlalchemy as sa
from sqlalchemy.orm import Session

from bouquet.store.errors import NotFound
from bouquet.store.models import Person, Pin, View

__all__ = ["list_views", "pins_of", "put_pin", "put_preferences", "put_view", "remove_view"]


def list_views(session: Session, person: Person, records: str) -> Sequence[View]:
    """
    The views of a record type that a person may use, their own first.
    """
    query = sa.select(View).where(View.records == records, sa.or_(View.owner_id == person.id, View.shared))
    return session.scalars(query.order_by(View.owner_id != person.id, sa.func.lower(View.name))).all()


def put_view(
    session: Session, *, name: str, document: dict[str, Any], shared: bool, owner: Person, now: datetime
) -> View:
    """
    Save a view under a name; an earlier one of its owner's with that name is replaced.
    """
    query = sa.select(View).where(
        View.owner_id == owner.id, View.records == document["records"], sa.func.lower(View.name) == name.lower()
    )
    view = session.scalars(query).first()
    if view is None:
        view = View(name=name, records=document["records"], owner_id=owner.id, owner=session.get_one(Person, owner.id))
        session.add(view)
    view.document, view.shared, view.changed_at = document, shared, now
    session.flush()
    return view


def remove_view(session: Session, view_id: int, owner: Person) -> None:
    """
    Remove a view of one's own. Raises NotFound.
    """
    view = session.get(View, view_id)
    if view is None or view.owner_id != owner.id:
        msg = "There is no such view of yours."
        raise NotFound(msg)
    session.delete(view)


def pins_of(session: Session, person: Person) -> dict[int, Pin]:
    """
    What a person pinned or answered, by template.
    """
    return {p.template_id: p for p in session.scalars(sa.select(Pin).where(Pin.person_id == person.id))}


def put_pin(session: Session, person: Person, template_id: int, **changes: Any) -> Pin:
    """
    Remember of a template `pinned`, `answers` or `format` for a person.
    """
    pin = session.get(Pin, (person.id, template_id))
    if pin is None:
        pin = Pin(person_id=person.id, template_id=template_id, pinned=False, answers={}, format=None)
        session.add(pin)
    for name, value in changes.items():
        setattr(pin, name, value)
    session.flush()
    return pin


def put_preferences(session: Session, person: Person, changes: dict[str, Any]) -> dict[str, Any]:
    """
    Change single preferences; the rest stays.
    """
    known = session.get_one(Person, person.id)
    known.preferences = {**known.preferences, **changes}
    return known.preferences
