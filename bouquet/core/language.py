"""
Texts in the language of whoever reads them.

What is looked up is the English text itself (GNU gettext); German and French stand in `texts/`, a file each. The
language is that of a context: a request speaks that of its person, a run that of its file's readers.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from datetime import date, datetime
from decimal import Decimal
from functools import cache
from pathlib import Path
from typing import Any, TypeVar

import babel.dates
import babel.numbers
from babel.messages.pofile import read_po

__all__ = [
    "CONSTANT",
    "LANGUAGES",
    "PLURAL",
    "WEEKLY",
    "Texts",
    "day_words",
    "language",
    "language_of",
    "listed",
    "moment_words",
    "month_words",
    "number_words",
    "sentence_case",
    "speaking",
    "spoken",
    "tr",
    "trn",
    "weekday_words",
    "whole",
]

#: The languages there are, each with the locale whose dates and numbers its texts have.
LANGUAGES = {"en": "en_GB", "de": "de_DE", "fr": "fr_FR"}

_SPOKEN: ContextVar[str] = ContextVar("language", default="en")

_TEXTS = Path(__file__).with_name("texts")

#: All texts that constants hold; and those put together of words that are known before, with their plurals.
CONSTANT: set[str] = set()
PLURAL: dict[str, str] = {}

#: Days of the week when something happens again and again, Monday first.
WEEKLY = ("Mondays", "Tuesdays", "Wednesdays", "Thursdays", "Fridays", "Saturdays", "Sundays")
CONSTANT.update(WEEKLY)

Key = TypeVar("Key")
Class = TypeVar("Class")


def language() -> str:
    """
    The language that is spoken here.
    """
    return _SPOKEN.get()


def language_of(*asked: str) -> str:
    """
    The first of some locales or languages, `de-CH`, `fr_FR`, that there are texts in; English, where there are none.
    """
    known = (name[:2].lower() for name in asked)
    return next((name for name in known if name in LANGUAGES), "en")


@contextmanager
def speaking(name: str) -> Iterator[None]:
    """
    Speak a language of `LANGUAGES` within.
    """
    before = _SPOKEN.set(name)
    try:
        yield
    finally:
        _SPOKEN.reset(before)


def tr(text: str, /, **values: Any) -> str:
    """
    A text in the language that is spoken, with `values` where it has their names in braces.
    """
    found = text
    if _SPOKEN.get() != "en":
        found = str(_catalogue(_SPOKEN.get()).get(text) or text)
    return found.format(**values) if values else found


def trn(one: str, several: str, n: int, /, **values: Any) -> str:
    """
    One of two texts, as there is one of something, or none or several; `{n}` is their number.
    """
    here = _SPOKEN.get()
    # None are several in English and German, and one in French (Unicode CLDR, plural rules).
    singular = n in (0, 1) if here == "fr" else n == 1
    found = (one, several)[not singular]
    if here != "en":
        known = _catalogue(here).get(one)
        found = known[not singular] if isinstance(known, tuple) else found
    return found.format(n=whole(n), **values)


class Texts(dict[Key, str]):
    """
    Texts of constants by their names, each in the language that is spoken when it is read.
    """

    def __init__(self, texts: Mapping[Key, str]) -> None:
        super().__init__(texts)
        CONSTANT.update(texts.values())

    def __getitem__(self, name: Key) -> str:
        found = super().__getitem__(name)
        return tr(found) if found else found

    def get(self, name: Key, default: Any = None) -> Any:
        found = super().get(name)
        return default if found is None else tr(found)

    def values(self) -> Any:
        return [self[name] for name in self]

    def items(self) -> Any:
        return [(name, self[name]) for name in self]


class _Text:
    """
    An attribute that holds a text, and gives it in the language that is spoken when it is read.
    """

    def __init__(self, name: str) -> None:
        self.name = name

    def __get__(self, of: Any, owner: type) -> str:
        text = str(of.__dict__[self.name])
        return tr(text) if text else text

    def __set__(self, of: Any, text: str) -> None:
        of.__dict__[self.name] = text
        CONSTANT.add(text)


def spoken(*names: str) -> Callable[[type[Class]], type[Class]]:
    """
    Of a data class, the fields that hold texts: each is read in the language that is spoken then.
    """

    def made(owner: type[Class]) -> type[Class]:
        for name in names:
            setattr(owner, name, _Text(name))
        return owner

    return made


@cache
def _catalogue(name: str) -> dict[str, str | tuple[str, ...]]:
    with (_TEXTS / f"{name}.po").open("rb") as file:
        messages = [m for m in read_po(file, locale=name) if m.id and m.string]
    known: dict[str, str | tuple[str, ...]] = {}
    for message in messages:
        one = message.id if isinstance(message.id, str) else message.id[0]
        known[one] = message.string if isinstance(message.string, str) else tuple(message.string or ())
    return known


def sentence_case(label: str) -> str:
    """
    A label as it stands inside a sentence: `Inspected on` → `inspected on`, `VAT rate` as it is, and German as it is.
    """
    if _SPOKEN.get() == "de" or (len(label) > 1 and label[1].isupper()):
        return label
    return label[:1].lower() + label[1:]


def _locale() -> str:
    return LANGUAGES[_SPOKEN.get()]


def listed(names: Sequence[str]) -> str:
    """
    `a`, `a and b`, `a, b and c`.
    """
    if len(names) < 2:
        return "".join(names)
    return tr("{names} and {last}", names=", ".join(names[:-1]), last=names[-1])


def whole(number: int) -> str:
    """
    A whole number with its thousands grouped.
    """
    return f"{number:,}" if _SPOKEN.get() == "en" else str(babel.numbers.format_decimal(number, locale=_locale()))


def number_words(number: int | Decimal) -> str:
    """
    A number with the decimal mark of the language, all its digits, and no grouping.
    """
    text = f"{number:f}" if isinstance(number, Decimal) else str(number)
    return text if _SPOKEN.get() == "en" else text.replace(".", babel.numbers.get_decimal_symbol(_locale()))


def day_words(day: date, *, year: bool = True, wide: bool = False) -> str:
    """
    A day: `22 Nov 2026`; without its year, or with the whole name of its month.
    """
    if _SPOKEN.get() == "en":
        month = f"{day:%B}" if wide else f"{day:%b}"
        return f"{day.day} {month}" + (f" {day.year}" if year else "")
    month = "MMMM" if wide else "MMM"
    pattern = f"d. {month}" if _SPOKEN.get() == "de" else f"d {month}"
    return str(babel.dates.format_date(day, pattern + (" y" if year else ""), locale=_locale()))


def moment_words(moment: datetime, *, wide: bool = False) -> str:
    """
    A moment on its own clock: `22 Nov 2026 14:30`.
    """
    return f"{day_words(moment, wide=wide)} {moment:%H:%M}"


def month_words(month: int) -> str:
    """
    The name of a month, 1 to 12.
    """
    return str(babel.dates.get_month_names("wide", locale=_locale())[month])


def weekday_words(day: int, *, short: bool = False) -> str:
    """
    The name of a day of the week, 0 being Monday.
    """
    return str(babel.dates.get_day_names("abbreviated" if short else "wide", locale=_locale())[day])
