"""
What a request says of the sheet: its columns, what rows are grouped by, their order, and how many.
"""

from __future__ import annotations

from typing import Any

from bouquet.core.asked.lexicon import Meaning, dated_field
from bouquet.core.asked.narrowing import counted_many
from bouquet.core.asked.state import Reading, Rule
from bouquet.core.asked.tokens import number_in

__all__ = ["COLUMN", "COUNT", "SHEET"]

#: What stands for the number of records of a group until the sheet is put together.
COUNT = {"fold": {"path": "", "how": "count"}}

_STEPS = ("day", "week", "month", "quarter", "year")

#: Words of a fold before what is folded: the fold of numbers, and of what is dated.
_FOLDS = (
    ("total", "sum", ""), ("sum of", "sum", ""), ("average", "mean", ""), ("mean", "mean", ""),
    ("highest", "greatest", "greatest"), ("largest", "greatest", "greatest"), ("greatest", "greatest", "greatest"),
    ("biggest", "greatest", "greatest"), ("lowest", "least", "least"), ("smallest", "least", "least"),
    ("last", "", "greatest"), ("latest", "", "greatest"), ("newest", "", "greatest"), ("most recent", "", "greatest"),
    ("first", "", "least"), ("earliest", "", "least"), ("oldest", "", "least"),
)  # fmt: skip

_COUNTS = ("number of", "how many", "count of", "count", "no of", "nr of")

#: Words before “first”, and the kind of field and the direction that they mean.
_FIRST = {
    "big": ("number", "descending"), "biggest": ("number", "descending"), "largest": ("number", "descending"),
    "highest": ("number", "descending"), "tallest": ("number", "descending"), "greatest": ("number", "descending"),
    "most": ("number", "descending"), "dearest": ("money", "descending"), "thickest": ("number", "descending"),
    "smallest": ("number", "ascending"), "lowest": ("number", "ascending"), "cheapest": ("money", "ascending"),
    "least": ("number", "ascending"), "shortest": ("number", "ascending"),
    "newest": ("dated", "descending"), "latest": ("dated", "descending"), "recent": ("dated", "descending"),
    "oldest": ("dated", "ascending"), "earliest": ("dated", "ascending"),
}  # fmt: skip

_DOWN = ("descending", "desc", "downward", "from high to low", "high to low", "from large to small")
_UP = ("ascending", "asc", "upward", "from low to high", "low to high", "from small to large")


def _limit(r: Reading, n: int) -> int:
    """
    the first 20, top 10, top 10 by girth, the 5 biggest
    """
    if r.word(n) in ("first", "top") and n + 1 < len(r.tokens):
        number = number_in(r.tokens[n + 1])
        if number is None or number != int(number) or not 1 <= number <= 10_000_000 or r.word(n + 1) in ("a", "an"):
            return 0
        if r.word(n) == "top":
            r.take("limit", n, 2, int(number))
            behind = n + 2
            while behind < len(r.tokens) and r.word(behind) != "by":
                if r.meaning(behind, "records") is None:
                    return 2
                behind += r.meaning(behind, "records")[0]  # type: ignore[index]
            named = r.meaning(behind + 1, "field")
            if named is not None:
                level = {"path": named[1].path, "direction": "descending"}
                r.take("order", behind, 1 + named[0], level, field_path=named[1].path)
                return behind + 1 + named[0] - n
            return 2
        return r.take("limit", n, 2, int(number))
    number = number_in(r.tokens[n])
    if number is not None and number == int(number) and 1 <= number <= 10_000_000 and r.word(n + 1) in _FIRST:
        kind, direction = _FIRST[r.word(n + 1)]
        r.take("limit", n, 1, int(number))
        return 1 + r.take("order", n + 1, 1, {"kind": kind, "direction": direction}, doubt="by which field is a guess")
    return 0


def _order(r: Reading, n: int) -> int:
    """
    sorted by ward and girth descending; biggest first; newest planted first; alphabetically
    """
    said = r.says(n, "sorted by", "ordered by", "order by", "sort by", "in order of", "sorted", "ordered")
    if said:
        return _levels(r, n, said)
    if r.word(n) == "by" and not r.grouped and (named := r.meaning(n + 1, "field")) is not None:
        behind = r.meaning(n + 1 + named[0], "choice", "value")
        if behind is None or behind[1].path != named[1].path:
            level = {"path": named[1].path, "direction": "ascending"}
            doubt = "sorted by it is a guess"
            return r.take("order", n, 1 + named[0], level, field_path=named[1].path, doubt=doubt)
    most = r.says(n, "most")
    word = r.word(n + most) if most and r.word(n + most) in _FIRST else r.word(n)
    at = n + most + 1 if most and r.word(n + most) in _FIRST else n + 1
    if word in _FIRST:
        kind, direction = _FIRST[word]
        named = r.meaning(at, "field")
        if r.word(at) == "first":
            doubt = "by which field is a guess"
            return r.take("order", n, at + 1 - n, {"kind": kind, "direction": direction}, doubt=doubt)
        if named is not None and r.word(at + named[0]) == "first":
            level = {"path": named[1].path, "direction": direction}
            return r.take("order", n, at + named[0] + 1 - n, level, field_path=named[1].path)
    if r.says(n, "alphabetically", "alphabetical", "in alphabetical order", "from a to z"):
        taken = r.says(n, "alphabetically", "alphabetical", "in alphabetical order", "from a to z")
        return r.take("order", n, taken, {"kind": "title", "direction": "ascending"}, doubt="by which field is a guess")
    return 0


def _levels(r: Reading, n: int, said: int) -> int:
    at, first, found = n + said, n, False
    while True:
        at += r.says(at, "the")
        named = r.meaning(at, "field")
        if named is None:
            return at - n if found else 0
        at += named[0]
        direction = "ascending"
        down = r.says(at, *_DOWN)
        word = r.word(at)
        if down or r.says(at, *_UP):
            at += down or r.says(at, *_UP)
            direction = "descending" if down else "ascending"
        elif word in _FIRST and r.word(at + 1) == "first":
            direction, at = _FIRST[word][1], at + 2
        elif r.tokens[at : at + 1] and word == "," and r.word(at + 1) in _FIRST and r.word(at + 2) == "first":
            direction, at = _FIRST[r.word(at + 1)][1], at + 3
        level = {"path": named[1].path, "direction": direction}
        r.take("order", first, at - first, level, field_path=named[1].path, doubt=r.ambiguity(at - named[0], named[1]))
        found = True
        joined = r.says(at, "and then", "then by", ", then by", ", then", "then", "and by", "and", ",")
        if not joined or r.meaning(at + joined, "field") is None:
            return at - n
        first = at = at + joined


def _per(r: Reading, n: int) -> int:
    """
    per ward and species, for each contractor, by month: what rows are grouped by
    """
    said = r.says(n, "per", "for each", "for every", "by each", "in each", "of each", "grouped by")
    if not said and r.grouped:
        said = r.says(n, "by")
    if not said:
        return 0
    at, first, found = n + said, n, False
    while True:
        taken = _group(r, at, first)
        if not taken:
            break
        at, found = at + taken, True
        joined = r.says(at, "and per", "and by", ", per", "per", "and", ",", "by")
        first, at = at, at + joined
        if not joined:
            break
    return max((t.last for t in r.taken if t.role == "rows"), default=n) + 1 - n if found else 0


def _group(r: Reading, at: int, first: int) -> int:
    if r.word(at) in _STEPS:
        step = r.word(at)
        behind = r.says(at + 1, "of", "in which it was", "when")
        named = r.meaning(at + 1 + behind, "field") if behind else None
        field = named[1].field if named is not None else None
        if named is not None and field is not None and field.kind.is_dated:
            r.take("rows", first, at + 1 + behind + named[0] - first, {"path": named[1].path, "step": step})
            return 1 + behind + named[0]
        dated = dated_field(r.lexicon.record_type)
        if dated is None:
            return 0
        node = {"path": dated.name, "step": step}
        r.take("rows", first, at + 1 - first, node, doubt=f"by {dated.label.lower()}, which is a guess")
        return 1
    named = r.meaning(at, "field")
    if named is None:
        return 0
    doubt = r.ambiguity(at, named[1])
    r.take("rows", first, at + named[0] - first, {"path": named[1].path}, field_path=named[1].path, doubt=doubt)
    return named[0]


def _fold(r: Reading, n: int) -> int:
    """
    number of inspections, latest inspection, total amount, average girth
    """
    counted = r.says(n, *_COUNTS)
    if counted:
        at = n + counted + r.says(n + counted, "the", "its", "their", "all")
        if (own := r.meaning(at, "records")) is not None:
            r.grouped = True
            return r.take("column", n, at + own[0] - n, COUNT, heading=f"Number of {r.lexicon.record_type.plural}")
        many = counted_many(r, at)
        if many is not None:
            length, meaning, where = many
            fold: dict[str, Any] = {"path": meaning.path, "how": "count"}
            if where:
                fold["where"] = {"all": list(where)}
            heading = f"Number of {' '.join(t.text for t in r.tokens[at : at + length]).lower()}"
            return r.take("column", n, at + length - n, {"fold": fold}, heading=heading)
        if any(r.meaning(k, "records") for k in range(at, min(at + 4, len(r.tokens)))):
            # How many standing trees: what stands between narrows them.
            r.grouped = True
            return r.take("column", n, counted, COUNT, heading=f"Number of {r.lexicon.record_type.plural}")
        return 0
    for words, of_numbers, of_dated in _FOLDS:
        said = r.says(n, words)
        at = n + said + (r.says(n + said, "the", "of the", "of") if said else 0)
        if said and (taken := _folded(r, n, at, of_numbers, of_dated, words)):
            return taken
    return 0


def _folded(r: Reading, n: int, at: int, of_numbers: str, of_dated: str, words: str) -> int:
    event = r.meaning(at, "event", "many")
    if event is not None and event[1].field is not None and event[1].target is not None:
        length, meaning = event
        target = meaning.target
        assert target is not None
        assert meaning.field is not None
        inner, found = r.lexicon_of(target).at(r.tokens, at + length) if at + length < len(r.tokens) else (0, [])
        field = next((m for m in found if m.what == "field" and m.far == 0), None)
        if field is not None and field.field is not None:
            heading = f"{words.capitalize()} {target.label} {field.field.label.lower()}"
            path = f"{meaning.path}.{field.path}"
            if field.field.kind.is_number and of_numbers:
                fold: dict[str, Any] = {"path": path, "how": of_numbers}
            elif of_dated and field.field.kind.is_dated:
                fold = {"path": path, "how": of_dated}
            elif of_dated:
                how = "latest" if of_dated == "greatest" else "first"
                fold = {"path": path, "how": how, "order": [{"path": meaning.field.name}]}
            else:
                return 0
            return r.take("column", n, at + length + inner - n, {"fold": fold}, heading=heading)
        if of_dated and not of_numbers:
            fold = {"path": f"{meaning.path}.{meaning.field.name}", "how": of_dated}
            return r.take("column", n, at + length - n, {"fold": fold}, heading=f"{words.capitalize()} {target.label}")
    named = r.meaning(at, "field")
    if named is not None and named[1].field is not None and r.word(at + named[0]) != "first":
        length, meaning = named
        how = of_numbers if named[1].field.kind.is_number else of_dated if named[1].field.kind.is_dated else ""
        if how and _is_grouped(r):
            r.grouped = True
            heading = f"{'Total' if how == 'sum' else words.capitalize()} {_label(meaning).lower()}"
            node = {"fold": {"path": meaning.path, "how": how}}
            return r.take("column", n, at + length - n, node, heading=heading, field_path=meaning.path)
    return 0


def _is_grouped(r: Reading) -> bool:
    """
    Whether the request groups, or goes on to say what it groups by.
    """
    groups = ("per", "for each", "for every", "by each", "in each", "grouped by", "by")
    return any(t.role == "rows" for t in r.taken) or any(r.says(k, *groups) for k in range(len(r.tokens)))


def _label(meaning: Meaning) -> str:
    assert meaning.field is not None
    return meaning.field.label


def _column(r: Reading, n: int) -> int:
    """
    A field that is named: a column.
    """
    named = r.meaning(n, "field")
    # “not tag” is no column; the word is told as not understood.
    if named is None or r.negated:
        return 0
    length, meaning = named
    doubt = r.ambiguity(n, meaning)
    return r.take("column", n, length, {"field": meaning.path}, field_path=meaning.path, doubt=doubt)


#: Rules of the sheet, in the order in which they are tried; what only names a field comes after all that say more.
SHEET: tuple[Rule, ...] = (_limit, _order, _per, _fold)
COLUMN: Rule = _column
