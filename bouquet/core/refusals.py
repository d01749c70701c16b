"""
What pydantic says of something that cannot be read, in words for people.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Any

from bouquet.core.language import Texts, tr, trn

__all__ = ["said_of"]

_Facts = Mapping[str, Any]

_PLAIN = Texts(
    {
        "extra_forbidden": "This is not known here.",
        "missing": "This is missing.",
        "json_invalid": "This is not JSON.",
        "string_type": "Type a text here.",
        "string_pattern_mismatch": "This is not written as it has to be.",
        "string_unicode": "This text holds a character that cannot be read.",
        "list_type": "Give a list here.",
        "tuple_type": "Give a list here.",
        "dict_type": "Give an object here.",
        "model_type": "Give an object here.",
        "model_attributes_type": "Give an object here.",
        "union_tag_invalid": "Put a condition or a group (all, any, none) here.",
        "union_tag_not_found": "Say what a row stands for with “per”: record, child or group.",
        "finite_number": "Type a number that is not infinite.",
        "timezone_aware": "Give the moment with its offset, such as 2026-11-22T06:00:00Z.",
    }
)

#: Beginnings of the names of errors.
_BEGINNINGS = Texts(
    {
        "int_": "Type a whole number here.",
        "float_": "Type a number here.",
        "decimal_": "Type a number here.",
        "bool_": "Say true or false here.",
        "datetime_": "Give a moment, such as 2026-11-22T06:00:00Z.",
        "date_": "Give a date, such as 2026-11-22.",
        "time_": "Give a time of day, such as 06:00.",
        "uuid_": "This is not an identifier.",
        "url_": "This is not an address.",
    }
)

_COUNTED: dict[str, Callable[[_Facts], str]] = {
    "string_too_long": lambda c: tr("At most {c}.", c=trn("{n} character", "{n} characters", c["max_length"])),
    "string_too_short": lambda c: (
        tr("This may not be empty.")
        if c["min_length"] == 1
        else tr("At least {c}.", c=trn("{n} character", "{n} characters", c["min_length"]))
    ),
    "too_long": lambda c: tr("At most {c}.", c=trn("{n} entry", "{n} entries", c["max_length"])),
    "too_short": lambda c: tr("At least {c}.", c=trn("{n} entry", "{n} entries", c["min_length"])),
    "greater_than_equal": lambda c: tr("At least {c}.", c=c["ge"]),
    "greater_than": lambda c: tr("More than {c}.", c=c["gt"]),
    "less_than_equal": lambda c: tr("At most {c}.", c=c["le"]),
    "less_than": lambda c: tr("Less than {c}.", c=c["lt"]),
    "literal_error": lambda c: tr("One of these is wanted: {c}.", c=_listed(c["expected"])),
    "enum": lambda c: tr("One of these is wanted: {c}.", c=_listed(c["expected"])),
}


def said_of(error: Any) -> str:
    """
    One of the errors of a ValidationError (`errors()`), in words. What a validator of ours says is said as it is.
    """
    kind, facts = str(error["type"]), error.get("ctx") or {}
    if kind in _PLAIN:
        return _PLAIN[kind]
    try:
        if kind in _COUNTED:
            return _COUNTED[kind](facts)
    except KeyError:
        return tr("This cannot be read.")
    if kind in ("value_error", "assertion_error"):
        return re.sub(r"^(Value|Assertion) error, ", "", str(error["msg"]))
    return next((said for begin, said in _BEGINNINGS.items() if kind.startswith(begin)), tr("This cannot be read."))


def _listed(expected: str) -> str:
    return expected.replace("'", "").replace(" or ", ", ")
