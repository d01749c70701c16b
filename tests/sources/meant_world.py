"""
A small world of records in memory, and what narrows them.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from typing import Any
from zoneinfo import ZoneInfo

__all__ = ["Narrowed", "Record", "Row", "World", "compared", "is_blank"]

Record = dict[str, Any]
Row = dict[str, Record | None]


def is_blank(value: Any) -> bool:
    """NULL, or a text of white space only."""
    return value is None or (isinstance(value, str) and not value.strip())


def compared(left: Sequence[tuple[Any, bool, bool]], right: Sequence[tuple[Any, bool, bool]]) -> int:
    for (a, down, blanks_first), (b, _, _) in zip(left, right, strict=True):
        if a == b:
            continue
        if a is None or b is None:
            return 1 if (a is None) != blanks_first else -1
        return 1 if (a > b) != down else -1
    return 0


@dataclass
class World:
    """
    Tables by name, as records with an `id`; what leads from one to another, and what is known of fields.

    Args:
        to_one: By table and relation: (the column here, the table there).
        to_many: By table and relation: (the table there, its column that leads back).
        choices: By column: (code, label) in the catalogue's order.
    """

    tables: dict[str, list[Record]]
    to_one: dict[str, dict[str, tuple[str, str]]]
    to_many: dict[str, dict[str, tuple[str, str]]]
    choices: dict[str, list[tuple[str, str]]]
    known: dict[str, dict[Any, Record]] = field(init=False)

    def __post_init__(self) -> None:
        self.known = {name: {r["id"]: r for r in rows} for name, rows in self.tables.items()}

    def one(self, table: str, record: Record | None, path: str) -> tuple[str, Record | None, str]:
        """(table, record, column) at the end of a path through relations to one."""
        *way, last = path.split(".")
        for name in way:
            column, target = self.to_one[table][name]
            record = self.known[target].get(record[column]) if record is not None else None
            table = target
        return table, record, last

    def many(self, table: str, record: Record | None, path: Sequence[str]) -> tuple[str, list[Record]]:
        """The records at the end of relations to many, and to one; and their table."""
        found = [] if record is None else [record]
        for name in path:
            if name in self.to_many.get(table, {}):
                target, back = self.to_many[table][name]
                ids = {r["id"] for r in found}
                found = [r for r in self.tables[target] if r[back] in ids]
            else:
                column, target = self.to_one[table][name]
                met = (self.known[target].get(r[column]) for r in found)
                found = [r for r in met if r is not None]
            table = target
        return table, found


class Narrowed:
    """
    Which records of a world pass the narrowings of one document.
    """

    def __init__(self, world: World, document: Mapping[str, Any], as_of: datetime) -> None:
        self.world, self.document, self.as_of = world, document, as_of
        self.zone = ZoneInfo(document.get("zone", "Europe/London"))
        self.table: str = document["records"]

    # Narrowings

    def value(self, table: str, record: Record | None, path: str) -> Any:
        _, found, column = self.world.one(table, record, path)
        return found[column] if found is not None else None

    def holds(self, part: Mapping[str, Any], table: str, record: Record | None) -> bool:
        if "all" in part:
            return all(self.holds(p, table, record) for p in part["all"])
        if "any" in part:
            return not part["any"] or any(self.holds(p, table, record) for p in part["any"])
        if "none" in part:
            return not any(self.holds(p, table, record) for p in part["none"])
        if "has" in part:
            target, found = self.world.many(table, record, part["path"].split("."))
            number = sum(self.holds(part.get("where", {"all": []}), target, r) for r in found)
            return {"any": number > 0, "none": number == 0, "at_least": number >= part.get("count", 1)}[part["has"]]
        return self.compares(part, self.value(table, record, part["path"]))

    def compares(self, part: Mapping[str, Any], value: Any) -> bool:
        how = part["is"]
        if how in ("blank", "not_blank"):
            return is_blank(value) == (how == "blank")
        if how in ("is_not", "none_of", "not_contains"):
            return not self.compares({**part, "is": {"is_not": "is", "none_of": "one_of"}.get(how, "contains")}, value)
        if how == "in_window" and part["window"]["type"] == "all_time":
            return True
        if value is None:
            return False
        if how in ("yes", "no"):
            return bool(value == (how == "yes"))
        if how == "in_window":
            return self.in_window(part["window"], value)
        if isinstance(value, datetime) and how != "one_of":
            days = part["values"] if how == "between" else [part["value"]]
            if all(re.fullmatch(r"\d{4}-\d\d-\d\d", d) for d in days):
                # A day named where moments are compared is the whole day.
                value = value.astimezone(self.zone).date() if value.tzinfo else value.date()
        if how == "one_of":
            return any(self.compares({**part, "is": "is", "value": v}, value) for v in part["values"])
        if how == "between":
            return self.like(part["values"][0], value) <= value <= self.like(part["values"][1], value)
        typed = self.like(part["value"], value)
        if isinstance(value, str) and not part.get("exact"):
            value, typed = value.strip().lower(), typed.strip().lower()
        if how == "matches":
            pattern = re.escape(typed).replace(r"\*", ".*").replace(r"\?", ".")
            return re.fullmatch(pattern, value, re.DOTALL) is not None
        return {
            "is": lambda: value == typed,
            "contains": lambda: typed in value,
            "starts_with": lambda: value.startswith(typed),
            "ends_with": lambda: value.endswith(typed),
            "less_than": lambda: value < typed,
            "before": lambda: value < typed,
            "at_most": lambda: value <= typed,
            "greater_than": lambda: value > typed,
            "after": lambda: value > typed,
            "at_least": lambda: value >= typed,
        }[how]()

    def like(self, typed: Any, value: Any) -> Any:
        """What was typed, as a value of the same kind."""
        if isinstance(value, bool | str):
            return typed
        if isinstance(value, datetime):
            read = datetime.fromisoformat(str(typed))
            return read.replace(tzinfo=read.tzinfo or self.zone) if value.tzinfo else read
        if isinstance(value, date):
            return date.fromisoformat(str(typed))
        if isinstance(value, time):
            return time.fromisoformat(str(typed))
        return Decimal(str(typed))

    def in_window(self, window: Mapping[str, Any], value: Any) -> bool:
        first, end = self.days(window)
        if isinstance(value, datetime):
            value = value.astimezone(self.zone).date() if value.tzinfo else value.date()
        return (first is None or value >= first) and (end is None or value < end)

    def days(self, window: Mapping[str, Any]) -> tuple[date | None, date | None]:
        """The first day, and the day after the last."""
        today = self.as_of.astimezone(self.zone).date()
        kind, unit, n = window["type"], window.get("unit", "day"), window.get("count", 1)
        if kind == "between":
            return date.fromisoformat(window["first"]), date.fromisoformat(window["last"]) + timedelta(days=1)
        if kind == "all_time":
            return None, None
        begins = self.begin(unit, today)
        if kind == "to_date":
            return begins, today + timedelta(days=1)
        if kind == "this":
            return begins, self.later(unit, begins, 1)
        if kind == "previous":
            return self.later(unit, begins, -n), self.later(unit, begins, 1 - n)
        if kind == "last":
            current = bool(window.get("with_current"))
            return self.later(unit, begins, current - n), self.later(unit, begins, int(current))
        msg = kind
        raise ValueError(msg)

    @staticmethod
    def begin(unit: str, day: date) -> date:
        if unit == "week":
            return day - timedelta(days=day.isoweekday() - 1)
        if unit == "day":
            return day
        month = {"month": day.month, "quarter": (day.month - 1) // 3 * 3 + 1, "year": 1}[unit]
        return date(day.year, month, 1)

    @staticmethod
    def later(unit: str, day: date, n: int) -> date:
        if unit in ("day", "week"):
            return day + timedelta(days=n * (7 if unit == "week" else 1))
        months = day.year * 12 + day.month - 1 + n * {"month": 1, "quarter": 3, "year": 12}[unit]
        return date(months // 12, months % 12 + 1, 1)
