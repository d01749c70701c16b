"""
Another list of columns in a template, for once.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

from bouquet.core.template.document import Template
from bouquet.core.template.values import Column

__all__ = ["with_columns"]

#: Under these names a document names columns by their ids, one or several.
_NAMING = ("column", "by", "groups", "findings_by", "editable", "bars", "columns")


def with_columns(template: Template, columns: Sequence[Column]) -> Template:
    """
    The template with other columns. Those of its own that it puts in order, splits, checks or narrows by stay, behind
    the others, so that it means what it meant.
    """
    document = template.as_document()
    document.pop("columns", None)
    named = set(_named(document))
    stay = [c for c in template.columns if c.id in named]
    taken = {c.id for c in stay}
    others = []
    for n, column in enumerate(columns):
        id = next(i for i in (f"v{k}" for k in range(n, n + len(taken) + 1)) if i not in taken)
        taken.add(id)
        others.append(column.model_copy(update={"id": id}))
    return template.model_copy(update={"columns": (*others, *stay)})


def _named(part: Any) -> Iterator[str]:
    """
    Every text that may name a column.
    """
    if isinstance(part, dict):
        for name, value in part.items():
            if name in _NAMING:
                yield from (v for v in (value if isinstance(value, list) else [value]) if isinstance(v, str))
            yield from _named(value)
    elif isinstance(part, list):
        for value in part:
            yield from _named(value)
