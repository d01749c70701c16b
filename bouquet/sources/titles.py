"""
The names that people know records by, from a field that tells them apart.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import UTC, datetime

from bouquet.core.catalogue import Catalogue
from bouquet.core.plan import Context, resolve
from bouquet.core.shaping import to_frame
from bouquet.core.sql import Statements
from bouquet.core.template import read_document
from bouquet.sources.base import Snapshot

__all__ = ["titles_of"]

#: Records whose names are looked up.
MOST = 200


def titles_of(
    snapshot: Snapshot, catalogue: Catalogue, records: str, field: str, values: Sequence[str]
) -> Mapping[str, str]:
    """
    By value of `field`, the title of the record that has it. Empty where the record type has no title, or one that is
    personal; a value that is not there, or is there twice, has none.
    """
    known = catalogue.record_types.get(records)
    title = known.field_named(known.title) if known is not None and known.title else None
    if title is None or title.personal or title.name == field:
        return {}
    document = {
        "name": "Titles",
        "records": records,
        "columns": [{"id": n, "heading": n, "value": {"field": n}} for n in (field, title.name)],
        "filter": {"all": [{"path": field, "is": "one_of", "values": list(values[:MOST])}]},
    }
    plan = resolve(read_document(document), catalogue, Context(as_of=datetime.now(UTC))).partial
    if plan is None or len(plan.columns) != 2:
        return {}
    found: dict[str, list[str]] = {}
    for batch in snapshot.batches(Statements(plan).rows()):
        for value, said, *_ in to_frame(batch).iter_rows():
            found.setdefault(str(value), []).append(str(said or ""))
    return {value: said[0] for value, said in found.items() if len(said) == 1 and said[0]}
