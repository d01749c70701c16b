"""
A request laid on a template that is there: what it adds stands behind what the template has.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from bouquet.core.asked.model import Asked, Understood

__all__ = ["joined_to"]


def joined_to(document: Mapping[str, Any], asked: Asked) -> Asked:
    """
    The template with what was asked besides: narrowings and columns behind its own, an order or a limit in the place of
    its own. What a request says of rows, and what nobody said, is left out. Columns that stand there already stay.
    """
    if asked.document is None:
        return Asked(document, (), asked.unread)
    made = dict(document)
    parts = [p for p in asked.parts if p.end > 0 and p.role not in ("records", "rows")]
    places: dict[str, str] = {}
    said = {p.place for p in parts}
    conditions = [
        (n, c) for n, c in enumerate(asked.document.get("filter", {}).get("all", [])) if f"filter.all[{n}]" in said
    ]
    if conditions:
        known = _conditions(document.get("filter"))
        places |= {f"filter.all[{n}]": f"filter.all[{len(known) + k}]" for k, (n, _) in enumerate(conditions)}
        made["filter"] = {"all": [*known, *(c for _, c in conditions)]}
    columns = list(document.get("columns") or ())
    for n, column in enumerate(asked.document["columns"]):
        if f"columns[{n}]" not in said:
            continue
        at = next((k for k, c in enumerate(columns) if c.get("value") == column["value"]), None)
        if at is None:
            at = len(columns)
            columns.append(
                {**column, "id": _free(columns, "id", "c", 1), "heading": _heading(columns, column["heading"])}
            )
        places[f"columns[{n}]"] = f"columns[{at}]"
    made["columns"] = columns
    levels = (_level(level, columns, asked.document["columns"]) for level in asked.document.get("order", ()))
    order = [level for level in levels if level is not None]
    if order and any(p.role == "order" for p in parts):
        made["order"] = order
    if "at_most" in asked.document:
        made["at_most"] = asked.document["at_most"]
    return Asked(made, tuple(_moved(p, places) for p in parts), asked.unread)


def _conditions(root: Any) -> list[Any]:
    if not root:
        return []
    return list(root["all"]) if isinstance(root, Mapping) and set(root) == {"all"} else [root]


def _free(columns: list[Any], key: str, stem: str, first: int) -> str:
    taken = {c.get(key) for c in columns}
    return next(f"{stem}{n}" for n in range(first, len(columns) + 3) if f"{stem}{n}" not in taken)


def _heading(columns: list[Any], heading: str) -> str:
    taken = {c.get("heading") for c in columns}
    return heading if heading not in taken else _free(columns, "heading", f"{heading} ", 2)


def _level(level: Mapping[str, Any], columns: list[Any], asked: list[Any]) -> dict[str, Any] | None:
    """
    A level of the order, by the column that holds the same, else by its field; None where that is neither.
    """
    column = level.get("column")
    if column is None:
        return dict(level)
    value = next(c["value"] for c in asked if c["id"] == column)
    rest = {k: v for k, v in level.items() if k != "column"}
    same = next((c["id"] for c in columns if c.get("value") == value), None)
    if same is not None:
        return {"column": same, **rest}
    return {"path": value["field"], **rest} if "field" in value else None


def _moved(part: Understood, places: Mapping[str, str]) -> Understood:
    found = re.match(r"(?:filter\.all|columns)\[\d+\]", part.place)
    return replace(part, place=places.get(found[0], part.place)) if found else part
