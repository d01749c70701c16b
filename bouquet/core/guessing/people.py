"""
Which columns hold personal data, by their names and by the form of their values. What is guessed is treated as personal
until somebody says otherwise: better one too many than one too few.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import lru_cache

from bouquet.core.catalogue import Kind
from bouquet.core.guessing.facts import ColumnFacts, Guess, TableFacts
from bouquet.core.guessing.words import ENGLISH, PERSONAL, plain_words_of, singular_of, words_of

__all__ = ["guess_class", "guess_personal"]

PERSONS = frozenset(word for language in PERSONAL for word in language["persons"])

#: Runs of words in a name, each with the reason it gives.
NAMES = tuple((tuple(n["words"]), n["reason"]) for language in PERSONAL for n in language["names"])

#: A name without any of these words is no person's.
_TELLING = frozenset(word for names, _ in NAMES for name in names for word in name.split())

#: The class that each run of words stands for.
_CLASSES = tuple((name, n["class"]) for language in PERSONAL for n in language["names"] for name in n["words"])

NOT = tuple(ENGLISH["personal"]["not"])

REFERENCE = frozenset(ENGLISH["personal"]["reference"])

_EMAIL = re.compile(r"^[^@\s,;]+@[^@\s,;]+\.[A-Za-z]{2,}$")
_PHONE = re.compile(r"^(?:\+|00)\d[\d ()./-]{6,}\d$|^\(?0\d{2,5}\)?[ /-]\d[\d -]{3,}$")
_IBAN = re.compile(r"^[A-Z]{2}\d{2}(?: ?[A-Z0-9]{4}){3,7}(?: ?[A-Z0-9]{1,3})?$")

_CAPITAL = "[A-ZÀ-ÖØ-ÞĀ-ſΑ-ΩЀ-Я]"
_FULL_NAME = re.compile(rf"^{_CAPITAL}\S+ (?:\S+ )?{_CAPITAL}\S+$")
_TWO_WORDS = re.compile(r"^[^\W\d_]+(?:[-'’][^\W\d_]+)* (?:[^\W\d_]\.? )?[^\W\d_]+(?:[-'’][^\W\d_]+)*$")
_NAME = ("name", "nom")
_CONTACT = {"phone", "telephone", "mobile", "email", "e-mail", "address", "birth"}

#: The share of samples that must have a form.
SHARE = 0.6


def guess_personal(table: TableFacts, column: ColumnFacts, prefix: str = "") -> Guess[bool] | None:
    """
    Whether a column holds personal data, with the reason; None where nothing speaks for it.
    """
    if column.kind is Kind.BOOLEAN:
        return None
    by_form = _by_form(column)
    if by_form:
        return Guess(True, by_form)
    if column.leads_to:
        return None
    words = plain_words_of(column.name, prefix)
    if _TELLING.isdisjoint(words):
        return _names_of_persons(table, column, words)
    said = f" {' '.join(words)} "
    if any(f" {no} " in said for no in NOT):
        return None
    reference = len(words) > 1 and words[-1] in REFERENCE
    for names, reason in NAMES:
        if not reference and any(f" {name} " in said for name in names):
            number = reason.startswith(("a person's name", "an e-mail", "an address"))
            if number and (column.kind.is_number or column.kind.is_dated):
                continue
            return Guess(True, reason)
    return _names_of_persons(table, column, words)


@lru_cache(maxsize=10_000)
def guess_class(*names: str) -> str:
    """
    The class of a personal field (see `core.personal`), by what it is called.
    """
    said = f" {' '.join(word for name in names for word in plain_words_of(name))} "
    found = next((known for words, known in _CLASSES if f" {words} " in said), None)
    if found is None:
        found = "other" if PERSONS.isdisjoint(singular_of(w) for w in said.split()) else "name"
    return found


def _names_of_persons(table: TableFacts, column: ColumnFacts, words: Sequence[str]) -> Guess[bool] | None:
    if not column.kind.is_text or column.stored != "text":
        return None
    person = (
        {form for w in plain_words_of(table.name) for form in (w, singular_of(w))} & PERSONS - {"account", "user"}
        if words[-1] in _NAME
        else set()
    )
    if words[-1] in _NAME and (person or (len(words) > 1 and singular_of(words[-2]) in PERSONS)):
        return Guess(True, "the name of a person, by the names of table and column")
    if (
        words[-1] in (*_NAME, "resident", "contact")
        and _share(column, _TWO_WORDS)
        and any(_CONTACT & set(words_of(c.name)) for c in table.columns if c.name != column.name)
    ):
        return Guess(True, "names of people by the form of its values, beside a way to reach them")
    # Who reported, who lives there: a column called after a kind of person, holding two words that begin large.
    if len(words) <= 2 and singular_of(words[-1]) in PERSONS and _share(column, _FULL_NAME):
        return Guess(True, "names of people, by its name and the form of its values")
    return None


def _by_form(column: ColumnFacts) -> str:
    if not column.kind.is_text:
        return ""
    for form, reason in (
        (_EMAIL, "its values are e-mail addresses"),
        (_IBAN, "its values are bank accounts"),
        (_PHONE, "its values are telephone numbers"),
    ):
        if _share(column, form):
            return reason
    return ""


def _share(column: ColumnFacts, form: re.Pattern[str]) -> bool:
    values = [v.strip() for v in column.samples if v.strip()]
    return len(values) >= 3 and sum(bool(form.match(v)) for v in values) >= SHARE * len(values)
