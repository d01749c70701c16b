"""
A template with further limits, for this once: on single records, on what a person sees, with another window.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from bouquet.core.catalogue import RecordType
from bouquet.core.errors import PlanError, Problem
from bouquet.core.language import tr, trn
from bouquet.core.template.document import Template
from bouquet.core.template.filter import AllOf, AnyOf, Condition, Narrowing, NoneOf, Window

__all__ = ["narrowed", "only_records", "with_windows"]


def narrowed(template: Template, *others: Narrowing) -> Template:
    """
    The template whose records must also meet `others`. The places of its own conditions stay what they were.
    """
    if not others:
        return template
    root = template.filter
    parts = root.all if isinstance(root, AllOf) else (root,)
    return template.model_copy(update={"filter": AllOf(all=(*parts, *others))})


def only_records(record_type: RecordType, keys: Sequence[Sequence[str]]) -> Narrowing:
    """
    The condition that a record is one of those with these keys, each a text per key field.

    Raises PlanError where a key has too many or too few parts, or the record type has no key.
    """
    names = record_type.key
    if not names or any(len(k) != len(names) for k in keys):
        message = trn(
            "A key of a {record_type} has {n} part.",
            "A key of a {record_type} has {n} parts.",
            len(names),
            record_type=record_type.label,
        )
        raise PlanError([Problem(code="wrong_key", message=message, place="keys")])
    if len(names) == 1:
        return Condition(path=names[0], is_="one_of", values=tuple(k[0] for k in keys), exact=True)
    records = [AllOf(all=tuple(_is(n, v) for n, v in zip(names, key, strict=True))) for key in keys]
    return AnyOf(any=tuple(records)) if records else AnyOf(any=(_is(names[0], ""),))


def _is(name: str, value: str) -> Condition:
    return Condition(path=name, is_="is", value=value, exact=True)


def with_windows(template: Template, windows: Mapping[str, Window]) -> Template:
    """
    The template with other windows at the places of its conditions, such as `filter.all[1]`.

    Raises PlanError, at the place, where no condition with a window stands.
    """
    left = dict(windows)

    def changed(node: Narrowing, place: str) -> Narrowing:
        match node:
            case Condition() if place in left and node.window is not None:
                return node.model_copy(update={"window": left.pop(place)})
            case AllOf():
                return AllOf(all=tuple(changed(p, f"{place}.all[{n}]") for n, p in enumerate(node.all)))
            case AnyOf():
                return AnyOf(any=tuple(changed(p, f"{place}.any[{n}]") for n, p in enumerate(node.any)))
            case NoneOf():
                return NoneOf(none=tuple(changed(p, f"{place}.none[{n}]") for n, p in enumerate(node.none)))
            case _:
                return node

    update = {"filter": changed(template.filter, "filter")}
    if left:
        message = tr("No narrowing with a window stands here; the template was changed in the meantime.")
        raise PlanError([Problem(code="no_window", message=message, place=place) for place in left])
    return template.model_copy(update=update)
