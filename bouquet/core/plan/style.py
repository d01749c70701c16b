"""
How a column is shown once the file's style is taken into account: what the column leaves open, the style decides.
"""

from __future__ import annotations

from typing import Any, cast

from babel import Locale
from babel.core import UnknownLocaleError

from bouquet.core.catalogue import Field, Kind
from bouquet.core.template import Output, Show
from bouquet.core.template.values import CURRENCIES

__all__ = ["language_of", "shown"]

#: Words for yes and no, by language; other languages take English.
_YES_NO = {
    "en": ("yes", "no"),
    "de": ("ja", "nein"),
    "fr": ("oui", "non"),
    "es": ("sí", "no"),
    "it": ("sì", "no"),
    "nl": ("ja", "nee"),
    "sv": ("ja", "nej"),
    "da": ("ja", "nej"),
    "pt": ("sim", "não"),
    "pl": ("tak", "nie"),
    "cy": ("ydy", "nac ydy"),
}

_MARKS = (" ", "\u00a0", "\u202f", ",", ".", "'", "’")


def shown(show: Show, field: Field, output: Output) -> Show:
    """
    `show` with nothing left open.
    """
    machine = {"decimal_mark": ".", "grouping": "", "yes": "true", "no": "false"}
    given: dict[str, Any] = machine if output.style == "machine" else machine | _reader(field, output.locale)
    if field.kind.is_dated:
        given = given | {"language": language_of(output)}
    return show.model_copy(update={k: v for k, v in given.items() if getattr(show, k) in (None, "")})


def language_of(output: Output) -> str | None:
    """
    In which names of months and days stand in a file, a locale; None for English.
    """
    return output.language or (output.locale if output.style == "reader" else None)


def _reader(field: Field, name: str) -> dict[str, Any]:
    """
    What people of a locale expect (Unicode CLDR, through Babel).
    """
    try:
        locale = Locale.parse(name.replace("-", "_"))
    except (ValueError, UnknownLocaleError):
        locale = Locale("en", "GB")
    symbols = locale.number_symbols.get("latn", {})
    yes, no = _YES_NO.get(locale.language, _YES_NO["en"])
    found: dict[str, Any] = {"yes": yes, "no": no, "decimal_mark": symbols.get("decimal", ".")}
    if field.kind.is_number:
        mark = symbols.get("group", ",")
        found["grouping"] = mark if mark in _MARKS else " "
        if field.unit in CURRENCIES:
            before = str(locale.currency_formats["standard"].pattern).find("¤") == 0
            found |= {"prefix": field.unit} if before else {"suffix": f"\u00a0{field.unit}"}
    if field.kind.is_dated:
        found["date"] = _day(locale) + {Kind.DATE: ""}.get(field.kind, " HH:mm")
    elif field.kind is Kind.TIME:
        found["date"] = "HH:mm"
    return found


def _day(locale: Locale) -> str:
    """
    The locale's short date, with a year of four digits and nothing that only the locale's own calendar has.
    """
    pattern = cast(str, locale.date_formats["short"].pattern)
    if set(pattern) - set("dMy/.- "):
        return "yyyy-MM-dd"
    letters = {"y": "yyyy", "M": "MM", "d": "dd"}
    done, last = "", ""
    for letter in pattern:
        if letter != last or letter not in letters:
            done += letters.get(letter, letter)
        last = letter
    return done
