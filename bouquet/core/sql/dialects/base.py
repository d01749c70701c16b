"""
What every database says in its own way. The base says nothing: what a dialect does not define, it cannot do.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Sequence
from dataclasses import replace
from decimal import Decimal
from typing import Any, ClassVar, NoReturn
from zoneinfo import ZoneInfo

import sqlalchemy as sa

from bouquet.core.catalogue import Field, Kind
from bouquet.core.errors import BouquetError
from bouquet.core.formula import Node
from bouquet.core.sql.formulas import ReadReference
from bouquet.core.sql.literals import literal
from bouquet.core.template import Show
from bouquet.core.values import WHITE, Value

__all__ = ["Dialect", "Element", "LacksError"]

Element = sa.ColumnElement[Any]


class LacksError(BouquetError):
    """
    A statement needs what its dialect does not define. `core.plan.capabilities` says so while a template is designed.
    """

    code = "dialect"


class Dialect(ABC):
    """
    How one kind of database says what statements are made of.

    Abstract methods every dialect defines. The others are capabilities; one that lacks some names them in
    `core.plan.capabilities.LACKS`.
    """

    name: ClassVar[str]
    #: SQLAlchemy's dialect, by which statements become text.
    engine_dialect: Any
    #: Whether folds of related records are always joined: without lists, one of many is picked by its place only.
    always_joins: ClassVar[bool] = False
    #: Whether a statement with an offset, in another's place, is carried out apart: what it puts in order stays so.
    keeps_apart: ClassVar[bool] = False
    #: Whether groups are made in a statement inside that of their rows: it miscounts windows beside some aggregates.
    nests_groups: ClassVar[bool] = False
    #: Whether rows can be cut into ranges (`core.sql.ranges`): it knows quantiles, and takes some rows at random.
    cuts: ClassVar[bool] = False

    def render(self, statement: sa.ClauseElement) -> str:
        """
        The statement's text, with every value a literal.
        """
        return str(statement.compile(dialect=self.engine_dialect, compile_kwargs={"literal_binds": True}))

    @abstractmethod
    def literal(self, value: Value, stored: str | None = None) -> Element:
        """
        A value as it is compared with a field that is stored so.
        """

    def among(self, column: Element, values: Sequence[Value], stored: str | None = None) -> Element:
        """
        Whether a column that is stored so is one of some values, which may be very many.
        """
        return column.in_([self.literal(v, stored) for v in values])

    @abstractmethod
    def trimmed(self, text: Element, white: str) -> Element:
        """
        A text without what surrounds it.
        """

    def not_blank(self, text: Element) -> Element:
        """
        Whether a text is more than white space.
        """
        return self.trimmed(text, WHITE) != literal("")

    @abstractmethod
    def lowered(self, text: Element) -> Element:
        """
        A text in lower case.
        """

    @abstractmethod
    def collated(self, text: Element) -> Element:
        """
        A text to be ordered as people order.
        """

    @abstractmethod
    def by_digits(self, text: Element, digits: int) -> Element:
        """
        A code with its runs of digits filled up, so that T-9 comes before T-10.
        """

    @abstractmethod
    def directed(self, value: Element, *, descending: bool, blanks_first: bool, filled: bool) -> list[Element]:
        """
        An order with its blanks first or last; `filled` says that there are none.
        """

    @abstractmethod
    def is_true(self, value: Element) -> Element:
        """
        Whether a yes-no is yes; a blank is not.
        """

    @abstractmethod
    def is_false(self, value: Element) -> Element:
        """
        Whether a yes-no is no; a blank is not.
        """

    @abstractmethod
    def some(self, value: Element) -> Element:
        """
        An aggregate: whether any value is true.
        """

    @abstractmethod
    def every(self, value: Element) -> Element:
        """
        An aggregate: whether all values are true.
        """

    @abstractmethod
    def total(self, value: Element, found: Field) -> Element:
        """
        An aggregate: the exact sum of numbers.
        """

    def outermost(self, value: Element, found: Field, *, greatest: bool) -> Element:
        """
        An aggregate: the least or the greatest of values, numbers as `number` gives them.
        """
        return sa.func.max(value) if greatest else sa.func.min(value)

    @abstractmethod
    def mean(self, value: Element, found: Field, *where: Element | None) -> Element:
        """
        The exact mean of the numbers of records that meet all of `where`, with the digits that PostgreSQL gives one.
        """

    @abstractmethod
    def divided(self, total: Element, count: Element) -> Element:
        """
        The exact quotient, NULL where there is nothing to divide by.
        """

    @abstractmethod
    def local(self, moment: Element, zone: ZoneInfo) -> Element:
        """
        A moment on a zone's wall clock.
        """

    @abstractmethod
    def exact(self, value: Element, found: Field) -> Element:
        """
        A number as an exact decimal. A float goes through the shortest text that reads back as the same number, so
        that no digits are invented.
        """

    @abstractmethod
    def number_text(self, value: Element, found: Field, decimals: int | None, *, even: bool) -> Element:
        """
        An exact number as its text, rounded half away from zero, as people do, or half to even.
        """

    @abstractmethod
    def read_text(self, text: Element, stored: str) -> Element:
        """
        A text as what it says, NULL where it says none.
        """

    @abstractmethod
    def read_as(self, value: Element, how: str) -> Element:
        """
        A column of a type of the database's own as what its field's `stored` says; see `Field.read_as`.
        """

    @abstractmethod
    def paper(self, value: Element, found: Field) -> Element:
        """
        A value on its way out, where the driver needs help.
        """

    def size(self, value: Element) -> Element:
        """
        Bytes that a file has.
        """
        return sa.func.octet_length(value, type_=sa.BigInteger)

    def digest(self, value: Element) -> Element:
        """
        What a file is known again by.
        """
        return sa.func.md5(value, type_=sa.Text)

    @abstractmethod
    def filtered(self, aggregate: Any, *where: Element | None) -> Element:
        """
        An aggregate over the records that meet all of `where`.
        """

    def json_text(self, column: Element, key: str) -> Element:
        """
        What is kept under a key of a JSON column, as text.
        """
        self._lacks("json_text")

    @abstractmethod
    def joined_texts(self, *texts: Element) -> Element:
        """
        Texts one after the other; NULL where one is.
        """

    def scaled(self, value: Element, factor: Decimal, found: Field) -> Element:
        """
        An exact number multiplied.
        """
        self._lacks("scaled")

    @abstractmethod
    def number(self, text: Element, places: int | None = None) -> Element:
        """
        A text of digits as the exact number, of so many digits after the point where that is known.
        """

    def read_column(self, value: Element, found: Field) -> Element:
        """
        A column as its field is read.
        """
        return self.read_as(value, found.read_as)

    def trimmed_number(self, value: Element) -> Element:
        """
        An exact number without needless zeros.
        """
        self._lacks("trimmed_number")

    def step(self, value: Element, unit: str, count: int, kind: Kind, zone: ZoneInfo) -> Element:
        """
        The beginning of the step of time that a value lies in, on the wall clock of `zone`.
        """
        self._lacks("step")

    def series(self, first: Element, last: Element, unit: str, count: int, *, dated: bool, name: str) -> sa.Select[Any]:
        """
        A set of rows, with a column `step`: every step from `first` to `last`, dates where `dated`; of more than
        `MOST_FILLED` no more than one further one. `name` is for what has to have one in the whole statement.
        """
        self._lacks("series")

    def on_the_calendar(self, value: Element, *, dated: bool) -> Element | None:
        """
        Whether a date, or a moment where not `dated`, is one that steps of time come to; None where each is.
        """
        del value, dated
        return None

    def one_of_each(self, statement: sa.Select[Any], keys: list[Element], order: list[Element]) -> sa.Select[Any]:
        """
        The first row, by `order`, of each combination of `keys`.
        """
        self._lacks("one_of_each")

    def listed(self, value: Element, order: Sequence[Element], *where: Element | None) -> Element:
        """
        An aggregate: the values that meet `where` as a list, in order.
        """
        self._lacks("listed")

    def different(self, value: Element, *where: Element | None) -> Element:
        """
        An aggregate: the different values that meet `where` as a list, in their own order.
        """
        self._lacks("different")

    def nth(self, values: Element, n: int, found: Field) -> Element:
        """
        The n-th value of a list, from 1, of a field's kind; NULL where there are fewer.
        """
        self._lacks("nth")

    def different_in_order(self, values: Element, blanks: Element, *, backwards: bool, blanks_first: bool) -> Element:
        """
        The different ones of listed values, each where it first stands; `blanks` says which stand as blanks do.
        """
        self._lacks("different_in_order")

    def listed_text(self, values: Element, separator: str, at_most: int | None) -> Element:
        """
        Listed texts joined in one, the first `at_most` and how many more there are.
        """
        self._lacks("listed_text")

    def joined(self, text: Element, separator: str, order: Sequence[Element], *where: Element | None) -> Element:
        """
        An aggregate: the texts that meet `where` joined in order.
        """
        self._lacks("joined")

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
        An aggregate: the texts that meet `where` joined, the first `at_most` by `order` and how many more there are;
        or the different ones, by themselves.
        """
        listed = self.different(self.collated(text), *where) if distinct else self.listed(text, order, *where)
        return self.listed_text(listed, separator, at_most)

    def shown_number(self, value: Element, found: Field, show: Show) -> Element:
        """
        A number as a column shows it: with its factor, decimals, marks, grouping, prefix and suffix.
        """
        exact = self.exact(value, found)
        if show.factor is not None:
            # What is multiplied has digits of its own.
            exact, found = self.scaled(exact, show.factor, found), replace(found, scale=None)
            if show.decimals is None:
                exact = self.trimmed_number(exact)
        decimals = show.decimals if found.kind is Kind.DECIMAL or show.factor is not None else None
        text = self.number_text(exact, found, decimals, even=show.rounding == "half_even")
        if show.decimals and decimals is None:
            text = self.joined_texts(text, literal("." + "0" * show.decimals))
        mark = show.decimal_mark or "."
        if show.grouping:
            text = self.grouped(text, show.grouping, mark)
        elif mark != ".":
            text = sa.func.replace(text, literal("."), literal(mark))
        if show.signs_money:
            negative = text.like("-%")
            sign = sa.case((negative, literal("-")), else_=literal(""))
            text = sa.case((negative, sa.func.substr(text, 2)), else_=text)
            return self.joined_texts(sign, literal(show.prefix), text, literal(show.suffix))
        if show.prefix or show.suffix:
            text = self.joined_texts(literal(show.prefix), text, literal(show.suffix))
        return text

    def grouped(self, text: Element, grouping: str, mark: str) -> Element:
        """
        Digits with a mark between thousands, and a decimal mark.
        """
        self._lacks("grouped")

    def shown_date(self, value: Element, found: Field, show: Show, zone: ZoneInfo) -> Element:
        """
        A date, moment or time as a column shows it.
        """
        self._lacks("shown_date")

    def formula(self, tree: Node, read: ReadReference, zone: ZoneInfo) -> tuple[Element, Element | None]:
        """
        (value, fault) of a checked formula; see `core.sql.formulas`. Moments are read on the wall clock of `zone`.
        """
        self._lacks("formula")

    def formula_number(self, value: Element, found: Field) -> Element:
        """
        A number as formulas compute with it.
        """
        return self.number(self.exact(value, found))

    def compared_number(self, value: Element) -> Element:
        """
        A number that was computed, as it is ordered and compared.
        """
        return value

    def _lacks(self, what: str) -> NoReturn:
        msg = f"{self.name} cannot say “{what}”."
        raise LacksError(msg)
