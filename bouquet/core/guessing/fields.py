"""
What a record is known by, which of its fields people look at every day, and which text columns are codes.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Sequence

from bouquet.core.catalogue import Kind
from bouquet.core.guessing.facts import ColumnFacts, Guess, TableFacts
from bouquet.core.guessing.words import WORDS, common_prefix, plain_words_of

__all__ = ["MOST_EVERYDAY", "guess_everyday", "guess_hidden_kind", "guess_kind", "guess_title"]

#: Fields that are shown every day, at most.
MOST_EVERYDAY = 8

SURNAMES = frozenset(WORDS["surnames"])
TITLES, NUMBERS, STATES = tuple(WORDS["titles"]), tuple(WORDS["numbers"]), tuple(WORDS["states"])
MACHINE, AMOUNTS = frozenset(WORDS["machine"]), frozenset(WORDS["amounts"])

#: The rank from which on fields are only shown where fewer than so many others tell something.
TELLING, ENOUGH = 5, 3

#: A column that is blank in a larger share of the rows is looked at seldom.
MOSTLY_BLANK = 0.9

LONG_TEXT = 120

#: Values that must have been seen before a text is said to hold numbers or dates, and the share that must read so.
HIDDEN_LEAST, HIDDEN_SHARE = 5, 0.9

_LEADING_ZERO = re.compile(r"^[+-]?0\d")

#: The forms that are read where a text is said to be of a kind, the narrowest first.
_HIDDEN = (
    (Kind.INTEGER, re.compile(r"^[+-]?\d{1,18}$"), "whole numbers"),
    (Kind.DECIMAL, re.compile(r"^[+-]?\d{1,30}(\.\d{1,30})?$"), "numbers"),
    (Kind.DATE, re.compile(r"^\d{4}-(0[1-9]|1[0-2])-(0[1-9]|[12]\d|3[01])$"), "dates"),
)

_CODE = re.compile(r"^(?=.*\d)[A-Za-z0-9][A-Za-z0-9 ./_-]*$")


def guess_kind(column: ColumnFacts, prefix: str = "") -> Guess[Kind] | None:
    """
    Whether a text column names records: codes and numbers that are never calculated with, such as `MB-0012` or `007`.
    """
    if column.kind is not Kind.TEXT or column.stored != "text":
        return None
    last = plain_words_of(column.name, prefix)[-1]
    if last in (*NUMBERS, "id", "uuid", "identifier"):
        return Guess(Kind.IDENTIFIER, f"its name ends with “{last}”")
    values = [v for v in column.samples if v.strip()]
    if column.unique and len(values) >= 5 and all(_CODE.match(v) and len(v) <= 24 for v in values):
        return Guess(Kind.IDENTIFIER, "its values are codes, each of its own")
    return None


def guess_hidden_kind(column: ColumnFacts, prefix: str = "") -> Guess[Kind] | None:
    """
    Whether a text column holds numbers or dates that could be read as such. It is only offered: what cannot be read
    would be blank. Codes and telephone numbers, with their leading zeros, are none.
    """
    if column.kind is not Kind.TEXT or column.stored != "text" or guess_kind(column, prefix) is not None:
        return None
    values = [v.strip() for v in column.samples if v.strip()]
    if len(values) < HIDDEN_LEAST or any(_LEADING_ZERO.match(v) for v in values):
        return None
    for kind, form, words in _HIDDEN:
        fitting = sum(bool(form.match(v)) for v in values)
        if fitting >= HIDDEN_SHARE * len(values):
            return Guess(kind, f"{fitting} of {len(values)} values looked at read as {words}")
    return None


def guess_title(table: TableFacts, personal: Collection[str] = ()) -> Guess[str] | None:
    """
    The column that people know a record by; None where there are only dates, amounts and links.
    """
    prefix = common_prefix([c.name for c in table.columns])
    texts = [c for c in table.columns if c.kind.is_text and c.stored == "text" and not c.leads_to and _filled(c, 0.5)]
    last = {c.name: plain_words_of(c.name, prefix)[-1] for c in texts}
    whole = {c.name: plain_words_of(c.name, prefix) for c in texts}
    own = plain_words_of(table.name)[-1]

    def first(found: list[ColumnFacts], reason: str) -> Guess[str] | None:
        return Guess(found[0].name, reason) if found else None

    open_texts = [c for c in texts if c.name not in personal and guess_hidden_kind(c, prefix) is None]
    by_words = sorted(
        (c for c in open_texts if last[c.name] in TITLES),
        key=lambda c: (len(whole[c.name]) > 2, TITLES.index(last[c.name])),
    )
    numbers = sorted(
        (c for c in open_texts if last[c.name] in NUMBERS and (c.unique or c.in_key or _mostly_unique(c, table))),
        key=lambda c: NUMBERS.index(last[c.name]),
    )
    return (
        first([c for c in by_words if not _few(c, table)], "its name says so")
        or first(numbers, "a number of its own that people use")
        or first(
            [c for c in open_texts if c.unique and not c.in_key and c.length != 36], "each record has one of its own"
        )
        or first(list(by_words), "its name says so")
        or first([c for c in texts if " ".join(whole[c.name]) in SURNAMES], "people are known by it")
        or first([c for c in texts if last[c.name] in (*TITLES, own)], "its name says so")
        or first([c for c in texts if c.in_key], "it is the key")
        or first([c for c in open_texts if last[c.name] in ("description", "text", "item")], "the text that tells most")
    )


def guess_everyday(table: TableFacts, title: str | None, personal: Collection[str] = ()) -> list[Guess[str]]:
    """
    The columns that people look at every day, in the table's order: the title, states, dates, amounts, then what is
    left. Never empty while there is a column that is not a file; personal ones only where there is nothing else.
    """
    prefix = common_prefix([c.name for c in table.columns])
    ranked: list[tuple[int, str, str]] = []
    for column in table.columns:
        rank = _rank(column, table, plain_words_of(column.name, prefix), title)
        if rank is not None and column.name not in personal:
            ranked.append((rank[0], column.name, rank[1]))
    ranked.sort(key=lambda r: r[0])
    telling = [r for r in ranked if r[0] <= TELLING]
    ranked = telling if len(telling) >= ENOUGH else ranked[: max(ENOUGH, len(telling))]
    chosen = {name: reason for _, name, reason in ranked[:MOST_EVERYDAY]}
    if not chosen:
        left = [c for c in table.columns if c.kind is not Kind.FILE]
        left.sort(key=lambda c: c.name in personal)
        chosen = {c.name: "there is nothing that tells more" for c in left[:MOST_EVERYDAY]}
    return [Guess(c.name, chosen[c.name]) for c in table.columns if c.name in chosen]


def _rank(column: ColumnFacts, table: TableFacts, words: Sequence[str], title: str | None) -> tuple[int, str] | None:
    last, machine = words[-1], bool(MACHINE & set(words))
    if column.name == title:
        return 0, "the record is known by it"
    if column.kind is Kind.FILE or machine or column.leads_to or not _filled(column, 1 - MOSTLY_BLANK):
        return None
    if column.distinct is not None and column.distinct <= 1 and (table.rows or 0) > 20:
        return None
    if column.kind is Kind.CHOICE or last in STATES:
        return 1, "it tells records apart in kind or state"
    if column.in_key and len(table.key) == 1:
        return (2, "people may know it") if column.kind.is_text and column.stored == "text" else (9, "its number")
    if last in NUMBERS and column.kind.is_text:
        return 2, "a number that people use"
    if column.kind.is_text and last in TITLES:
        return 2, "a name"
    if column.kind.is_dated:
        return 3, "a date"
    if column.kind.is_number:
        return (4, "an amount") if AMOUNTS & set(words) else (6, "a number")
    if column.kind is Kind.BOOLEAN or column.kind is Kind.TIME:
        return 7, "yes or no" if column.kind is Kind.BOOLEAN else "a time"
    if column.kind.is_text and column.stored == "text":
        long = (column.length or 0) > LONG_TEXT or any(len(v) > LONG_TEXT for v in column.samples)
        return (8, "a long text") if long else (5, "a short text")
    return 9, "it is there"


def _filled(column: ColumnFacts, share: float) -> bool:
    return column.blank is None or 1 - column.blank >= share


def _few(column: ColumnFacts, table: TableFacts) -> bool:
    """
    Whether many records have the same value, so that it is no name of one.
    """
    return column.distinct is not None and (table.rows or 0) > 50 and column.distinct < 0.02 * (table.rows or 0)


def _mostly_unique(column: ColumnFacts, table: TableFacts) -> bool:
    return column.distinct is not None and column.distinct >= 0.9 * (table.rows or 0)
