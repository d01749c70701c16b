"""
What somebody's rights leave them of a source: records, fields and templates, counted just now.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal, TypeAlias

from bouquet.core.catalogue import RecordType
from bouquet.core.errors import BouquetError, DocumentError
from bouquet.core.plan import resolve
from bouquet.core.sql import Statements
from bouquet.core.template import Column, FieldValue, Template, read_document
from bouquet.designing.source_view import SourceView
from bouquet.rights import may
from bouquet.sources import Snapshot
from bouquet.store import templates as shelf

__all__ = ["LeftTemplate", "LeftType", "left_templates", "left_types"]

State: TypeAlias = Literal["works", "lacks", "closed"]

#: Seconds for all counts together; what is not counted by then is not counted.
COUNTING = 8.0


@dataclass(frozen=True)
class LeftType:
    """
    Of a record type: whether it is closed, how many records are left (`rows`) `of` how many, None where they were not
    counted, and how many of its fields are hidden and masked.
    """

    name: str
    label: str
    closed: bool
    rows: int | None
    of: int | None
    hidden: int
    masked: int


@dataclass(frozen=True)
class LeftTemplate:
    """
    How a template fares with somebody: it works, lacks some columns, or is closed.
    """

    id: int
    name: str
    state: State
    lacks: int


def left_types(view: SourceView) -> list[LeftType]:
    """
    What is left of each record type.
    """
    whole, seen = view.source.catalogue(), view.catalogue
    until = time.monotonic() + COUNTING
    found = []
    with view.snapshot() as snapshot:
        for record_type in whole.record_types.values():
            known = seen.record_types.get(record_type.name)
            rows = of = None
            if known is not None and time.monotonic() < until:
                rows = _count(view, snapshot, known, limited=True)
                of = rows if view.rights is None else _count(view, snapshot, known, limited=False)
            fields = {f.name: f for f in known.fields} if known is not None else {}
            found.append(
                LeftType(
                    name=record_type.name,
                    label=record_type.plural,
                    closed=known is None or (rows is None and view.rights is not None and not view.rights.ways(known)),
                    rows=rows,
                    of=of,
                    hidden=sum(f.name not in fields for f in record_type.fields),
                    masked=sum(bool(f.mask) for f in fields.values()),
                )
            )
    return found


def _count(view: SourceView, snapshot: Snapshot, record_type: RecordType, *, limited: bool) -> int | None:
    """
    How many records of a type there are for the person, or, not `limited`, for anybody.
    """
    column = Column(id="c", heading="c", value=FieldValue(field=record_type.fields[0].name))
    template = Template(name="count", records=record_type.name, columns=(column,))
    context = view.context() if limited else view.services.context(source=view.key)
    plan = resolve(template, view.source.catalogue(), context).plan
    if plan is None:
        return None
    try:
        return int(snapshot.row(Statements(plan).count())["rows"])
    except BouquetError:
        return None


def left_templates(view: SourceView) -> Iterator[LeftTemplate]:
    """
    How each template of the source fares with the person, those that work last.
    """
    with view.services.store.session() as session:
        records = [r for r in shelf.list_templates(session) if r.source == view.key and may(view.person, "look", r)]
        running = shelf.running_documents(session, records)
    found = []
    for record in records:
        try:
            resolution = view.resolve(read_document(running[record.id]))
        except DocumentError:
            continue
        closed = any(p.code in ("closed", "masked") or p.code.startswith("unknown") for p in resolution.problems)
        lacks = resolution.partial.unseen if resolution.partial is not None else 0
        state: State = "closed" if closed or resolution.partial is None else "lacks" if lacks else "works"
        found.append(LeftTemplate(record.id, record.name, state, lacks))
    yield from sorted(found, key=lambda t: (("closed", "lacks", "works").index(t.state), t.name.casefold()))
