"""
The sentence: a template in plain words, as parts of which some can be acted on.

It is made from the document, so that it can be read also while the document has problems; words for paths
come from the catalogue, and a path that leads nowhere stands as it was written.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from zoneinfo import ZoneInfo

from bouquet.core.catalogue import Catalogue, Field, Route
from bouquet.core.plan.model import Context
from bouquet.core.template.document import AllOf, AnyOf, Condition, Narrowing, Order, Template
from bouquet.core.values import read_value, say_value
from bouquet.core.windows import resolve_window, span_words, window_words

__all__ = ["Part", "Sentence"]

#: What stands between the field and its value.
VERBS = {
    "is": "is",
    "is_not": "is not",
    "one_of": "is one of",
    "none_of": "is none of",
    "contains": "contains",
    "not_contains": "does not contain",
    "starts_with": "starts with",
    "ends_with": "ends with",
    "matches": "looks like",
    "less_than": "is less than",
    "greater_than": "is greater than",
    "at_least": "is at least",
    "at_most": "is at most",
    "between": "is between",
    "in_window": "is in",
    "before": "is before",
    "after": "is after",
    "blank": "is blank",
    "not_blank": "is not blank",
    "yes": "is yes",
    "no": "is no",
}

_JOINS = {"all": " and ", "any": " or ", "none": " or "}

#: Values named in a list before the rest is counted.
_NAMED = 4


@dataclass(frozen=True)
class Part:
    """
    A piece of the sentence. `role` says what it is: plain `text`, or a chip: `records`, `field`, `value`, `order`,
    `limit`; `place` is the part of the document that the chip stands for. `note` stands behind it in small print.
    """

    text: str
    role: str = "text"
    place: str = ""
    note: str = ""


class Sentence:
    """
    Reads a template out in words.
    """

    def __init__(self, template: Template, catalogue: Catalogue, context: Context) -> None:
        self.template, self.catalogue, self.context = template, catalogue, context
        self.record_type = catalogue.record_types.get(template.records)

    def parts(self) -> list[Part]:
        """
        The whole sentence.
        """
        return list(self._all())

    def text(self) -> str:
        """
        The whole sentence as plain text, dates of windows in brackets.
        """
        return words(self.parts())

    def condition(self, node: Narrowing, place: str) -> str:
        """
        One narrowing as plain text.
        """
        return words(self._narrowing(node, place, top=True))

    def steps(self) -> list[tuple[str, str]]:
        """
        (place, words) of each step of the filter that narrows.
        """
        return [(place, self.condition(node, place)) for place, node in self._steps()]

    def _steps(self) -> list[tuple[str, Narrowing]]:
        root = self.template.filter
        if isinstance(root, AllOf):
            return [(f"filter.all[{n}]", p) for n, p in enumerate(root.all) if not _is_empty(p)]
        return [] if _is_empty(root) else [("filter", root)]

    def _all(self) -> Iterator[Part]:
        name = self.record_type.label if self.record_type else self.template.records
        yield Part("One row per ")
        yield Part(name, "records", "records")
        for n, (place, node) in enumerate(self._steps()):
            yield Part(" where " if n == 0 else ", and ")
            yield from self._narrowing(node, place, top=True)
        yield from self._order()
        yield Part("; ")
        limit = self.template.at_most
        rows = "every row" if limit is None else f"the first {limit:,} row{'s' if limit > 1 else ''}"
        yield Part(rows, "limit", "at_most")
        yield Part(".")

    def _narrowing(self, node: Narrowing, place: str, *, top: bool = False) -> Iterator[Part]:
        if isinstance(node, Condition):
            yield from self._comparison(node, place)
            return
        how = "all" if isinstance(node, AllOf) else "any" if isinstance(node, AnyOf) else "none"
        parts: list[tuple[int, Narrowing]] = [(n, p) for n, p in enumerate(getattr(node, how)) if not _is_empty(p)]
        yield Part("not (" if how == "none" else "(")
        for k, (n, part) in enumerate(parts):
            if k:
                yield Part(_JOINS[how])
            yield from self._narrowing(part, f"{place}.{how}[{n}]")
        yield Part(")")

    def _comparison(self, node: Condition, place: str) -> Iterator[Part]:
        route = self._route(node.path)
        yield Part(self._name(node.path), "field", place)
        verb = f" {VERBS[node.is_]}"
        if node.is_ in ("blank", "not_blank", "yes", "no"):
            yield Part(" is ")
            yield Part(VERBS[node.is_].removeprefix("is "), "value", place)
            return
        yield Part(f"{verb} ")
        if node.is_ == "in_window" and node.window is not None:
            yield Part(window_words(node.window), "value", place, self._dates(node))
            return
        yield Part(self._values(node, route.field if route else None), "value", place)

    def _values(self, node: Condition, field: Field | None) -> str:
        raw = node.values if node.values is not None else () if node.value is None else (node.value,)
        if not raw:
            return "…"
        said = [self._say(v, field) for v in raw]
        if node.is_ == "between":
            return " and ".join(said)
        if len(said) > _NAMED:
            return f"{', '.join(said[: _NAMED - 1])} and {len(said) - _NAMED + 1} more"
        return ", ".join(said)

    def _say(self, raw: bool | int | float | str, field: Field | None) -> str:
        if field is not None:
            try:
                return say_value(read_value(raw, field, ZoneInfo(self.template.zone)), field)
            except ValueError:
                pass
        return f"“{raw}”"

    def _dates(self, node: Condition) -> str:
        assert node.window is not None
        try:
            span = resolve_window(
                node.window,
                self.context.as_of,
                ZoneInfo(self.template.zone),
                year_start=self.context.year_start,
            )
        except (ValueError, OverflowError):
            return ""
        return span_words(span, self.context.as_of)

    def _order(self) -> Iterator[Part]:
        if not self.template.order:
            return
        yield Part("; ordered by ")
        for n, level in enumerate(self.template.order):
            if n:
                yield Part(", then ")
            route = self._route(self._order_path(level))
            yield Part(self._name(self._order_path(level)), "order", f"order[{n}]")
            if level.direction == "descending":
                yield Part(", newest first" if route and route.field.kind.is_dated else ", greatest first")
            if level.blanks == "first":
                yield Part(", blanks before the rest")

    def _order_path(self, level: Order) -> str:
        if level.path is not None:
            return level.path
        column = next((c for c in self.template.columns if c.id == level.column), None)
        return getattr(column.value, "field", column.heading) if column else level.column or "…"

    def _route(self, path: str) -> Route | None:
        if self.record_type is None:
            return None
        found = self.catalogue.route(self.record_type, path, "")
        return found if isinstance(found, Route) else None

    def _name(self, path: str) -> str:
        """
        How a field is called in the sentence: its label, led by the record it belongs to where that is another.
        """
        route = self._route(path)
        if route is None:
            return path
        label = sentence_case(route.field.label)
        if not route.relations:
            return label
        target = self.catalogue.record_types[route.relations[-1].target]
        if route.field.name == target.title:
            return sentence_case(route.relations[-1].label)
        return f"{sentence_case(route.relations[-1].label)} {label}"


def sentence_case(label: str) -> str:
    """
    A label as it stands inside a sentence: `Inspected on` → `inspected on`, `VAT rate` as it is.
    """
    return label if len(label) > 1 and label[1].isupper() else label[:1].lower() + label[1:]


def _is_empty(node: Narrowing) -> bool:
    if isinstance(node, Condition):
        return False
    children = node.all if isinstance(node, AllOf) else node.any if isinstance(node, AnyOf) else node.none
    return all(_is_empty(c) for c in children)


def words(parts: list[Part] | Iterator[Part]) -> str:
    """
    Parts as plain text, small print in brackets.
    """
    return "".join(p.text + (f" ({p.note})" if p.note else "") for p in parts)
