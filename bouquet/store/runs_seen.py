"""
Which runs of the ledger a person may see.
"""

from __future__ import annotations

import json
from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import JSONB

from bouquet.core.rights import Limits
from bouquet.store.models import Person, Run, TemplateRecord
from bouquet.store.sharing import shared_with

__all__ = ["LIGHT", "same_scope", "visible_runs"]

#: What lists of runs do not need.
LIGHT = (sa.orm.defer(Run.document), sa.orm.defer(Run.slip), sa.orm.defer(Run.findings))


def visible_runs(person: Person, *, scoped: bool = True) -> sa.ColumnElement[bool]:
    """
    The runs that a person may see: their own; those of templates that are everybody's or theirs, made with what their
    own rights leave, or, unless `scoped`, with any; for who administers or audits the house, all.
    """
    own = Run.person_id == person.id
    shared = [TemplateRecord.standing != "own", shared_with(TemplateRecord.shared_with, person)]
    if Limits.read(person.limits).house_only:
        shared = [TemplateRecord.standing == "house"]
    everybody = sa.select(TemplateRecord.id).where(
        TemplateRecord.id == Run.template_id, sa.or_(TemplateRecord.owner_id == person.id, *shared)
    )
    theirs: sa.ColumnElement[bool] = everybody.exists()
    if not {"keeper", "auditor"}.isdisjoint(person.roles):
        theirs = sa.true()
    if person.scope is not None and scoped:
        return sa.and_(sa.or_(own, theirs), same_scope(person.scope))
    return sa.or_(own, theirs)


def same_scope(scope: dict[str, Any] | None) -> sa.ColumnElement[bool]:
    """
    Whether a run was made with the same scope.
    """
    if scope is None:
        return Run.scope.is_(sa.null())
    return sa.cast(Run.scope, JSONB) == sa.cast(sa.literal(json.dumps(scope)), JSONB)
