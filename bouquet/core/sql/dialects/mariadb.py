"""
MariaDB and MySQL, with the session that `bouquet.sources.alchemy` gives them: UTC, `||` joins texts,
backslashes are letters, and texts compare by their code points.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from datetime import UTC, date, datetime, time
from decimal import Decimal
from typing import Any, ClassVar
from zoneinfo import ZoneInfo

import sqlalchemy as sa
from sqlalchemy.dialects import mysql
from sqlalchemy.sql.elements import Grouping
from sqlalchemy.sql.functions import Function

from bouquet.core.catalogue import Field, Kind
from bouquet.core.formula import MARIADB_FAULTS, F, Literal, Node, Reference, Type
from bouquet.core.formula.words_mariadb import LARGEST_NUMBER
from bouquet.core.sql.dialects.base import Dialect, Element
from bouquet.core.sql.dialects.mariadb_displayed import dated_text
from bouquet.core.sql.dialects.mariadb_elements import Concatenated, OnTheClock, Shifted
from bouquet.core.sql.dialects.standard import PYTHON_TYPES, each_step, first_of_each
from bouquet.core.sql.formulas import ReadReference, compile_formula
from bouquet.core.sql.literals import literal
from bouquet.core.sql.quoting import quote_all
from bouquet.core.template import Show
from bouquet.core.values import DAY_SAID, NO_SAID, NUMBER_SAID, WHITE, WHOLE_SAID, YES_SAID, Value

__all__ = ["Mariadb", "Mysql"]

#: How texts compare: by their code points, white space at the end included.
EXACTLY = "utf8mb4_nopad_bin"

#: Digits after the point that a decimal of MariaDB can have (https://mariadb.com/kb/en/decimal/).
PLACES = 30


def _plain(number: int | str) -> Element:
    return sa.literal_column(str(number))


def _all(where: Sequence[Element | None]) -> Element:
    known = [w for w in where if w is not None]
    return sa.and_(*known) if known else sa.true()


def _in_unicode(text: Element) -> Element:
    return sa.func.convert(text.op("USING")(sa.literal_column("utf8mb4")))


#: A blank in a list: its letter is no hexadecimal digit, so that it reads as no text.
_BLANK = "-G"


class Mariadb(Dialect):
    """
    MariaDB 10.10 and later, which has the collations of Unicode 14.
    """

    name: ClassVar[str] = "mariadb"
    nests_groups: ClassVar[bool] = True
    #: The root of the Unicode collation, accents and case told apart (texts are folded before).
    collation: ClassVar[str] = "utf8mb4_uca1400_nopad_as_cs"
    exactly: ClassVar[str] = EXACTLY

    def __init__(self) -> None:
        self.engine_dialect = mysql.dialect(paramstyle="named")
        quote_all(self.engine_dialect)

    def literal(self, value: Value, stored: str | None = None) -> Element:
        if isinstance(value, bool):
            return _plain(int(value))
        if isinstance(value, int | Decimal):
            return _plain(f"{value:f}" if isinstance(value, Decimal) else value)
        if isinstance(value, datetime):
            utc = value.astimezone(UTC).replace(tzinfo=None) if value.tzinfo else value
            return sa.cast(literal(utc.isoformat(sep=" ")), mysql.DATETIME(fsp=6))
        if isinstance(value, date):
            return sa.cast(literal(value.isoformat()), sa.Date)
        if isinstance(value, time):
            return sa.cast(literal(value.isoformat()), mysql.TIME(fsp=6))
        return literal(value)

    # Texts

    def trimmed(self, text: Element, white: str) -> Element:
        around = "[" + re.escape(white).replace("\\ ", " ") + "]+"
        return sa.func.regexp_replace(text, literal(rf"\A{around}|{around}\z"), literal(""))

    def lowered(self, text: Element) -> Element:
        return sa.func.lower(text)

    def collated(self, text: Element) -> Element:
        return sa.collate(text, self.collation)

    def by_digits(self, text: Element, digits: int) -> Element:
        filled = sa.func.regexp_replace(text, literal(r"([0-9]+)"), literal("0" * digits + r"\1"))
        return sa.func.regexp_replace(filled, literal(rf"[0-9]*([0-9]{{{digits}}})"), literal(r"\1"))

    def joined_texts(self, *texts: Element) -> Element:
        return sa.func.concat(*texts) if len(texts) > 1 else texts[0]

    def json_text(self, column: Element, key: str) -> Element:
        path = '$."' + key.replace("\\", "\\\\").replace('"', '\\"') + '"'
        return self._exactly(sa.func.json_unquote(sa.func.json_extract(column, literal(path))))

    def _exactly(self, text: Element) -> Element:
        return sa.collate(sa.cast(text, sa.Text), self.exactly)

    def read_text(self, text: Element, stored: str) -> Element:
        plain = self.trimmed(text, WHITE)
        if stored == "numeric":
            # Longer ones no decimal can hold.
            pattern = NUMBER_SAID.replace("{1,40}(", "{1,35}(").replace("{1,40}", f"{{1,{PLACES}}}")
            return sa.case((plain.regexp_match(rf"\A{pattern}\z"), self.number(plain)))
        if stored == "integer":
            return sa.case((plain.regexp_match(rf"\A{WHOLE_SAID}\z"), sa.cast(plain, sa.BigInteger)))
        if stored == "boolean":
            word = sa.func.lower(plain)
            yes, no = (word.in_([literal(w) for w in words]) for words in (YES_SAID, NO_SAID))
            return sa.case((yes, _plain(1)), (no, _plain(0)))
        if stored == "date":
            day = sa.cast(plain, sa.Date)
            first = sa.cast(literal("0001-01-01"), sa.Date)
            return sa.case((sa.and_(plain.regexp_match(rf"\A{DAY_SAID}\z"), day >= first), day))
        return text

    def read_as(self, value: Element, how: str) -> Element:
        if how == "bits":
            return sa.type_coerce(value, sa.BigInteger()).op("+")(_plain(0))
        if how == "shape":
            return self._exactly(sa.func.st_astext(value))
        if how == "exactly":
            return sa.collate(_in_unicode(value), self.exactly)
        return self._exactly(value) if how == "text" else value

    def read_column(self, value: Element, found: Field) -> Element:
        # Every column compares in a way of its own.
        how = "exactly" if found.stored == "text" and not found.read_as else found.read_as
        return self.read_as(value, how)

    # Order and truth

    def directed(self, value: Element, *, descending: bool, blanks_first: bool, filled: bool) -> list[Element]:
        directed = value.desc() if descending else value.asc()
        # NULL is the least of all values here.
        if filled or descending != blanks_first:
            return [directed]
        nothing = value.is_(None)
        return [nothing.desc() if blanks_first else nothing.asc(), directed]

    def is_true(self, value: Element) -> Element:
        return value.is_(sa.true())

    def is_false(self, value: Element) -> Element:
        return value.is_(sa.false())

    def some(self, value: Element) -> Element:
        return sa.func.max(value)

    def every(self, value: Element) -> Element:
        return sa.func.min(value)

    def filtered(self, aggregate: Any, *where: Element | None) -> Element:
        """
        There is no FILTER: what does not meet the conditions becomes NULL, which aggregates pass over.
        """
        known = [w for w in where if w is not None]
        if not known:
            return aggregate  # type: ignore[no-any-return]
        met = sa.and_(*known)
        given = list(aggregate.clauses)
        first = given[0] if given else None
        if isinstance(first, sa.UnaryExpression) and aggregate.name == "count":
            return sa.func.count(sa.distinct(sa.case((met, first.element))))
        if first is None or (isinstance(first, sa.ColumnClause) and first.name == "*"):
            return sa.func.count(sa.case((met, _plain(1))))
        inner = (sa.case((met, first)), *given[1:])
        if type(aggregate) is Function:
            return Function(aggregate.name, *inner, type_=aggregate.type)
        return type(aggregate)(*inner)  # type: ignore[no-any-return]

    # Numbers

    def total(self, value: Element, found: Field) -> Element:
        return sa.func.sum(sa.cast(value, sa.Numeric(65, PLACES)) if found.stored == "float" else value)

    def mean(self, value: Element, found: Field, *where: Element | None) -> Element:
        # The mean that MariaDB makes has four digits more than its numbers have, which is fewer than we show.
        return self.divided(
            self.filtered(self.total(value, found), *where), self.filtered(sa.func.count(value), *where)
        )

    def divided(self, total: Element, count: Element) -> Element:
        wide = sa.cast(total, sa.Numeric(65, PLACES - 4))
        made = wide.op("/", return_type=sa.Numeric())(sa.func.nullif(count, _plain(0)))
        return F.mean_digits(made, total, count, type_=sa.Numeric())

    def exact(self, value: Element, found: Field) -> Element:
        """
        A decimal as it is. A float by its shortest digits, and as a text with an exponent where no decimal can hold it.
        """
        if found.stored != "float":
            return value
        size = sa.func.abs(value)
        fits = sa.or_(size == _plain(0), sa.and_(size < sa.literal_column("1e34"), size > sa.literal_column("1e-13")))
        return sa.case((fits, sa.cast(value, sa.Numeric(65, PLACES))), else_=sa.cast(value, sa.Text))

    def number(self, text: Element, places: int | None = None) -> Element:
        return sa.cast(text, sa.Numeric(65, PLACES if places is None else places))

    def number_text(self, value: Element, found: Field, decimals: int | None, *, even: bool) -> Element:
        if decimals is None:
            text: Element = sa.cast(value, sa.Text)
            if found.stored == "float" or (found.scale is None and found.stored == "numeric"):
                text = self.trimmed_number(value)
            return text
        places = _plain(decimals)
        if even:
            scale = _plain("1" + "0" * decimals)
            shifted = value.op("*")(scale)
            half = sa.func.abs(shifted.op("-")(sa.func.truncate(shifted, _plain(0)))) == sa.literal_column("0.5")
            to_even = sa.func.round(shifted.op("/")(_plain(2)), _plain(0)).op("*")(_plain(2)).op("/")(scale)
            value = sa.case((half, to_even), else_=value)
        text = sa.cast(sa.cast(sa.func.round(value, places), sa.Numeric(65, decimals)), sa.Text)
        if found.stored == "float":
            plain = sa.cast(value, sa.Text)
            text = sa.case((plain.contains("e"), plain), else_=text)
        return text

    def trimmed_number(self, value: Element) -> Element:
        return F.number_text(value)

    def scaled(self, value: Element, factor: Decimal, found: Field) -> Element:
        if found.stored == "integer":
            # Whole numbers times a whole number would have to fit into 64 bits.
            value = sa.cast(value, sa.Numeric(65, 0))
        return value.op("*")(self.literal(factor))

    # Moments

    def local(self, moment: Element, zone: ZoneInfo) -> Element:
        return moment if zone.key == "UTC" else OnTheClock(moment, zone.key)

    def step(self, value: Element, unit: str, count: int, kind: Kind, zone: ZoneInfo) -> Element:
        local = self.local(value, zone) if kind is Kind.MOMENT else value
        if unit in ("minute", "hour"):
            minutes: Element = sa.func.minute(local)
            if unit == "minute":
                minutes = minutes.op("%")(_plain(count))
            seconds = minutes.op("*")(_plain(60)).op("+")(sa.func.second(local))
            whole = sa.cast(sa.func.date_format(value, literal("%Y-%m-%d %H:%i:%s")), sa.DateTime)
            return Shifted(whole, "-", seconds, "SECOND")
        day = sa.cast(local, sa.Date)
        if unit == "day":
            return day
        if unit == "week":
            return Shifted(day, "-", sa.func.weekday(day), "DAY", sa.Date())
        if unit == "month":
            return Shifted(day, "-", sa.func.dayofmonth(day).op("-")(_plain(1)), "DAY", sa.Date())
        first = Shifted(day, "-", sa.func.dayofyear(day).op("-")(_plain(1)), "DAY", sa.Date())
        if unit == "year":
            return first
        months = Grouping(sa.func.quarter(day).op("-")(_plain(1))).op("*")(_plain(3))
        return Shifted(first, "+", months, "MONTH", sa.Date())

    def series(self, first: Element, last: Element, unit: str, count: int, *, dated: bool, name: str) -> sa.Select[Any]:
        kind: Any = sa.Date() if dated else sa.DateTime()
        length = _plain(count * (3 if unit == "quarter" else 1))
        step_unit = "MONTH" if unit == "quarter" else unit.upper()
        return each_step(name, first, last, lambda step: Shifted(step, "+", length, step_unit, kind))

    # Formulas

    def formula(self, tree: Node, read: ReadReference, zone: ZoneInfo) -> tuple[Element, Element | None]:
        value, fault = compile_formula(tree, read, self.literal, MARIADB_FAULTS)
        if tree.type is not Type.NUMBER or isinstance(tree, Literal | Reference):
            return value, fault
        # Beyond its largest number a decimal stays there.
        fits = sa.func.abs(value) < sa.literal_column(LARGEST_NUMBER)
        beyond = sa.func.coalesce(sa.not_(fits), sa.false())
        return self.number(sa.case((fits, value))), beyond if fault is None else sa.or_(fault, beyond)

    def formula_number(self, value: Element, found: Field) -> Element:
        if found.stored == "float":
            value = sa.case((sa.func.abs(value) < sa.literal_column(LARGEST_NUMBER), value))
        return self.number(value)

    # Many records as one value

    def joined(self, text: Element, separator: str, order: Sequence[Element], *where: Element | None) -> Element:
        return Concatenated(sa.case((_all(where), text)), separator, order, None, distinct=False)

    def listed(self, value: Element, order: Sequence[Element], *where: Element | None) -> Element:
        """
        The values in hexadecimal digits, one after the other. `JSON_ARRAYAGG` takes no heed of its order in a query of
        its own for each record, and gives texts in another encoding there.
        """
        digits = sa.func.hex(sa.cast(value, sa.Text))
        coded = sa.func.coalesce(sa.func.concat(literal("="), digits), literal(_BLANK))
        return Concatenated(sa.case((_all(where), coded)), ",", order, None, distinct=False)

    def joined_some(
        self,
        text: Element,
        separator: str,
        order: Sequence[Element],
        at_most: int | None,
        *where: Element | None,
        distinct: bool,
    ) -> Element:
        """
        `GROUP_CONCAT(… LIMIT n)`, which MariaDB has. A list in JSON will not do: `JSON_TABLE` reads that of another
        group where groups are found along an index.
        """
        made = sa.case((_all(where), text))
        order = [self.collated(made), made] if distinct else order
        most = _plain(at_most) if at_most is not None else None
        joined = Concatenated(made, separator, order, most, distinct=distinct)
        if at_most is None:
            return joined
        counted = sa.distinct(made) if distinct else made
        more: Element = sa.func.count(counted).op("-")(_plain(at_most))
        said = sa.func.concat(literal(separator), literal("+"), more, literal(" more"))
        return sa.func.concat(joined, sa.case((more > _plain(0), said), else_=literal("")))

    def nth(self, values: Element, n: int, found: Field) -> Element:
        # Past the last one there is a blank.
        filled = sa.func.concat(values, sa.func.repeat(literal(f",{_BLANK}"), _plain(n)))
        first = sa.func.substring_index(filled, literal(","), _plain(n))
        coded = sa.func.substring_index(first, literal(","), _plain(-1))
        text = _in_unicode(sa.func.unhex(sa.func.substr(coded, _plain(2))))
        if found.stored == "numeric":
            return self.number(text, found.scale)
        if found.stored == "text":
            return self._exactly(text)
        kind: Any = {
            "integer": sa.BigInteger(),
            "boolean": sa.BigInteger(),
            "date": sa.Date(),
            "timestamp": mysql.DATETIME(fsp=6),
            "timestamptz": mysql.DATETIME(fsp=6),
            "time": mysql.TIME(fsp=6),
        }.get(found.stored, sa.Text())
        return sa.cast(text, kind)

    def grouped(self, text: Element, grouping: str, mark: str) -> Element:
        whole = sa.func.substring_index(text, literal("."), sa.literal_column("1"))
        marked = sa.func.regexp_replace(whole, literal(r"([0-9])(?=([0-9]{3})+\z)"), literal("\\1" + grouping))
        rest = sa.func.regexp_replace(text, literal(r"\A[^.]*"), literal(""))
        return self.joined_texts(marked, sa.func.replace(rest, literal("."), literal(mark)))

    def shown_date(self, value: Element, found: Field, show: Show, zone: ZoneInfo) -> Element:
        return dated_text(value, found, show, self, zone)

    def one_of_each(self, statement: sa.Select[Any], keys: list[Element], order: list[Element]) -> sa.Select[Any]:
        return first_of_each(statement, keys, order)

    def paper(self, value: Element, found: Field) -> Element:
        kind = PYTHON_TYPES.get(found.stored, sa.Text())
        return sa.type_coerce(sa.cast(value, sa.Text) if found.stored == "other" else value, kind)


class Mysql(Mariadb):
    """
    MySQL 8: the same but for the names of its collations.
    """

    name: ClassVar[str] = "mysql"
    always_joins: ClassVar[bool] = True
    collation: ClassVar[str] = "utf8mb4_0900_as_cs"
    exactly: ClassVar[str] = "utf8mb4_0900_bin"
