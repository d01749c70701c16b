"""
What was removed and can be brought back: templates, rounds, saved lists and views.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal

import sqlalchemy as sa
from sqlalchemy.orm import Session

from bouquet.store.models import Person, Picks, Round, TemplateRecord, View

__all__ = ["MOST", "Removed", "list_removed"]

#: Entries that are listed, the latest first.
MOST = 200

RemovedKind = Literal["template", "bundle", "round", "picks", "view"]


@dataclass(frozen=True)
class Removed:
    """
    Something removed: its kind and id, what it is called, whose it was, and when it was removed.
    """

    kind: RemovedKind
    id: int
    name: str
    owner: str
    removed_at: datetime


def list_removed(session: Session, person: Person) -> list[Removed]:
    """
    What a person may bring back, the latest first: their own, and for a keeper that of all but views, which are
    everybody's own.
    """
    mine = sa.true() if "keeper" in person.roles else sa.false()
    template, standing = TemplateRecord, TemplateRecord.standing
    sources: tuple[tuple[RemovedKind, Any, Any, Any, sa.ColumnElement[bool]], ...] = (
        ("template", template, template.name, template.owner_id, (standing != "house") & _is(template, person)),
        ("bundle", template, template.name, template.owner_id, (standing != "house") & _is(template, person)),
        ("round", Round, template.name, Round.created_by, Round.created_by == person.id),
        ("picks", Picks, Picks.name, Picks.owner_id, _is(Picks, person)),
    )
    parts = [_removed(kind, table, name, owner, mine | own) for kind, table, name, owner, own in sources]
    parts[0] = parts[0].where(template.kind == "template")
    parts[1] = parts[1].where(template.kind == "bundle")
    parts.append(_removed("view", View, View.name, View.owner_id, _is(View, person)))
    query = sa.union_all(*parts).order_by(sa.desc("removed_at")).limit(MOST)
    return [Removed(*row) for row in session.execute(query)]


def _is(table: Any, person: Person) -> sa.ColumnElement[bool]:
    owned: sa.ColumnElement[bool] = table.owner_id == person.id
    return owned


def _removed(kind: RemovedKind, table: Any, name: Any, owner: Any, seen: sa.ColumnElement[bool]) -> sa.Select[Any]:
    query = sa.select(
        sa.literal(kind), table.id, name.label("name"), Person.name.label("owner"), table.deleted_at.label("removed_at")
    ).select_from(table)
    if table is Round:
        query = query.join(TemplateRecord, Round.template_id == TemplateRecord.id)
    return query.join(Person, owner == Person.id).where(table.deleted_at.is_not(None), seen)
