"""
What can go wrong in the core, and where.

    BouquetError
    ├── TemplateError        the document itself, or what it asks for
    │   ├── DocumentError    not a template document (shape, unknown keys, version)
    │   └── PlanError        well-formed, but it cannot be planned against this catalogue
    ├── WriteError           a file could not be written
    │   └── EncodingProblem  a value cannot be written in the file's encoding
    └── CountMismatch        announced and written rows differ

Problems of a template are collected: one error carries them all.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from difflib import get_close_matches
from typing import Any

from bouquet.core.language import tr, whole

__all__ = [
    "BouquetError",
    "CountMismatch",
    "DocumentError",
    "EncodingProblem",
    "PlanError",
    "Problem",
    "TemplateError",
    "WayOut",
    "WriteError",
    "nearest",
    "unknown_name",
]


@dataclass(frozen=True)
class WayOut:
    """
    An edit of the document that would cure a problem: set `place` to `value`.

    `act` names the kind of cure (`fold`, `per_child`, `substitute`); `label` is what a button would say. A cure that
    is not an edit of this document (`companion_file`) has no place.
    """

    act: str
    label: str
    place: str = ""
    value: Any = None


@dataclass(frozen=True, kw_only=True)
class Problem:
    """
    One thing wrong with a template.

    `place` is a path into the document (`columns[3].value.field`), empty for the whole.
    `candidates` are names that may have been meant, best first.
    `ways_out` are edits that would cure it, for the interface to offer as buttons.
    `at` is the character of a formula that it points at, counted from 0.
    """

    code: str
    message: str
    place: str = ""
    candidates: tuple[str, ...] = ()
    ways_out: tuple[WayOut, ...] = ()
    at: int | None = None


class BouquetError(Exception):
    """
    Something went wrong in Bouquet.
    """

    code = "error"


class TemplateError(BouquetError):
    """
    The template has problems.
    """

    code = "template"

    def __init__(self, problems: Sequence[Problem]) -> None:
        self.problems = tuple(problems)
        msg = "; ".join(f"{p.place or 'template'}: {p.message}" for p in self.problems)
        super().__init__(msg)


class DocumentError(TemplateError):
    """
    This is not a template document that can be read.
    """

    code = "document"


class PlanError(TemplateError):
    """
    The template asks for something this catalogue cannot give.
    """

    code = "plan"


class WriteError(BouquetError):
    """
    The file could not be written.
    """

    code = "write"


class EncodingProblem(WriteError):
    """
    A value holds a letter that the chosen encoding does not have.
    """

    code = "encoding"

    def __init__(self, letter: str, encoding: str, row: int, is_chosen: bool = True) -> None:
        """
        Args:
            letter: The letter.
            encoding: The encoding that lacks it.
            row: The number of the row that holds it; 0 for what stands above the rows.
            is_chosen: Whether another encoding could be chosen.
        """
        self.letter, self.encoding, self.row = letter, encoding, row
        said = {"letter": f"{letter!r}", "code": f"{ord(letter):04X}", "encoding": encoding}
        if row:
            place = tr("Row {row} holds {letter} (U+{code}), which {encoding} cannot write.", row=row, **said)
        else:
            place = tr("A heading or title holds {letter} (U+{code}), which {encoding} cannot write.", **said)
        if is_chosen:
            cure = tr("Choose UTF-8, or let such letters be replaced.")
        else:
            cure = tr("Let such letters be replaced, or choose another format.")
        super().__init__(f"{place} {cure}")


class CountMismatch(BouquetError):
    """
    More or fewer rows, or attached files, were written than announced; the file is withheld.
    """

    code = "count_mismatch"

    def __init__(self, announced: int, written: int, what: str = "rows") -> None:
        self.announced, self.written = announced, written
        super().__init__(
            tr(
                "{announced} {what} were announced and {written} written; the file is withheld.",
                announced=whole(announced),
                what=what,
                written=whole(written),
            )
        )


def nearest(name: str, names: Sequence[str], *, at_most: int = 3) -> tuple[str, ...]:
    """
    Names that look like `name`, best first, ignoring case; where none does, those that share a word with it.
    """
    folded = {n.casefold(): n for n in names}
    close = get_close_matches(name.casefold(), folded, n=at_most, cutoff=0.55)
    if not close:
        words = _words(name)
        sharing = [n for n in folded if words & _words(n)]
        close = sorted(sharing, key=lambda n: len(_words(n) ^ words))[:at_most]
    return tuple(folded[m] for m in close)


def unknown_name(what: str, name: str, known: Sequence[str], of: str, path: str, place: str) -> Problem:
    """
    The problem that what `path` leads to (`of`, by its label) has no `what`, a field or relation, of this name.
    """
    prefix = path[: len(path) - len(path.split(".")[-1])] if what == "field" else ""
    candidates = tuple(prefix + n for n in nearest(name, known))
    hint = tr(" Did you mean {candidates}?", candidates=", ".join(candidates)) if candidates else ""
    here = of.capitalize()
    return Problem(
        code=f"unknown_{what}",
        place=place,
        message=tr("{here} has no {what} “{name}”.{hint}", here=here, what=what, name=name, hint=hint),
        candidates=candidates,
    )


def _words(name: str) -> set[str]:
    """
    The words of a name that are long enough to mean something.
    """
    return {w for w in re.split(r"[\W_]+", name.casefold()) if len(w) > 2}
