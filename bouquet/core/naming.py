"""
File names from a pattern, safe on every file system.

Parts: `{template}`, `{records}`, `{as_of}`, `{as_of:%Y-%m-%d}`, `{rows}`. The extension always follows the format.
"""

from __future__ import annotations

import re
import unicodedata
from datetime import datetime

__all__ = ["check_pattern", "file_name", "safe_name", "with_suffix"]

_PART = re.compile(r"\{([^{}:]*)(?::([^{}]*))?\}")
_PARTS = ("template", "records", "as_of", "rows")
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


def check_pattern(pattern: str) -> list[str]:
    """
    What is wrong with a pattern, as sentences; empty when it can be used.
    """
    problems = []
    for name, form in _PART.findall(pattern):
        if name not in _PARTS:
            known = ", ".join(f"{{{p}}}" for p in _PARTS)
            problems.append(f"File names have no part {{{name}}}; they know {known}.")
        elif form and name != "as_of":
            problems.append(f"{{{name}}} takes no date format.")
        elif wrong := [c for c in _DATE_CODES.findall(form) if c not in "YmdHMSyjVGbBaAu%" or not c]:
            problems.append(f"“%{wrong[0]}” is not a part of a date in a file name.")
    if re.search(r"[{}]", _PART.sub("", pattern)):
        problems.append("A brace { or } stands alone in the file name.")
    return problems


def safe_name(text: str) -> str:
    """
    `text` as one path segment that every file system takes: no separators, no control characters, no
    reserved device names, no trailing dot, and not too long. Letters of all scripts are kept.
    """
    text = unicodedata.normalize("NFC", text)
    text = re.sub(r'[<>:"/\\|?*\x00-\x1f\x7f]', "-", text)
    text = re.sub(r"\s+", "_", text.strip()).strip("._-")
    while len(text.encode()) > _LONGEST:
        text = text[:-1]
    text = text or "export"
    return f"{text}_" if text.split(".")[0].casefold() in _RESERVED else text


def file_name(pattern: str, *, template: str, records: str, as_of: datetime, rows: int, extension: str) -> str:
    """
    The name of a file, with its extension.

    An extension typed into the pattern that is a known format's is dropped first.
    """
    values = {"template": template.lower(), "records": records, "rows": str(rows)}

    def part(match: re.Match[str]) -> str:
        name, form = match.group(1), match.group(2)
        return as_of.strftime(form or "%Y-%m-%d") if name == "as_of" else values[name]

    stem = re.sub(r"\.(csv|xlsx|txt|tsv)$", "", _PART.sub(part, pattern).strip(), flags=re.IGNORECASE)
    return f"{safe_name(stem)}.{extension}"


def with_suffix(name: str, number: int) -> str:
    """
    `name` with a number before its extension: `trees.csv`, 2 → `trees-2.csv`.
    """
    stem, _, extension = name.rpartition(".")
    return f"{stem}-{number}.{extension}"
