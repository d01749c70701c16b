"""
The phrases of formulas in MariaDB, whose numbers have 35 digits before the point and 30 after it at most.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

import sqlalchemy as sa

from bouquet.core.formula.phrases import Phrase, Words, add_words, text_of
from bouquet.core.patterns import parse_date_pattern, parse_number_pattern
from bouquet.core.values import DAY_SAID, WHITE

__all__ = ["LACKED", "LARGEST_NUMBER", "MARIADB_FAULTS", "mariadb_codes"]

Element = sa.ColumnElement[Any]

#: Functions that MariaDB cannot compute.
LACKED = frozenset({"FACT", "PROPER"})

#: Greater numbers have no result: no decimal can hold them.
LARGEST_NUMBER = "1e34"

#: Codes of `strftime` as `DATE_FORMAT` writes them; those that are not here are the same.
_CODES = {
    "%M": "%i", "%S": "%s", "%B": "%M", "%A": "%W", "%-d": "%e", "%-m": "%c", "%-H": "%k", "%-I": "%l", "%I": "%h",
}  # fmt: skip


def mariadb_codes(strftime: str) -> str:
    """
    Codes of `strftime` as `DATE_FORMAT` reads them.
    """
    return re.sub(r"%-?[A-Za-z%]", lambda m: _CODES.get(m.group(0), m.group(0)), strftime)


def _plain(code: str) -> Element:
    return sa.literal_column(code)


def _text(text: str) -> Element:
    return _plain("'" + text.replace("'", "''") + "'")


_WHITE = "[" + re.escape(WHITE).replace("\\ ", " ") + "]"


def _only_white(text: Element) -> Element:
    return text.bool_op("REGEXP")(_text(rf"\A{_WHITE}*\z"))


def _trimmed(text: Element) -> Element:
    return sa.func.regexp_replace(text, _text(rf"\A{_WHITE}+|{_WHITE}+\z"), _text(""))


def _says_day(text: Element) -> Element:
    fits = _trimmed(text).bool_op("REGEXP")(_text(rf"\A{DAY_SAID}\z"))
    day = sa.cast(_trimmed(text), sa.Date)
    return sa.and_(fits, day.is_not(None), day >= sa.cast(_text("0001-01-01"), sa.Date))


def _extreme(name: str) -> Callable[..., Element]:
    """
    The least or greatest of those that are not NULL: GREATEST and LEAST themselves give NULL where one is.
    """

    def made(*numbers: Element) -> Element:
        return getattr(sa.func, name)(*(sa.func.coalesce(*numbers[n:], *numbers[:n]) for n in range(len(numbers))))  # type: ignore[no-any-return]

    return made


def _count(*values: Element) -> Element:
    made: Element = _plain("0")
    for value in values:
        made = made.op("+")(sa.case((value.is_not(None), _plain("1")), else_=_plain("0")))
    return made


def _number_by_pattern(value: Element, pattern: Element) -> Element:
    written = text_of(pattern)
    decimals = parse_number_pattern(written).decimals
    whole, _, _ = written.partition(".")
    rounded = Phrase("fixed", value, _plain(str(decimals)))
    size = Phrase("fixed", sa.func.abs(value), _plain(str(decimals)))
    digits = sa.func.substring_index(size, _text("."), _plain("1"))
    least = whole.count("0")
    filled: Element = sa.case(
        (sa.func.char_length(digits) < _plain(str(least)), sa.func.lpad(digits, _plain(str(least)), _text("0"))),
        else_=digits,
    )
    if whole.startswith("#"):
        filled = sa.func.regexp_replace(filled, _text(r"([0-9])(?=([0-9]{3})+\z)"), _text(r"\1,"))
    rest = sa.func.regexp_replace(size, _text(r"\A[^.]*"), _text(""))
    negative = sa.func.left(rounded, _plain("1")) == _text("-")
    return sa.func.concat(sa.case((negative, _text("-")), else_=_text("")), filled, rest)


def _date_by_pattern(value: Element, pattern: Element) -> Element:
    # A clock without an offset has none to show, as in `to_char`.
    codes = mariadb_codes(parse_date_pattern(text_of(pattern)).strftime).replace("%:z", "+00:00")
    return sa.func.date_format(value, _text(codes))


def _time_by_pattern(value: Element, pattern: Element) -> Element:
    codes = mariadb_codes(parse_date_pattern(text_of(pattern)).strftime).replace("%:z", "+00:00")
    return sa.func.time_format(value, _text(codes))


def _too_large(a: Element, b: Element) -> Element:
    return Phrase("too_large", a, b, type_=sa.Boolean())


#: When functions have no result here that have one elsewhere.
MARIADB_FAULTS: dict[str, Callable[..., Element]] = {"*": _too_large}

_WORDS: dict[str | tuple[str, int], Words] = {
    "unknown": "NULL",
    "number_text": lambda value: Phrase("plain_number", sa.cast(value, sa.Text)),
    # `1.500` → `1.5`, `2.000` → `2`; what has an exponent stays as it is.
    "plain_number": r"REGEXP_REPLACE({0}, '\A(-?[0-9]+)(?:\.0+|(\.[0-9]*[1-9])0+)\z', '\1\2')",
    "date_text": "DATE_FORMAT({0}, '%Y-%m-%d')",
    "moment_text": "DATE_FORMAT({0}, '%Y-%m-%dT%H:%i:%s')",
    "time_text": "TIME_FORMAT({0}, '%H:%i:%s')",
    "number": "CAST({0} AS DECIMAL(65, 30))",
    "double": "({0} + 0e0)",
    "too_large": f"(ABS({{0}} * 1e0 * {{1}}) >= {LARGEST_NUMBER})",
    "times": f"CASE WHEN ABS({{0}} * 1e0 * {{1}}) < {LARGEST_NUMBER} THEN {{0}} * {{1}} END",
    # PostgreSQL shows quotients with sixteen digits or more, in steps of four, at least twelve after the point.
    "divided": lambda a, b: Phrase("quotient", a.op("/", return_type=sa.Numeric())(b)),
    # The same of what is divided once only, and just so: the digits count from the first of four that a quotient can
    # have (`select_div_scale` in PostgreSQL's `numeric.c`).
    "mean_digits": (
        "ROUND({0}, LEAST(30, GREATEST(12, 16 - 4 * (COALESCE(FLOOR(LOG10(ABS({1})) / 4), 0)"
        " - COALESCE(FLOOR(LOG10({2}) / 4), 0) - (COALESCE(FLOOR(ABS({1}) / POW(10000, FLOOR(LOG10(ABS({1})) / 4))), 0)"
        " <= COALESCE(FLOOR({2} / POW(10000, FLOOR(LOG10({2}) / 4))), 0))))))"
    ),
    "quotient": "ROUND({0}, LEAST(30, GREATEST(12, 16 - 4 * COALESCE(FLOOR(LOG10(ABS({0})) / 4), 0))))",
    # Beyond the largest decimal there is no result, and beyond the smallest it is zero; POW itself would stop the run.
    "power": (
        "CASE WHEN {0} = 0 THEN POW(0, {1}) WHEN {1} * LOG10(ABS({0})) < -34 THEN 0"
        " WHEN {1} * LOG10(ABS({0})) < 34 THEN POW({0}, {1}) END"
    ),
    "power_of_ten": "CAST(POW(10, {0}) AS DECIMAL(65, 15))",
    "matches": "({0} REGEXP {1})",
    "trimmed": _trimmed,
    "only_white": _only_white,
    "single_spaced": "TRIM(BOTH ' ' FROM REGEXP_REPLACE({0}, ' +', ' '))",
    "printable": r"REGEXP_REPLACE({0}, '[\x01-\x1f\x7f]', '')",
    "fixed": "REPLACE(FORMAT(ROUND({0}, {1}), {1}, 'en_US'), ',', '')",
    "code_of": "CONV(HEX(CONVERT(LEFT({0}, 1) USING utf32)), 16, 10)",
    "chr": "CONVERT(CHAR({0} USING utf32) USING utf8mb4) COLLATE utf8mb4_nopad_bin",
    "strpos": "LOCATE({1}, {0})",
    "trunc": "TRUNCATE({0}, 0)",
    ("trunc", 2): "TRUNCATE({0}, {1})",
    # A rest of nothing would keep its sign, and not be equal to zero.
    "mod": "(MOD({0}, {1}) + 0)",
    "div": "TRUNCATE({0} / {1}, 0)",
    "log": "LOG10({0})",
    "least": _extreme("least"),
    "greatest": _extreme("greatest"),
    "num_nonnulls": _count,
    "inside_calendar": "({0} IS NOT NULL AND {0} >= '0001-01-01')",
    "says_day": _says_day,
    "day_said": lambda text: sa.cast(_trimmed(text), sa.Date),
    "date_of": (
        "DATE_ADD(DATE_ADD(CAST(CONCAT(LPAD({0}, 4, '0'), '-01-01') AS DATE), INTERVAL ({1} - 1) MONTH),"
        " INTERVAL ({2} - 1) DAY)"
    ),
    "days_later": "DATE_ADD({0}, INTERVAL ({1}) DAY)",
    "days_between": "DATEDIFF({0}, {1})",
    "months_later": "DATE_ADD({0}, INTERVAL ({1}) MONTH)",
    "end_of_month": "LAST_DAY(DATE_ADD({0}, INTERVAL ({1}) MONTH))",
    "moment_later": "DATE_ADD({0}, INTERVAL ROUND({1} * 86400000000) MICROSECOND)",
    "moment_before": "DATE_SUB({0}, INTERVAL ROUND({1} * 86400000000) MICROSECOND)",
    "seconds_between": "(CAST(TIMESTAMPDIFF(MICROSECOND, {1}, {0}) AS DECIMAL(65, 30)) / 1000000)",
    "time_of": "SEC_TO_TIME(CAST({0} AS DECIMAL(20, 6)))",
    **{f"part_{part}": f"{part.upper()}({{0}})" for part in ("year", "month", "day", "hour", "minute", "second")},
    "part_dow": "(DAYOFWEEK({0}) - 1)",
    "part_isodow": "(WEEKDAY({0}) + 1)",
    "part_week": "WEEK({0}, 3)",
    "number_by_pattern": _number_by_pattern,
    "date_by_pattern": _date_by_pattern,
    "time_by_pattern": _time_by_pattern,
}

for _name in ("mysql", "mariadb"):
    add_words(_name, _WORDS)
