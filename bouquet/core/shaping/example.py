"""
Formats by example: a person types how one cell should look, and the format is worked out.

A format is only offered when it turns the value into exactly the text that was typed.
"""

from __future__ import annotations

import itertools
import re
from collections.abc import Iterator
from datetime import date, datetime, time
from decimal import ROUND_HALF_UP, Decimal
from typing import TypeAlias

from bouquet.core.catalogue import Field, Kind
from bouquet.core.formula import dated_by_pattern
from bouquet.core.language import LANGUAGES
from bouquet.core.patterns import date_pieces
from bouquet.core.template import Show
from bouquet.core.template.values import CURRENCIES

__all__ = ["date_patterns", "format_by_example"]

Sample: TypeAlias = bool | int | Decimal | str | date | datetime | time

#: Factors that people know: between units of length and weight, and shares in hundred.
_FACTORS = ("1", "10", "100", "1000", "0.1", "0.01", "0.001")

_SPACES = " \u00a0\u202f"

_NUMBER = re.compile(rf"\d(?:[\d.,'’{_SPACES}]*\d)?")

#: UTS 35 fields tried for a run of letters or digits, the usual before the rare.
_CANDIDATES = ("yyyy", "dd", "MM", "d", "M", "yy", "HH", "mm", "ss", "H", "hh", "h", "MMMM", "MMM", "EEEE", "EEE", "a")

#: Runs of a typed date beyond which nobody writes dates.
_MOST_RUNS = 8


def format_by_example(value: Sample, text: str, field: Field, language: str = "en") -> list[Show]:
    """
    Formats under which `value` reads `text`, the simplest first; none when no format does that.

    Args:
        value: The cell's value as the source holds it; a choice's code.
        text: How a person wants it to look.
        field: What the value is of.
        language: That of the file, a locale such as `de` or `fr_CH`; names of months and days are read in it, and in
            the languages that there are texts in.
    """
    found = list(dict.fromkeys(_formats(value, text, field, language)))
    return found[:5]


def _formats(value: Sample, text: str, field: Field, language: str) -> Iterator[Show]:
    if field.kind is Kind.CHOICE:
        yield from _texts(field.label_of(value), text, Show())
        yield from _texts(str(value), text, Show(choice="code"))
    elif isinstance(value, bool):
        if text.strip():
            yield Show(yes=text) if value else Show(no=text)
    elif isinstance(value, datetime | date | time):
        yield from (Show(date=p) for p in date_patterns(value, text, language))
        for other in LANGUAGES:
            named = [p for p in date_patterns(value, text, other) if _is_named(p)]
            yield from (Show(date=p, language=other) for p in named if dated_by_pattern(value, p, language) != text)
    elif isinstance(value, int | Decimal) and field.kind.is_number:
        yield from _numbers(Decimal(value), text)
    else:
        yield from _texts(str(value), text, Show())


# Text


def _texts(value: str, text: str, base: Show) -> Iterator[Show]:
    cases = (("as_is", value), ("upper", value.upper()), ("lower", value.lower()))
    for case, cased in cases:
        for trim in (False, True):
            whole = cased.strip() if trim else cased
            made = base.model_copy(update={"case": case, "trim": trim})
            if whole == text:
                yield made
            elif text and whole.startswith(text):
                yield made.model_copy(update={"first": len(text)})
            elif whole and text.endswith(whole):
                fill = text[: -len(whole)]
                if len(set(fill)) == 1:
                    yield made.model_copy(update={"pad": len(text), "pad_with": fill[0]})
                else:
                    yield made.model_copy(update={"prefix": fill})
            elif whole and text.startswith(whole):
                yield made.model_copy(update={"suffix": text[len(whole) :]})


# Numbers


def _numbers(value: Decimal, text: str) -> Iterator[Show]:
    found = _NUMBER.search(text)
    if found is None:
        return
    start, end = found.span()
    sign = "-" if start and text[start - 1] in "-−" else ""
    prefix, suffix = text[: start - len(sign)], text[end:]
    if prefix[:1] in ("-", "−") and prefix[1:] in CURRENCIES:
        # The sign stands before what money is counted in.
        sign, prefix = "-", prefix[1:]
    elif sign and prefix in CURRENCIES:
        return
    written = found.group()
    factors = sorted(_FACTORS, key=lambda f: (f != "1", f != "100" or "%" not in suffix))
    for factor, (mark, grouping) in itertools.product(factors, _marks(written)):
        plain = written.replace(grouping, "") if grouping else written
        plain = sign + plain.replace(mark, ".")
        decimals = len(plain.partition(".")[2])
        scaled = value * Decimal(factor)
        rounded = scaled.quantize(Decimal(1).scaleb(-decimals), rounding=ROUND_HALF_UP)
        if not re.fullmatch(r"-?\d+(\.\d+)?", plain) or rounded != Decimal(plain):
            continue
        as_stored = decimals == max(0, -int(scaled.as_tuple().exponent)) and factor == "1"
        # Digits of the source are kept as they are where the text shows all of them.
        whole_only = decimals == 0 and as_stored
        yield Show(
            decimals=None if whole_only else decimals,
            factor=None if factor == "1" else Decimal(factor),
            decimal_mark=None if mark == "." else ",",
            grouping=grouping or None,
            prefix=prefix,
            suffix=suffix,
        )


def _marks(written: str) -> Iterator[tuple[str, str]]:
    """
    (decimal mark, grouping) as which a number may have been written, the likelier first.
    """
    separators = [c for c in dict.fromkeys(written) if not c.isdecimal()]
    if not separators:
        yield ".", ""
    elif len(separators) == 1:
        only = separators[0]
        if only in ".,":
            yield only, ""
        groups = written.split(only)
        if all(len(g) == 3 for g in groups[1:]) and len(groups[0]) <= 3:
            yield "." if only != "." else ",", only
    elif len(separators) == 2 and separators[1] in ".," and written.count(separators[1]) == 1:
        yield separators[1], separators[0]


# Dates


def date_patterns(value: date | datetime | time, text: str, language: str = "en") -> list[str]:
    """
    Date patterns (UTS 35) under which `value` reads `text` with names in `language`, day before month where both fit.
    """
    fitting_here = [f for f in _CANDIDATES if isinstance(value, datetime) or _fits(value, f)]
    shown = {field: dated_by_pattern(value, field, language) for field in fitting_here}
    # Beside a day, a month may have another form than alone.
    beside: dict[str, str] = {
        f: dated_by_pattern(value, f"{f}d", language).rstrip("0123456789") for f in ("MMMM", "MMM") if f in shown
    }
    names = [said for f, said in (*shown.items(), *beside.items()) if f in ("MMMM", "MMM", "EEEE", "EEE")]
    words = "".join(f"{re.escape(name)}|" for name in sorted(names, key=len, reverse=True))
    runs = re.findall(rf"{words}\d+|[^\W\d_]+|[\W_]+", text)
    if len([r for r in runs if r[0].isalnum()]) > _MOST_RUNS:
        return []
    options: list[list[str]] = []
    for run in runs:
        if not run[0].isalnum():
            options.append([f"'{run}'" if re.search(r"[A-Za-z']", run) else run])
            continue
        fitting = [f for f, said in shown.items() if run in (said, beside.get(f))] + _packed(run, shown)
        if not fitting and run.isalpha():
            # Words between the parts, such as "at", stand for themselves.
            fitting = [f"'{run}'"]
        options.append(fitting)
    found = []
    for parts in itertools.islice(itertools.product(*options), 64):
        fields = re.findall(r"[A-Za-z]+", re.sub(r"'[^']*'", "", "".join(parts)))
        letters = [f[0] for f in fields]
        if fields and len(set(letters)) == len(letters):
            found.append("".join(parts))
    return [p for p in found if not _is_named(p) or dated_by_pattern(value, p, language) == text]


def _is_named(pattern: str) -> bool:
    """
    Whether a pattern has names of months or days.
    """
    return date_pieces(pattern, "de") != (pattern,)


def _fits(value: date | time, field: str) -> bool:
    return (field[0] in "Hhmsa") == isinstance(value, time)


def _packed(run: str, shown: dict[str, str]) -> list[str]:
    """
    Patterns of digits without anything between, such as 20261122.
    """
    packed = (
        ("yyyy", "MM", "dd"),
        ("dd", "MM", "yyyy"),
        ("yy", "MM", "dd"),
        ("yyyy", "MM"),
        ("HH", "mm"),
        ("HH", "mm", "ss"),
    )
    return ["".join(p) for p in packed if all(f in shown for f in p) and "".join(shown[f] for f in p) == run]
