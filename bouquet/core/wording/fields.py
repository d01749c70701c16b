"""
How fields are called inside a sentence.
"""

from __future__ import annotations

from bouquet.core.catalogue import Catalogue, Route
from bouquet.core.language import sentence_case, tr

__all__ = ["field_words"]


def field_words(route: Route, catalogue: Catalogue) -> str:
    """
    How the field at the end of a route is called: its label, led by the record it belongs to where that is another and
    the label does not say it already, as “Customer name” of a customer does where nothing else is called so.
    """
    label = sentence_case(route.field.label)
    if route.aspect == "code":
        label = tr("{field} code", field=label)
    if not route.relations:
        return label
    target = catalogue.record_types[route.relations[-1].target]
    if route.field.name == target.title and route.field.kind.is_text:
        return sentence_case(route.relations[-1].label)
    record = sentence_case(route.relations[-1].label)
    if label.startswith(f"{record} ") and catalogue.labels[route.field.label] == 1:
        return label
    return tr("{record} {field}", record=record, field=label)
