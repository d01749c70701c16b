"""
Names of tables and columns as words that people read: `InvoiceDate`, `inv_dt` and `INVOICE_DATE` are "Invoice date".
"""

from __future__ import annotations

import re
import tomllib
import unicodedata
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from functools import cache, lru_cache
from importlib.resources import files
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    import inflect

__all__ = [
    "common_prefix",
    "initials_of_tables",
    "label_of_column",
    "label_of_table",
    "plain_words_of",
    "plural_of",
    "singular_of",
    "speaks_german",
    "unit_of",
    "words_of",
]


def _words_of_language(name: str) -> dict[str, Any]:
    return tomllib.loads(files("bouquet.core.guessing").joinpath(f"{name}.toml").read_text("utf-8"))


ENGLISH = _words_of_language("english")

#: Of the languages that the interface speaks, the one first whose words labels are made of.
LANGUAGES = (ENGLISH, _words_of_language("german"), _words_of_language("french"))

#: What tells personal data.
PERSONAL: tuple[dict[str, Any], ...] = tuple(language["personal"] for language in LANGUAGES)

#: What tells the part that a column plays: of each list, the words of all languages, without accents.
WORDS: dict[str, list[str]] = {
    name: list(dict.fromkeys(word for language in LANGUAGES for word in language["words"].get(name, ())))
    for name in ENGLISH["words"]
}


def _all_words(language: dict[str, Any]) -> set[str]:
    personal = language["personal"]
    lists = [*language["words"].values(), personal["persons"], *(n["words"] for n in personal["names"])]
    return {word for words in lists for word in words}


#: Words of other languages than English: what stands beside them is nothing that English shortens.
ABROAD = frozenset.union(*(frozenset(_all_words(language)) for language in LANGUAGES[1:])) - _all_words(ENGLISH)

#: Words of German, whose names of several things follow no rule that is known here; those of other languages.
_GERMAN = frozenset(_all_words(LANGUAGES[1]))
_OTHERS = frozenset(_all_words(ENGLISH) | _all_words(LANGUAGES[2]))

#: Words of it by which a house speaks German, at least.
FEWEST_GERMAN = 3

#: Abbreviations that mean one thing wherever they stand.
SHORT: dict[str, str] = ENGLISH["short"]

#: The same in a German house.
SHORT_IN_GERMAN: dict[str, str] = LANGUAGES[1]["short"]

#: What the last word of a name says about the unit.
UNITS: dict[str, str] = ENGLISH["units"]

CAPITALS = frozenset(WORDS["capitals"])

_PHRASE = re.compile(r"( (?:per|of|by|in|for|with|to) )")
_IN_COMMENT = re.compile(r"(?:\(|\[|\bin )(mm|cm|m|km|g|kg|t|l|ml|ha|m²|m³|kWh|kW|%|€|£|\$|km/h|°C|°)(?:\)|\]|\b|$)")
#: The parts of a name, by what its signs are: `A` a capital, `a` a small letter, `x` one of a script without case,
#: `0` a digit, `+` what belongs to the sign before it (accents, raised digits).
_PARTS = re.compile(r"A\+*(?:A\+*)*(?=A\+*a)|(?:A\+*)?(?:a\+*)+|(?:A\+*)+|0+|(?:x\+*)+")
_PLAIN = str.maketrans({"ä": "ae", "ö": "oe", "ü": "ue", "Ä": "Ae", "Ö": "Oe", "Ü": "Ue", "ß": "ss"})
_TABLE_PREFIXES = frozenset(WORDS["table_prefixes"])

#: Letters of a word that tells nothing by itself, at most.
LONGEST_STEM = 3

#: Letters that a common prefix of columns may have at most.
LONGEST_PREFIX = 5


@cache
def _english() -> inflect.engine:
    import inflect

    return inflect.engine()


@lru_cache(100_000)
def split_name(name: str) -> tuple[str, ...]:
    """
    The parts of a name, in small letters: by underscores, spaces, changes of case, and where digits begin.
    """
    whole = unicodedata.normalize("NFC", name)
    signs = "".join(map(_sign, whole))
    return tuple(whole[part.start() : part.end()].lower() for part in _PARTS.finditer(signs))


def plain(words: str) -> str:
    """
    Words as they are written where accents cannot be: `Prénom` as `Prenom`, `Größe` as `Groesse`.
    """
    if words.isascii():
        return words
    told = words.translate(_PLAIN)
    return "".join(sign for sign in unicodedata.normalize("NFD", told) if not unicodedata.combining(sign))


def plain_words_of(name: str, prefix: str = "") -> tuple[str, ...]:
    """
    The words of a name as those of `WORDS` and `PERSONAL` are written, to be compared with them.
    """
    return tuple(plain(word) for word in words_of(name, prefix))


def _sign(sign: str) -> str:
    if sign.isalpha():
        return "A" if sign.isupper() or sign.istitle() else "a" if sign.islower() else "x"
    if sign.isdecimal():
        return "0"
    return "+" if unicodedata.category(sign) in ("Mn", "Mc", "No") else " "


@lru_cache(200_000)
def words_of(name: str, prefix: str = "") -> tuple[str, ...]:
    """
    The words of a name, abbreviations written out; without a prefix that all columns of its table share.
    """
    parts = split_name(name)
    if prefix and len(parts) > 1 and parts[0] == prefix:
        parts = parts[1:]
    text = " ".join(SHORT.get(part, part) for part in parts).replace("e mail", "e-mail")
    return tuple(text.split()) or (name.lower(),)


def common_prefix(names: Sequence[str]) -> str:
    """
    A short first part that most columns of a table share (`t_tag`, `t_girth`), or nothing.
    """
    firsts = Counter(parts[0] for parts in map(split_name, names) if len(parts) > 1)
    if not firsts:
        return ""
    first, times = firsts.most_common(1)[0]
    shared = times >= 3 and times >= 0.5 * len(names) and len(first) <= LONGEST_PREFIX
    return first if shared and first not in ("is", "has", "no", "min", "max") else ""


def unit_of(name: str, comment: str, *, is_number: bool) -> tuple[str, bool]:
    """
    The unit of a number, and whether the name's last part says it.
    """
    if not is_number:
        return "", False
    parts = split_name(name)
    if len(parts) > 1 and parts[-1] in UNITS:
        return UNITS[parts[-1]], True
    found = _IN_COMMENT.search(comment)
    return (found.group(1), False) if found else ("", False)


def label_of_column(
    name: str,
    prefix: str = "",
    *,
    table: str = "",
    leads_to: str = "",
    unit_said: bool = False,
    is_key: bool = False,
    german: bool = False,
) -> str:
    """
    A heading for a column of a table whose records are called `table`. One that names a record of another, called
    `leads_to`, is called after it: `customer_id` is "Customer". A record's own number is "Customer number". In a house
    that is `german`, `auftrag_nr` is "Auftrag Nr.".
    """
    words: Sequence[str] = words_of(name, prefix)
    parts = split_name(name)
    if german or (len(parts) > 1 and not ABROAD.isdisjoint(map(plain, parts))):
        words = parts[1:] if prefix and len(parts) > 1 and parts[0] == prefix else parts
        words = [SHORT_IN_GERMAN.get(word, word) for word in words] if german else words
    if unit_said and len(words) > 1:
        words = words[:-1]
    own = [word.lower() for word in table.split()]
    if is_key and table and words[-1] in ("id", "key") and (len(words) == 1 or list(words[:-1]) == own):
        return _written([*table.split(), "Nr." if german else "number"])
    if leads_to and words[-1] in ("id", "key", "fk", "number", "code", "imo", "Nr."):
        # What is left of `sp_id` says nothing; the record that it leads to does.
        stem = words_of(name)[:-1]
        return _written(stem if stem and len(stem[-1]) > LONGEST_STEM else leads_to.split())
    if len(words) == 1 and words[0] in ("on", "at", "by", "from", "to", "in", "of") and table:
        words = [*table.split(), *words]
    return _written(words)


def initials_of_tables(names: Iterable[str]) -> dict[str, str]:
    """
    What the first letters of tables' words stand for, where no two tables share them: `wo` is "work order".
    """
    found: dict[str, set[str]] = {}
    for name in names:
        parts = split_name(name)
        if len(parts) > 1:
            found.setdefault("".join(p[0] for p in parts), set()).add(" ".join((*parts[:-1], singular_of(parts[-1]))))
    known = {*SHORT, *WORDS["little"]}
    return {first: next(iter(words)) for first, words in found.items() if len(words) == 1 and first not in known}


def label_of_table(
    name: str, prefix: str = "", initials: Mapping[str, str] | None = None, *, german: bool = False
) -> str:
    """
    What one record of a table is called: `tblOrders` is "order". `prefix` is what its columns begin with, `initials`
    what the house's own abbreviations stand for. A `german` one stays in the number that it has,
    and is a noun.
    """
    parts = split_name(name)
    while len(parts) > 1 and (parts[0] in _TABLE_PREFIXES or parts[0] == prefix):
        parts = parts[1:]
    if initials and len(parts) > 1:
        parts = tuple(word for part in parts for word in initials.get(part, part).split())
    words = " ".join(SHORT.get(p, p) if len(parts) == 1 or p not in ("st", "no", "co") else p for p in parts).split()
    if not words:
        return name.lower()
    if german:
        return " ".join(w.upper() if w in CAPITALS else w.capitalize() for w in words)
    words[-1] = singular_of(words[-1])
    return " ".join(w.upper() if w in CAPITALS else w for w in words)


def speaks_german(names: Iterable[str]) -> bool:
    """
    Whether a house's tables and columns have German names, as far as the words tell that are known here.
    """
    words = {plain(part) for name in names for part in split_name(name)}
    german = len(words & (_GERMAN - _OTHERS))
    return german >= FEWEST_GERMAN and german > len(words & (_OTHERS - _GERMAN))


@lru_cache(20_000)
def singular_of(word: str) -> str:
    """
    A word for one of them; itself where it is one already.
    """
    if word.endswith(("ss", "us", "is", "as", "news", "series", "species")) or len(word) < 4:
        return word
    found = _english().singular_noun(word)
    return str(found) if found else word


@lru_cache(20_000)
def plural_of(label: str) -> str:
    """
    What several of them are called.
    """
    head, preposition, rest = [*_PHRASE.split(label, maxsplit=1), "", ""][:3]
    *before, last = head.split()
    if last.endswith(tuple(WORDS["uncounted"])) or plain(last) in ABROAD:
        return label
    if singular_of(last) != last:
        return label
    if not all(unicodedata.name(sign, "").startswith("LATIN") for sign in last if sign.isalpha()):
        # To words of other scripts no letter of ours is added.
        return label
    several = str(_english().plural_noun(last)) if last[-1].isalpha() else f"{last}s"
    return " ".join([*before, several]) + preposition + rest


def _written(words: Sequence[str]) -> str:
    text = " ".join(w.upper() if w in CAPITALS else w for w in words)
    return text[:1].upper() + text[1:]
