"""
The rhythm of a round as a document: what people say, checked at the door.
"""

from __future__ import annotations

from datetime import date, time, timedelta
from typing import Annotated, Any, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from bouquet.core.errors import DocumentError, Problem
from bouquet.core.language import tr
from bouquet.core.recurrence.rules import RuleError, rule_days
from bouquet.core.refusals import said_of

__all__ = ["ANCHOR", "Nth", "RhythmDocument", "read_rhythm"]

#: The Monday from which "every second week" and the like are counted where nothing else is said.
ANCHOR = date(2024, 1, 1)

#: Years after its start in which a rule must come to something, or it never will.
YEARS = 30

Clock = Annotated[str, Field(pattern=r"^([01]\d|2[0-3]):[0-5]\d$")]
Weekday = Annotated[int, Field(ge=0, le=6)]


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class Nth(_Part):
    """
    The nth such weekday of a month; -1 is the last. 0 is Monday.
    """

    n: Literal[1, 2, 3, 4, 5, -1]
    weekday: Weekday


class Often(_Part):
    """
    Every so many minutes between two times of a day, both included.
    """

    minutes: int = Field(ge=5, le=720)
    first: Clock = "00:00"
    last: Clock = "23:59"

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.last < self.first:
            msg = tr("The last time of day is before the first.")
            raise ValueError(msg)
        return self


class RhythmDocument(_Part):
    """
    Days, and times on these days.

    `every` says which days: each `day`; each `working_day`; on `weekdays` of every `interval`th `week`; of every
    `interval`th `month` the `month_days` (-1 is the last), the `nth` weekdays or the `nth_working_day`s (-1 is the
    last); each `year` in `months` on the same; listed `dates`; or the days of a recurrence `rule` (RFC 5545).
    `times` are times of day, or `often` says how often between two times. `day_off` says what becomes of a day on which
    the house does not work.
    """

    every: Literal["day", "working_day", "week", "month", "year", "dates", "rule"] = "day"
    interval: int = Field(1, ge=1, le=60)
    weekdays: tuple[Weekday, ...] = Field((), max_length=7)
    month_days: tuple[Annotated[int, Field(ge=-31, le=31)], ...] = Field((), max_length=31)
    nth: tuple[Nth, ...] = Field((), max_length=35)
    nth_working_day: tuple[Annotated[int, Field(ge=-23, le=23)], ...] = Field((), max_length=23)
    months: tuple[Annotated[int, Field(ge=1, le=12)], ...] = Field((), max_length=12)
    dates: tuple[date, ...] = Field((), max_length=1_000)
    rule: str = Field("", max_length=500)
    times: tuple[Clock, ...] = Field((), max_length=48)
    often: Often | None = None
    day_off: Literal["run", "leave_out", "next", "previous"] = "run"
    start: date = Field(ANCHOR, ge=date(2000, 1, 1), le=date(2100, 1, 1))

    @model_validator(mode="after")
    def _sound(self) -> Self:
        problem = self._problem()
        if problem:
            raise ValueError(problem)
        return self

    def _problem(self) -> str | None:
        if bool(self.times) == (self.often is not None):
            return tr("Say at which times of day, or how often between two times.")
        if self.every == "week" and not self.weekdays:
            return tr("Choose at least one day of the week.")
        if self.every in ("month", "year"):
            if not (self.month_days or self.nth or self.nth_working_day):
                return tr("Say which days of the month.")
            if 0 in self.month_days or 0 in self.nth_working_day:
                return tr("There is no day 0 of a month.")
        if self.every == "year" and not self.months:
            return tr("Say in which months.")
        if self.every == "dates" and not self.dates:
            return tr("List at least one date.")
        return self._rule_problem() if self.every == "rule" else None

    def _rule_problem(self) -> str | None:
        try:
            within = rule_days(self.rule, self.start, self.start, self.start + timedelta(days=366 * YEARS))
        except RuleError as error:
            return str(error)
        return tr("This rule never comes to a day.") if next(within, None) is None else None

    def clock_times(self) -> list[time]:
        """
        The times of a day, in order, each once.
        """
        if self.often is None:
            return sorted({time.fromisoformat(t) for t in self.times})
        first, last = (_minutes(t) for t in (self.often.first, self.often.last))
        return [time(m // 60, m % 60) for m in range(first, last + 1, self.often.minutes)]


def read_rhythm(document: Any) -> RhythmDocument:
    """
    Read a rhythm. Raises DocumentError with every problem, at its place.
    """
    try:
        return RhythmDocument.model_validate(document)
    except ValidationError as error:
        problems = [
            Problem(
                code="rhythm",
                message=said_of(e),
                place=".".join(str(s) for s in ("rhythm", *e["loc"])),
            )
            for e in error.errors()
        ]
        raise DocumentError(problems) from error


def _minutes(text: str) -> int:
    return int(text[:2]) * 60 + int(text[3:])
