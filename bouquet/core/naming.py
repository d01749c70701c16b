"""
File names from a pattern, safe on every file system.

Parts: `{template}`, `{records}`, `{as_of}`, `{as_of:%Y-%m-%d}`, `{rows}`, `{window_start}`, `{window_end}`,
`{ask.NAME}`, `{value:FIELD}` of a split by that field, `{part}`, `{sequence}`, `{recipient}`. The extension always
follows the format.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from urllib.parse import quote

from bouquet.core.language import tr
from bouquet.core.vocabulary.formats import FORMATS

__all__ = [
    "NameFacts",
    "check_pattern",
    "content_disposition",
    "file_name",
    "merge_names",
    "safe_name",
    "sheet_name",
    "with_suffix",
]

_PART = re.compile(r"\{([^{}:]*)(?::([^{}]*))?\}")
_PARTS = ("template", "records", "as_of", "rows", "window_start", "window_end", "part", "sequence", "recipient")
_DATED = ("as_of", "window_start", "window_end")
_DATE_CODES = re.compile(r"%(.?)")

#: Names that one common operating system keeps for devices.
_RESERVED = {
    "con",
    "prn",
    "aux",
    "nul",
    *(f"com{n}" for n in range(1, 10)),
    *(f"lpt{n}" for n in range(1, 10)),
}

#: Bytes of UTF-8, extension included; the common limit is 255 and a part suffix must still fit.
_LONGEST = 180


def check_pattern(pattern: str, *, asks: Sequence[str] = (), value: str | None = None) -> list[str]:
    """
    What is wrong with a pattern, as sentences; empty when it can be used.

    `asks` are the names of the template's asks; `value` the field that the file is split by, if it is.
    """
    problems = []
    for name, form in _PART.findall(pattern):
        if name == "value":
            if form != value:
                said = (
                    tr("its files are split by {value}", value=value)
                    if value
                    else tr("its file is not split by a value")
                )
                problems.append(tr("The template has no {{value:{form}}} for a name; {said}.", form=form, said=said))
            continue
        if name.startswith("ask."):
            if name.removeprefix("ask.") not in asks:
                problems.append(tr("The template asks nothing called “{value}”.", value=name.removeprefix("ask.")))
            continue
        if name not in _PARTS:
            known = ", ".join(f"{{{p}}}" for p in (*_PARTS, "ask.…", "value:…"))
            problems.append(tr("File names have no part {{{name}}}; they know {known}.", name=name, known=known))
        elif form and name not in _DATED:
            problems.append(tr("{{{name}}} takes no date format.", name=name))
        elif wrong := [c for c in _DATE_CODES.findall(form) if c not in "YmdHMSyjVGbBaAu%" or not c]:
            problems.append(tr("“%{wrong}” is not a part of a date in a file name.", wrong=wrong[0]))
    if re.search(r"[{}]", _PART.sub("", pattern)):
        problems.append(tr("A brace { or } stands alone in the file name."))
    return problems


def safe_name(text: str) -> str:
    """
    `text` as one path segment that every file system takes: no separators, no control characters, no
    reserved device names, no trailing dot, and not too long. Letters of all scripts are kept.
    """
    text = unicodedata.normalize("NFC", text)
    text = re.sub(r'[<>:"/\\|?*\x00-\x1f\x7f-\x9f]', "-", text)
    text = "".join(c for c in text if unicodedata.category(c) not in ("Cf", "Cs"))
    text = re.sub(r"\s+", "_", text.strip()).strip("._-")
    while len(text.encode()) > _LONGEST:
        text = text[:-1]
    text = text or "export"
    return f"{text}_" if text.split(".")[0].casefold() in _RESERVED else text


@dataclass(frozen=True, kw_only=True)
class NameFacts:
    """
    What the parts of a file name come to. `window_start` and `window_end` are the first and last moment inside the
    filter's window; `value` is that of the part of a split, `part` its number from 1.
    """

    template: str
    records: str
    as_of: datetime
    rows: int = 0
    window_start: datetime | None = None
    window_end: datetime | None = None
    answers: Mapping[str, str] = field(default_factory=dict)
    value: str | None = None
    part: int | None = None
    sequence: int = 1
    recipient: str = ""


def file_name(pattern: str, facts: NameFacts, extension: str) -> str:
    """
    The name of a file, with its extension. A part of several whose number the pattern leaves out gets it at its end.

    An extension typed into the pattern that is a known format's is dropped first.
    """
    values = {
        "template": facts.template.lower(),
        "records": facts.records,
        "rows": str(facts.rows),
        "part": str(facts.part or 1),
        "sequence": str(facts.sequence),
        "recipient": facts.recipient,
        "value": "blank" if facts.value == "" else facts.value or "",
    }

    def part(match: re.Match[str]) -> str:
        name, form = match.group(1), match.group(2)
        if name in _DATED:
            moment = getattr(facts, name)
            return moment.strftime(form or "%Y-%m-%d") if moment else "all"
        if name.startswith("ask."):
            return facts.answers.get(name.removeprefix("ask."), "")
        return values[name]

    stem = _without_extension(_PART.sub(part, pattern).strip())
    if facts.part is not None and not re.search(r"\{(part|value)\b", pattern):
        stem += f"-{values['value']}" if facts.value is not None else f"-{facts.part}"
    return f"{safe_name(stem)}.{extension}"


def _without_extension(name: str) -> str:
    stem, _, typed = name.rpartition(".")
    return stem if stem and typed.lower() in {"tsv", *(f.extension for f in FORMATS.values())} else name


#: Characters of a name that programs which merge letters take.
MERGE_NAME = 40


def merge_names(headings: Sequence[str], most: int = MERGE_NAME) -> list[str]:
    """
    Headings as programs that merge letters take names of fields: plain letters, digits and underscores, beginning with
    a letter, at most `most` of them, and none alike, whatever their case.
    """
    found: list[str] = []
    taken: set[str] = set()
    for n, heading in enumerate(headings, 1):
        plain = unicodedata.normalize("NFKD", heading.replace("ß", "ss")).encode("ascii", "ignore").decode()
        name = re.sub(r"\W+", "_", plain).strip("_") or f"Field_{n}"
        name = (name if name[0].isalpha() else f"F_{name}")[:most].rstrip("_")
        k, free = 1, name
        while free.casefold() in taken:
            k += 1
            free = f"{name[: most - len(str(k)) - 1]}_{k}"
        taken.add(free.casefold())
        found.append(free)
    return found


def with_suffix(name: str, number: int) -> str:
    """
    `name` with a number before its extension: `trees.csv`, 2 → `trees-2.csv`.
    """
    stem, _, extension = name.rpartition(".")
    return f"{stem}-{number}.{extension}"


def content_disposition(name: str) -> str:
    """
    The header under which a file of this name is downloaded (RFC 6266), for names in any script.
    """
    plain = re.sub(r'[^\x20-\x7e]|["\\]', "_", name)
    return f"attachment; filename=\"{plain}\"; filename*=UTF-8''{quote(name, safe='')}"


#: What no name of a sheet holds, and its length in units of UTF-16, as spreadsheets count.
_NOT_IN_SHEETS = re.compile(r"[\[\]:*?/\\\x00-\x1f\ufffe\uffff]")
_LONGEST_SHEET = 31


def sheet_name(wanted: str, taken: set[str], number: int = 1) -> str:
    """
    A name of a sheet that is not among those `taken`, to which it is added: no brackets, colons, marks or slashes, no
    apostrophe at either end. `number` counts the sheets that go on from one another.
    """
    plain = _NOT_IN_SHEETS.sub(" ", wanted).strip(" '") or "-"
    while True:
        suffix = f" ({number})" if number > 1 else ""
        room = (_LONGEST_SHEET - len(suffix)) * 2
        name = plain.encode("utf-16-le")[:room].decode("utf-16-le", errors="ignore").rstrip(" '") + suffix
        if name.casefold() not in taken:
            taken.add(name.casefold())
            return name
        number += 1
