"""
The paths of a template document: every place that names a field or relation of the source, and changing them.

A path starts at the template's record type, but for those in a fold's or a `has` filter's own part, which start at the
records that it is about.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any, TypeAlias

from bouquet.core.catalogue import Catalogue, RecordType, Walk

__all__ = ["Step", "change_paths", "replace_step", "steps_of"]

#: Makes a path anew: given the record type that it starts at, the path, and its place in the document.
Change: TypeAlias = Callable[[RecordType, str, str], str]

_REFERENCE = re.compile(r"\{([^{}]+)\}")


@dataclass(frozen=True)
class Step:
    """
    One name in a path: a field or a relation of a record type, at a place of the document.
    """

    records: str
    name: str
    place: str


def change_paths(
    document: dict[str, Any], catalogue: Catalogue, change: Change, *, gone: tuple[str, str] | None = None
) -> dict[str, Any]:
    """
    The document with every path made anew by `change`. A document of a record type that is not there stays as it is.

    `gone` is a (record type, field) that was there: what formulas called so was this field, also where a column has the
    same heading, for a field goes before a column.
    """
    start = catalogue.record_types.get(str(document.get("records", "")))
    return _Changing(catalogue, start, document, change, gone).document() if start is not None else document


def steps_of(document: dict[str, Any], catalogue: Catalogue) -> tuple[Step, ...]:
    """
    The fields and relations that a document names, also those that are not there (any more).
    """
    found: list[Step] = []

    def note(start: RecordType, path: str, place: str) -> str:
        found.extend(Step(here.name, name, place) for here, name in _walked(catalogue, start, path))
        return path

    change_paths(document, catalogue, note)
    return tuple(dict.fromkeys(found))


def replace_step(document: dict[str, Any], catalogue: Catalogue, records: str, old: str, new: str) -> dict[str, Any]:
    """
    The document with the field or relation `old` of a record type replaced by `new`, wherever it is named.
    """

    def replaced(start: RecordType, path: str, _place: str) -> str:
        steps = path.split(".")
        for n, (here, name) in enumerate(_walked(catalogue, start, path)):
            if here.name == records and name == old:
                steps[n] = new
        return ".".join(steps)

    # What an old relation led to is only known once it is replaced; a second time reaches what stands behind it.
    once = change_paths(document, catalogue, replaced, gone=(records, old))
    return change_paths(once, catalogue, replaced, gone=(records, old))


def _walked(catalogue: Catalogue, start: RecordType, path: str) -> Iterator[tuple[RecordType, str]]:
    """
    (record type, name) of each step of a path, up to the first that is not there.
    """
    here = start
    for name in path.split(".") if path else ():
        yield here, name
        relation = here.relation_named(name)
        if relation is None:
            return
        here = catalogue.record_types[relation.target]


class _Changing:
    """
    One document on its way to another.
    """

    def __init__(
        self,
        catalogue: Catalogue,
        start: RecordType,
        document: dict[str, Any],
        change: Change,
        gone: tuple[str, str] | None,
    ) -> None:
        self.gone = gone
        self.catalogue, self.start, self.source, self.change = catalogue, start, document, change
        columns = _objects(document.get("columns"))
        self.ids = {c.get("id") for c in columns}
        self.called = {str(c.get(k, "")).strip().casefold() for c in columns for k in ("id", "heading")}

    def document(self) -> dict[str, Any]:
        """
        The document with its paths made anew.
        """
        made, start = dict(self.source), self.start
        if isinstance(made.get("rows"), dict):
            made["rows"] = self._rows(made["rows"])
        for key, one in (("columns", self._column), ("checks", self._check)):
            if isinstance(made.get(key), list):
                made[key] = [one(v, f"{key}[{n}]") if isinstance(v, dict) else v for n, v in enumerate(made[key])]
        if isinstance(made.get("filter"), dict):
            made["filter"] = self._filter(start, made["filter"], "filter")
        if isinstance(made.get("order"), list):
            made["order"] = self._order(start, made["order"], "order")
        if isinstance(made.get("output"), dict):
            made["output"] = self._output(made["output"])
        return made

    def _path(self, start: RecordType, part: dict[str, Any], key: str, place: str) -> dict[str, Any]:
        value = part.get(key)
        if not isinstance(value, str) or not value:
            return part
        return {**part, key: self.change(start, value, f"{place}.{key}")}

    def _rows(self, rows: dict[str, Any]) -> dict[str, Any]:
        rows = self._path(self.start, rows, "path", "rows")
        if isinstance(rows.get("by"), list):
            by = [self._path(self.start, b, "path", f"rows.by[{n}]") for n, b in enumerate(_objects(rows["by"]))]
            rows = {**rows, "by": by}
        if isinstance(rows.get("across"), dict):
            rows = {**rows, "across": self._path(self.start, rows["across"], "path", "rows.across")}
        return rows

    def _column(self, column: dict[str, Any], place: str) -> dict[str, Any]:
        value = column.get("value")
        if not isinstance(value, dict):
            return column
        at = f"{place}.value"
        value = self._path(self.start, value, "field", at)
        if isinstance(value.get("formula"), str):
            value = {**value, "formula": self._formula(self.start, value["formula"], f"{at}.formula")}
        if isinstance(value.get("fold"), dict):
            value = {**value, "fold": self._fold(value["fold"], f"{at}.fold")}
        return {**column, "value": value}

    def _fold(self, fold: dict[str, Any], place: str) -> dict[str, Any]:
        fold = self._path(self.start, fold, "path", place)
        start = self._folded(str(fold.get("path") or ""))
        if start is None:
            return fold
        if isinstance(fold.get("order"), list):
            fold = {**fold, "order": self._order(start, fold["order"], f"{place}.order")}
        if isinstance(fold.get("where"), dict):
            fold = {**fold, "where": self._filter(start, fold["where"], f"{place}.where")}
        return fold

    def _folded(self, path: str) -> RecordType | None:
        """
        The records that a path folds: those at the end of its last relation to many; the template's own where none is.
        """
        here, folded = self.start, self.start
        for name in path.split(".") if path else ():
            relation = here.relation_named(name)
            if relation is None:
                return folded if here.field_named(name) is not None else None
            here = self.catalogue.record_types[relation.target]
            folded = here if relation.many else folded
        return folded

    def _order(self, start: RecordType, levels: list[Any], place: str) -> list[Any]:
        return [
            self._path(start, level, "path", f"{place}[{n}]") if isinstance(level, dict) else level
            for n, level in enumerate(levels)
        ]

    def _filter(self, start: RecordType, node: dict[str, Any], place: str) -> dict[str, Any]:
        for key in ("all", "any", "none"):
            if isinstance(node.get(key), list):
                parts = [
                    self._filter(start, p, f"{place}.{key}[{n}]") if isinstance(p, dict) else p
                    for n, p in enumerate(node[key])
                ]
                return {**node, key: parts}
        if isinstance(node.get("formula"), str):
            return {**node, "formula": self._formula(start, node["formula"], f"{place}.formula")}
        node = self._path(start, node, "path", place)
        if isinstance(node.get("where"), dict):
            end = start
            for name in str(node.get("path") or "").split("."):
                relation = end.relation_named(name)
                if relation is None:
                    return node
                end = self.catalogue.record_types[relation.target]
            node = {**node, "where": self._filter(end, node["where"], f"{place}.where")}
        return node

    def _formula(self, start: RecordType, text: str, place: str) -> str:
        def reference(found: re.Match[str]) -> str:
            name = found[1].strip()
            # A field goes before a column that is called like it; an answer is neither.
            is_field = isinstance(self.catalogue.walk(start, name, ""), Walk) or (start.name, name) == self.gone
            if name.startswith("ask.") or (not is_field and name.casefold() in self.called):
                return found[0]
            return f"{{{self.change(start, name, place)}}}"

        return _REFERENCE.sub(reference, text)

    def _check(self, check: dict[str, Any], place: str) -> dict[str, Any]:
        if isinstance(check.get("formula"), str):
            return {**check, "formula": self._formula(self.start, check["formula"], f"{place}.formula")}
        records, dot, field = str(check.get("listed_in") or "").partition(".")
        listed = self.catalogue.record_types.get(records)
        if dot and listed is not None:
            return {**check, "listed_in": f"{records}.{self.change(listed, field, f'{place}.listed_in')}"}
        return check

    def _output(self, output: dict[str, Any]) -> dict[str, Any]:
        made = dict(output)
        for key, value in output.items():
            if isinstance(value, list):
                made[key] = [
                    self._companion(v, f"output.{key}[{n}]") if isinstance(v, dict) and "path" in v else v
                    for n, v in enumerate(value)
                ]
            elif isinstance(value, dict) and "path" in value:
                made[key] = self._companion(value, f"output.{key}")
        split = made.get("split")
        if isinstance(split, dict) and split.get("by") not in self.ids:
            made["split"] = self._path(self.start, split, "by", "output.split")
        return made

    def _companion(self, part: dict[str, Any], place: str) -> dict[str, Any]:
        part = self._path(self.start, part, "path", place)
        end: RecordType | None = self.start
        for name in str(part.get("path") or "").split("."):
            relation = end.relation_named(name) if end is not None else None
            end = self.catalogue.record_types[relation.target] if relation is not None else None
        if end is not None and isinstance(part.get("columns"), list):
            columns = [
                self.change(end, c, f"{place}.columns[{n}]") if isinstance(c, str) else c
                for n, c in enumerate(part["columns"])
            ]
            part = {**part, "columns": columns}
        return part


def _objects(value: Any) -> list[dict[str, Any]]:
    return [v for v in value if isinstance(v, dict)] if isinstance(value, list) else []
