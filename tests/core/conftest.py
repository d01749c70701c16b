"""
A small catalogue made by hand: the core needs no database.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any

import pytest

from bouquet.core.catalogue import Catalogue, Choice, Field, Kind, RecordType, Relation, Retired
from bouquet.core.plan import Context, Resolution, resolve
from bouquet.core.template import read_document

NOW = datetime(2026, 11, 23, 9, 0, tzinfo=UTC)


def _field(name: str, kind: Kind, stored: str, **more: Any) -> Field:
    return Field(
        name=name, column=f"x_{name}", kind=kind, stored=stored, label=name.replace("_", " ").capitalize(), **more
    )


@pytest.fixture
def catalogue() -> Catalogue:
    ward = RecordType(
        name="ward",
        table="ward",
        schema=None,
        label="ward",
        plural="wards",
        key=("id",),
        title="name",
        fields=(
            _field("id", Kind.INTEGER, "integer"),
            _field("name", Kind.TEXT, "text"),
            _field("tree", Kind.INTEGER, "integer"),
        ),
        relations=(),
    )
    states = (Choice("S", "Standing"), Choice("F", "Felled"))
    risks = (Choice("1", "Low"), Choice("3", "High"))
    tree = RecordType(
        name="tree",
        table="tree",
        schema=None,
        label="tree",
        plural="trees",
        key=("id",),
        title="tag",
        fields=(
            _field("id", Kind.INTEGER, "integer"),
            _field("tag", Kind.IDENTIFIER, "text"),
            _field("status", Kind.CHOICE, "text", choices=states),
            _field("risk", Kind.CHOICE, "integer", choices=risks),
            _field("girth", Kind.DECIMAL, "numeric", scale=2, unit="cm"),
            _field("old_girth", Kind.INTEGER, "integer", retired=Retired("Never kept up.", "girth")),
            _field("rings", Kind.INTEGER, "integer"),
            _field("planted_on", Kind.DATE, "date"),
            _field("entered_at", Kind.TIMESTAMP, "timestamp"),
            _field("changed_at", Kind.MOMENT, "timestamptz"),
            _field("protected", Kind.BOOLEAN, "boolean"),
            _field("note", Kind.TEXT, "text"),
            _field("extra", Kind.OTHER, "other"),
            _field("weight", Kind.DECIMAL, "float"),
            _field("picture", Kind.FILE, "bytes"),
        ),
        relations=(
            Relation(name="ward", label="Ward", target="ward", many=False, pairs=(("x_ward", "x_id"),)),
            Relation(name="inspections", label="Inspections", target="ward", many=True, pairs=(("x_id", "x_tree"),)),
        ),
    )
    return Catalogue(
        source="test", title="Test trees", environment="practice", record_types={"tree": tree, "ward": ward}
    )


@pytest.fixture
def resolved(catalogue: Catalogue) -> Callable[..., Resolution]:
    """
    What comes of a document on the small catalogue. Columns may be given as paths.
    """

    def make(*columns: Any, **document: Any) -> Resolution:
        full = [
            c if isinstance(c, dict) else {"id": f"c{n}", "heading": c, "value": {"field": c}}
            for n, c in enumerate(columns or ("tag",))
        ]
        template = read_document({"name": "Test", "records": "tree", "columns": full, **document})
        return resolve(template, catalogue, Context(as_of=NOW))

    return make
