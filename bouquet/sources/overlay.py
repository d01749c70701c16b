"""
The curated document that is laid over what the database says of itself.

TOML; unknown keys are refused. What it does not mention keeps the database's own names.
"""

from __future__ import annotations

import tomllib
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, ValidationError

from bouquet.core.catalogue import Kind
from bouquet.core.errors import BouquetError

__all__ = [
    "AttributeOverlay",
    "FieldOverlay",
    "Lookup",
    "Overlay",
    "OverlayError",
    "RecordTypeOverlay",
    "RelationOverlay",
    "read_overlay",
]


class OverlayError(BouquetError):
    """
    The curated catalogue cannot be read.
    """

    code = "overlay"


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Lookup(_Part):
    """
    The table that holds the labels of a column's codes.
    """

    table: str
    code: str = "code"
    label: str = "label"


class FieldOverlay(_Part):
    """
    What people know about one column.
    """

    name: str | None = None
    label: str | None = None
    meaning: str = ""
    unit: str = ""
    kind: Kind | None = None
    everyday: bool = False
    personal: bool = False
    retired: str | None = None
    substitute: str | None = None
    synonyms: tuple[str, ...] = ()
    #: Labels of codes, from a table of the source, or spelled out.
    lookup: Lookup | None = None
    choices: dict[str, str] = {}


class RelationOverlay(_Part):
    """
    A relation that the database does not declare, or a better name for one that it does.
    """

    name: str
    label: str
    to: str
    columns: dict[str, str]
    many: bool = False


class AttributeOverlay(_Part):
    """
    A table beside this one that holds further values, a row each: `name` says which, `value` what.
    """

    table: str
    columns: dict[str, str]
    name: str
    value: str


class RecordTypeOverlay(_Part):
    """
    What people know about one table.

    `custom` is what they know about fields that are no columns: keys of its JSON columns, and names in its
    `attributes`. Those that it does not mention are found in the data.
    """

    name: str | None = None
    label: str | None = None
    plural: str | None = None
    meaning: str = ""
    title: str | None = None
    link: str | None = None
    touched_by: str | None = None
    fields: dict[str, FieldOverlay] = {}
    custom: dict[str, FieldOverlay] = {}
    attributes: tuple[AttributeOverlay, ...] = ()
    relations: tuple[RelationOverlay, ...] = ()
    proposed: tuple[dict[str, Any], ...] = ()


class Overlay(_Part):
    """
    The whole document. Tables in `hidden` are no record types of their own.
    """

    title: str
    environment: Literal["practice", "live"] = "live"
    hidden: tuple[str, ...] = ()
    tables: dict[str, RecordTypeOverlay] = {}


def read_overlay(path: Path) -> Overlay:
    """
    Read a curated catalogue.

    Raises OverlayError naming the first place that is wrong.
    """
    try:
        return Overlay.model_validate(tomllib.loads(path.read_text(encoding="utf-8")))
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(s) for s in first["loc"])
        raise OverlayError(f"{path.name}: {place}: {first['msg']}") from error
    except (OSError, tomllib.TOMLDecodeError) as error:
        raise OverlayError(f"{path.name} cannot be read: {error}") from error
