"""
Profiles of fields: how full they are, and an example.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import sqlalchemy as sa

from bouquet.core.catalogue import Kind, RecordType
from bouquet.core.sql import DIALECTS, WHITE, literal
from bouquet.sources.base import Snapshot

__all__ = ["FieldProfile", "profile_record_type"]

#: Rows. A record type with more is looked at through a sample of about this many.
SAMPLE_ROWS = 20_000

#: Characters of an example.
EXAMPLE_LENGTH = 60


@dataclass(frozen=True)
class FieldProfile:
    """
    `fill` is the share of rows that are not blank, 0 to 1; `exact` says whether all rows were looked at.
    `example` is a value as text; None where every value seen was blank, or the field is personal or a file.
    """

    fill: float
    example: str | None
    exact: bool


def profile_record_type(
    snapshot: Snapshot, record_type: RecordType, dialect: str = "postgresql"
) -> dict[str, FieldProfile]:
    """
    A profile of each field, by field name, from one pass over a sample of the records.
    """
    table: Any = sa.table(
        record_type.table, *(sa.column(f.column) for f in record_type.fields), schema=record_type.schema
    )
    sampled = (record_type.rows_estimate or 0) > SAMPLE_ROWS * 2
    if sampled:
        share = 100 * SAMPLE_ROWS / (record_type.rows_estimate or 1)
        table = sa.tablesample(
            table, sa.func.system(sa.literal_column(f"{share:.4f}")), seed=sa.literal_column("1"), name="s"
        )
    columns = [sa.func.count().label("n")]
    for n, field in enumerate(record_type.fields):
        if field.attribute is not None:
            continue
        value = table.c[field.column]
        if field.json_key is not None:
            value = value.op("->>", return_type=sa.Text())(literal(field.json_key))
        text = sa.cast(value, sa.Text)
        filled = value.is_not(None)
        if field.stored == "text" or field.is_custom:
            filled = sa.and_(filled, DIALECTS[dialect].trimmed(value, WHITE) != literal(""))
        columns.append(sa.func.count().filter(filled).label(f"f{n}"))
        if not field.personal and field.kind is not Kind.FILE:
            # The middle of the values seen is more telling than the least or the greatest.
            columns.append(_middle(text, dialect).filter(filled).label(f"e{n}"))
    row = snapshot.row(sa.select(*columns).select_from(table))
    found = {
        field.name: FieldProfile(
            fill=row[f"f{n}"] / row["n"] if row["n"] else 0.0,
            example=_shown(row.get(f"e{n}"), field),
            exact=not sampled,
        )
        for n, field in enumerate(record_type.fields)
        if field.attribute is None
    }
    rows = row["n"] if not sampled else record_type.rows_estimate
    return found | _profile_attributes(snapshot, record_type, rows, dialect)


def _middle(text: Any, dialect: str) -> Any:
    """
    The middle of the values where the database can find it, otherwise the least.
    """
    example = sa.func.substr(text, sa.literal_column("1"), sa.literal_column(str(EXAMPLE_LENGTH)))
    if dialect != "postgresql":
        return sa.func.min(example)
    return sa.func.percentile_disc(sa.literal_column("0.5")).within_group(example.collate("C"))


def _profile_attributes(
    snapshot: Snapshot, record_type: RecordType, rows: int | None, dialect: str
) -> dict[str, FieldProfile]:
    """
    The same for fields that are rows of an attribute table.
    """
    found: dict[str, FieldProfile] = {}
    for field in record_type.fields:
        attribute = field.attribute
        if attribute is None:
            continue
        name: Any = sa.column(attribute.name_column)
        value: Any = sa.column(attribute.value_column)
        text = sa.cast(value, sa.Text)
        filled = DIALECTS[dialect].trimmed(text, WHITE) != literal("")
        middle = _middle(text, dialect)
        statement = sa.select(sa.func.count().label("n"), middle.label("example"))
        statement = statement.select_from(sa.table(attribute.table, name, value))
        row = snapshot.row(statement.where(name == literal(attribute.name), filled))
        example = None if field.personal else _shown(row["example"], field)
        fill = min(1.0, row["n"] / rows) if rows else 0.0
        found[field.name] = FieldProfile(fill=fill, example=example, exact=False)
    return found


def _shown(example: str | None, field: Any) -> str | None:
    if example is None:
        return None
    return field.label_of(example) if field.choices else " ".join(example.split())
