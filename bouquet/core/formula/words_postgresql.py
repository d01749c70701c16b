"""
The phrases of formulas in PostgreSQL.
"""

from __future__ import annotations

from typing import Any

import sqlalchemy as sa
from sqlalchemy.dialects import postgresql

from bouquet.core.formula.phrases import add_words, text_of
from bouquet.core.patterns import parse_date_pattern, parse_number_pattern
from bouquet.core.values import DAY_SAID, WHITE

Element = sa.ColumnElement[Any]


def _plain(code: str) -> Element:
    return sa.literal_column(code)


def _text(text: str) -> Element:
    return _plain("'" + text.replace("'", "''") + "'")


def _interval(text: str) -> Element:
    return sa.cast(_text(text), postgresql.INTERVAL())


def _trimmed(text: Element) -> Element:
    return sa.func.btrim(text, _text(WHITE))


def _day_parts(text: Element) -> tuple[Element, Element, Element]:
    plain = _trimmed(text)
    year, month, day = (
        sa.cast(sa.func.substr(plain, _plain(a), _plain(b)), sa.Integer)
        for a, b in (("1", "4"), ("6", "2"), ("9", "2"))
    )
    return year, month, day


def _says_day(text: Element) -> Element:
    year, month, day = _day_parts(text)
    first = sa.func.make_date(sa.func.greatest(year, _plain("1")), month, _plain("1"))
    days = sa.extract("day", first.op("+")(_interval("1 month")).op("-")(_interval("1 day")))
    inside = sa.and_(year > _plain("0"), days >= day)
    return sa.case((_trimmed(text).bool_op("~")(_text(f"^{DAY_SAID}$")), inside), else_=sa.false())


def _number_by_pattern(value: Element, pattern: Element) -> Element:
    shown = parse_number_pattern(text_of(pattern))
    return sa.func.to_char(sa.func.round(value, _plain(str(shown.decimals))), _text(shown.to_char))


def _date_by_pattern(value: Element, pattern: Element) -> Element:
    return sa.func.to_char(value, _text(parse_date_pattern(text_of(pattern)).to_char))


add_words(
    "postgresql",
    {
        "unknown": "CAST(NULL AS BOOLEAN)",
        "number_text": "CAST(trim_scale({0}) AS TEXT)",
        "date_text": "to_char({0}, 'YYYY-MM-DD')",
        "moment_text": """to_char({0}, 'YYYY-MM-DD"T"HH24:MI:SS')""",
        "time_text": "CAST({0} AS TEXT)",
        "number": "CAST({0} AS NUMERIC)",
        "double": "CAST({0} AS DOUBLE PRECISION)",
        "times": "({0} * {1})",
        # A quotient has sixteen digits, or as many after the point as what is divided: all that a column may show.
        "divided": "(({0} + 0.000000000000) / {1})",
        "power_of_ten": "power(10.0, {0})",
        "matches": "({0} ~ {1})",
        "trimmed": _trimmed,
        "only_white": lambda text: _trimmed(text) == _text(""),
        "single_spaced": "btrim(regexp_replace({0}, ' +', ' ', 'g'), ' ')",
        "printable": r"regexp_replace({0}, '[\x01-\x1f\x7f]', '', 'g')",
        "fixed": "CAST(round({0}, {1}) AS TEXT)",
        "code_of": "ascii({0})",
        "inside_calendar": "({0} >= CAST('0001-01-01' AS DATE) AND {0} < CAST('10000-01-01' AS DATE))",
        "says_day": _says_day,
        "day_said": lambda text: sa.func.make_date(*_day_parts(text)),
        "date_of": "(CAST((make_date({0}, 1, 1) + make_interval(0, {1} - 1)) AS DATE) + ({2} - 1))",
        "days_later": "({0} + {1})",
        "days_between": "({0} - {1})",
        "months_later": "CAST(({0} + make_interval(0, {1})) AS DATE)",
        "end_of_month": (
            "CAST((date_trunc('month', {0} + make_interval(0, {1})) + CAST('1 month - 1 day' AS INTERVAL)) AS DATE)"
        ),
        "moment_later": "({0} + CAST('1 day' AS INTERVAL) * CAST({1} AS FLOAT))",
        "moment_before": "({0} - CAST('1 day' AS INTERVAL) * CAST({1} AS FLOAT))",
        "seconds_between": "CAST(extract(epoch from ({0} - {1})) AS NUMERIC)",
        "time_of": "CAST((CAST('1 second' AS INTERVAL) * CAST({0} AS FLOAT)) AS TIME)",
        **{
            f"part_{part}": f"extract({part} from {{0}})"
            for part in ("year", "month", "day", "hour", "minute", "second", "dow", "isodow", "week")
        },
        "number_by_pattern": _number_by_pattern,
        "date_by_pattern": _date_by_pattern,
        "time_by_pattern": lambda value, pattern: _date_by_pattern(sa.cast(value, postgresql.INTERVAL()), pattern),
    },
)
