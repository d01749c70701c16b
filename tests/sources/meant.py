"""
What a template means (semantics), worked out in plain Python over records in memory: nothing of Bouquet's is used.

It is slow, knows one small world, and is written from the description of templates and not from the code that it
judges.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, time, timedelta
from decimal import ROUND_HALF_EVEN, ROUND_HALF_UP, Decimal
from functools import cmp_to_key, partial
from typing import Any
from zoneinfo import ZoneInfo

__all__ = ["Meant", "World", "is_blank"]

Record = dict[str, Any]
Row = dict[str, Record | None]


def is_blank(value: Any) -> bool:
    """NULL, or a text of white space only."""
    return value is None or (isinstance(value, str) and not value.strip())


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


class Meant:
    """
    The rows of one document over a world.
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

    # Rows

    def sides(self) -> tuple[list[Any], list[Any]]:
        """Narrowings of records, and of children."""
        parts = self.document.get("filter", {"all": []})["all"]
        rows = self.document.get("rows", {"per": "record"})
        if rows["per"] != "child":
            return list(parts), []
        opened = rows["path"].split(".")[0]
        mine = [p for p in parts if not self.speaks_of(p, opened)]
        return mine, [p for p in parts if p not in mine]

    def speaks_of(self, part: Mapping[str, Any], opened: str) -> bool:
        for how in ("all", "any", "none"):
            if how in part:
                return any(self.speaks_of(p, opened) for p in part[how])
        return part["path"].startswith(opened + ".") and ("has" not in part or self.has_of_child(part))

    def has_of_child(self, part: Mapping[str, Any]) -> bool:
        """Whether what a record is to have is had by a child that rows are made of."""
        return str(part["path"]).startswith(self.document["rows"]["path"] + ".")

    def records(self) -> list[Record]:
        parents, _ = self.sides()
        return [r for r in self.world.tables[self.table] if all(self.holds(p, self.table, r) for p in parents)]

    def rows(self) -> list[Row]:
        """The rows in their order, each as the records that its paths begin at: by relations opened, "" for its own."""
        rows = self.document.get("rows", {"per": "record"})
        if rows["per"] == "record":
            made: list[Row] = [{"": r} for r in self.records()]
        else:
            made = []
            opened = rows["path"].split(".")
            _, narrows = self.sides()
            for record in self.records():
                children = self.chains(record, opened)
                passing = [c for c in children if all(self.holds_in(p, c) for p in narrows)]
                if not passing and rows.get("parents_without") == "keep":
                    passing = [{"": record, **{".".join(opened[: n + 1]): None for n in range(len(opened))}}]
                made += passing
        return self.ordered(made)

    def chains(self, record: Record, opened: Sequence[str]) -> list[Row]:
        made: list[tuple[str, Row]] = [(self.table, {"": record})]
        for n in range(len(opened)):
            before, here, following = ".".join(opened[:n]), ".".join(opened[: n + 1]), []
            for table, row in made:
                target, found = self.world.many(table, row[before], [opened[n]])
                following += [(target, {**row, here: r}) for r in found]
            made = following
        return [row for _, row in made]

    def at(self, row: Row, path: str) -> tuple[str, Record | None, str]:
        """Where in a row a path begins: (table, record, the rest of the path)."""
        for opened in sorted(row, key=len, reverse=True):
            if opened and path.startswith(opened + "."):
                return self.table_of(opened), row[opened], path[len(opened) + 1 :]
        return self.table, row[""], path

    def folds_at(self, row: Row, path: str) -> tuple[str, Record | None, str]:
        """The same for a fold, which must meet many: of the child that the row is, else of the record."""
        for opened in dict.fromkeys((max(row, key=len), "")):
            rest = path[len(opened) + 1 :] if opened else path
            if (not opened or path.startswith(opened + ".")) and self.meets_many(self.table_of(opened), rest):
                return self.table_of(opened), row[opened], rest
        raise ValueError(path)

    def meets_many(self, table: str, path: str) -> bool:
        for name in path.split("."):
            if name in self.world.to_many.get(table, {}):
                return True
            if name not in self.world.to_one.get(table, {}):
                return False
            table = self.world.to_one[table][name][1]
        return False

    def table_of(self, opened: str) -> str:
        table = self.table
        for name in opened.split(".") if opened else ():
            table = self.world.to_many[table][name][0]
        return table

    def read(self, row: Row, path: str) -> Any:
        table, record, rest = self.at(row, path)
        return self.value(table, record, rest)

    def holds_in(self, part: Mapping[str, Any], row: Row) -> bool:
        for how, combine in (("all", all), ("any", any)):
            if how in part:
                return not part[how] or combine(self.holds_in(p, row) for p in part[how])
        if "none" in part:
            return not any(self.holds_in(p, row) for p in part["none"])
        if "has" in part:
            opened = self.document["rows"]["path"] if self.has_of_child(part) else ""
            path = part["path"][len(opened) + 1 :] if opened else part["path"]
            return self.holds({**part, "path": path}, self.table_of(opened), row[opened])
        return self.compares(part, self.read(row, part["path"]))

    # Order

    def ordered(self, rows: list[Row]) -> list[Row]:
        columns = {c["id"]: c["value"] for c in self.document["columns"]}
        levels = [
            (columns[o["column"]] if "column" in o else {"field": o["path"]}, o) for o in self.document.get("order", [])
        ]
        last = max((k for k in rows[0]), key=len) if rows else ""

        def keys(row: Row) -> list[tuple[Any, bool, bool]]:
            found = []
            for value, level in levels:
                key = self.sorts(self.cell(row, value), value)
                found.append((key, level.get("direction") == "descending", level.get("blanks") == "first"))
            for one in ("", last):
                record = row[one]
                found.append((record["id"] if record else None, False, False))
            return found

        return sorted(rows, key=cmp_to_key(lambda a, b: compared(keys(a), keys(b))))

    def sorts(self, value: Any, of: Mapping[str, Any]) -> Any:
        if is_blank(value):
            return None
        column = of["field"].rsplit(".", 1)[-1] if "field" in of else of["fold"]["path"].rsplit(".", 1)[-1]
        if column in self.world.choices and isinstance(value, str):
            return [c for c, _ in self.world.choices[column]].index(value)
        return value

    # Cells

    def cell(self, row: Row, value: Mapping[str, Any]) -> Any:
        """The typed value of a column, a list for a spread."""
        if "constant" in value:
            return value["constant"]
        if "field" in value:
            return self.read(row, value["field"])
        fold = value["fold"]
        table, record, rest = self.folds_at(row, fold["path"])
        return self.folded(fold, table, record, rest.split("."))

    def folded(self, fold: Mapping[str, Any], table: str, record: Record | None, way: list[str]) -> Any:
        column = None
        if fold["how"] != "count":
            *way, column = way
        target, found = self.world.many(table, record, way)
        return self.fold(fold, target, found, column)

    def fold(self, fold: Mapping[str, Any], table: str, found: Iterable[Record], column: str | None) -> Any:
        how = fold["how"]
        found = [r for r in found if self.holds(fold.get("where", {"all": []}), table, r)]
        if how == "count":
            return len(found)
        assert column is not None
        if how == "joined" and fold.get("distinct"):
            return self.different(fold, table, found, column)
        if how in ("first", "latest", "joined", "spread"):
            found = self.in_order(found, table, fold.get("order", []), backwards=how == "latest")
        values = [self.value(table, r, column) for r in found]
        if how in ("first", "latest"):
            return values[0] if values else None
        if how == "spread" and self.shares_places(fold):
            return values
        filled = [v for v in values if not is_blank(v)]
        if how == "count_distinct":
            return len(set(filled))
        if how in ("joined", "spread"):
            return filled
        if how in ("any", "all", "none"):
            return {"any": any(filled), "all": all(filled) if filled else None, "none": not any(filled)}[how]
        if not filled:
            return None
        if how == "sum":
            return sum(map(Decimal, filled))
        if how == "mean":
            return sum(map(Decimal, filled)) / len(filled)
        codes = [c for c, _ in self.world.choices.get(column, [])]
        return (min if how == "least" else max)(filled, key=codes.index if codes else None)  # type: ignore[type-var, arg-type]

    def different(self, fold: Mapping[str, Any], table: str, found: list[Record], column: str) -> list[Any]:
        """Values of each different text once, by the least that it is ordered by; where that is blank, last."""
        first = fold["order"][0]
        down = first.get("direction") == "descending"
        levels = [
            {**level, "direction": "descending" if (level.get("direction") == "descending") != down else "ascending"}
            for level in fold["order"]
        ]
        shown = next(c for c in self.document["columns"] if c["value"].get("fold") is fold)
        met: dict[str, tuple[Any, bool]] = {}
        for record in self.in_order(found, table, levels, backwards=False):
            value = self.value(table, record, column)
            if not is_blank(value):
                met.setdefault(self.text(value, shown), (value, is_blank(self.value(table, record, first["path"]))))
        filled, without = ([v for v, blank in met.values() if blank is said] for said in (False, True))
        return [*reversed(filled), *reversed(without)] if down else [*filled, *without]

    def shares_places(self, fold: Mapping[str, Any]) -> bool:
        """Whether another spread stands beside this one, of the same records in the same order."""

        def records(of: Mapping[str, Any]) -> tuple[Any, ...]:
            return of["path"].rsplit(".", 1)[0], of.get("where"), of.get("order")

        spreads = [
            c["value"]["fold"] for c in self.document["columns"] if c["value"].get("fold", {}).get("how") == "spread"
        ]
        return sum(records(s) == records(fold) for s in spreads) > 1

    def in_order(self, found: list[Record], table: str, order: Sequence[Any], *, backwards: bool) -> list[Record]:
        def keys(record: Record) -> list[tuple[Any, bool, bool]]:
            made = []
            for level in order:
                key = self.sorts(self.value(table, record, level["path"]), {"field": level["path"]})
                down = (level.get("direction") == "descending") != backwards
                made.append((key, down, level.get("blanks") == "first" and not backwards))
            return [*made, (record["id"], backwards, False)]

        return sorted(found, key=cmp_to_key(lambda a, b: compared(keys(a), keys(b))))

    # Groups

    def groups(self) -> list[list[Any]]:
        """For each group the values of its columns, in no order."""
        by = self.document["rows"]["by"]
        made: dict[tuple[Any, ...], list[Record]] = {}
        for record in self.records():
            key = tuple(self.stepped(self.value(self.table, record, b["path"]), b) for b in by)
            made.setdefault(key, []).append(record)
        for n, one in enumerate(by):
            if one.get("fill_gaps"):
                others = dict.fromkeys(key[:n] + key[n + 1 :] for key in made)
                for step in self.every_step(one, [key[n] for key in made]):
                    for other in others:
                        made.setdefault((*other[:n], step, *other[n:]), [])
        rows = []
        for key, members in made.items():
            row: list[Any] = []
            for column in self.document["columns"]:
                value = column["value"]
                if "field" in value:
                    row.append(key[next(n for n, b in enumerate(by) if b["path"] == value["field"])])
                else:
                    fold = value["fold"]
                    *way, last = fold["path"].split(".") if fold["path"] else [""]
                    if fold["how"] == "count" and last:
                        way, last = [*way, last], ""
                    table, found = self.table, []
                    for member in members:
                        table, met = self.world.many(self.table, member, way)
                        found += met
                    row.append(self.fold(fold, table, found, last or None))
            rows.append(row)
        return rows

    def stepped(self, value: Any, by: Mapping[str, Any]) -> Any:
        if is_blank(value):
            return None
        step = by.get("step")
        if step is None:
            return value
        if step in ("hour", "minute"):
            size = timedelta(hours=1) if step == "hour" else timedelta(minutes=by.get("count", 1))
            if value.tzinfo:
                offset = value.astimezone(self.zone).utcoffset()
                local = value.astimezone(self.zone).replace(tzinfo=None)
                begun = local - (local - datetime(2000, 1, 3)) % size
                return (begun - offset).replace(tzinfo=ZoneInfo("UTC"))
            return value - (value - datetime(2000, 1, 3)) % size
        if isinstance(value, datetime):
            value = value.astimezone(self.zone).date() if value.tzinfo else value.date()
        return self.begin(step, value)

    def every_step(self, by: Mapping[str, Any], met: Sequence[Any]) -> list[Any]:
        """The steps of the window that every row meets, or from the first that is met to the last."""
        parts = self.document.get("filter", {"all": []})["all"]
        windows = [p["window"] for p in parts if p.get("path") == by["path"] and p.get("is") == "in_window"]
        bounds = [self.days(w) for w in windows if w["type"] != "all_time"]
        if by["step"] in ("hour", "minute"):
            size = timedelta(minutes=60 if by["step"] == "hour" else by.get("count", 1))
            zoned = met and any(m is not None and m.tzinfo for m in met)
            if bounds:
                clock = [datetime.combine(d, time(0), self.zone) for d in bounds[0] if d]
                first, end = [m.astimezone(ZoneInfo("UTC")) if zoned else m.replace(tzinfo=None) for m in clock]
                first = self.stepped(first, by)
            else:
                known = [m for m in met if m is not None]
                if not known:
                    return []
                first, end = min(known), max(known) + size
            return [first + n * size for n in range((end - first) // size + 1) if first + n * size < end]
        known = [m for m in met if m is not None]
        if not bounds and not known:
            return []
        first, last = (bounds[0][0], bounds[0][1] - timedelta(days=1)) if bounds else (min(known), max(known))
        made = [self.begin(by["step"], first)]
        while (following := self.later(by["step"], made[-1], 1)) <= last:
            made.append(following)
        return made

    # On paper

    def shown(self, value: Any, column: Mapping[str, Any]) -> str:
        blank = column.get("blank", "")
        fold = column["value"].get("fold", {})
        if isinstance(value, list) and fold.get("how") == "joined":
            text = partial(self.text, column=column)
            texts = list(dict.fromkeys(map(text, value))) if fold.get("distinct") else list(map(text, value))
            most = fold.get("at_most")
            said = fold.get("separator", "; ").join(texts[:most])
            if most and len(texts) > most:
                said += f"{fold.get('separator', '; ')}+{len(texts) - most} more"
            return said or blank
        if is_blank(value):
            trims = column.get("show", {}).get("trim")
            return blank if blank or trims or value is None or value == "" else value
        return self.text(value, column)

    def text(self, value: Any, column: Mapping[str, Any]) -> str:
        show = column.get("show", {})
        if isinstance(value, bool):
            return show.get("yes", "true") if value else show.get("no", "false")
        if isinstance(value, date | time):
            return self.dated(value, show.get("date"))
        if isinstance(value, int | Decimal):
            return self.number(value, show, column)
        path = column["value"].get("field") or column["value"].get("fold", {}).get("path", "")
        name = path.rsplit(".", 1)[-1]
        if name in self.world.choices and show.get("choice") != "code":
            value = dict(self.world.choices[name]).get(value, value)
        if show.get("trim"):
            value = value.strip()
        if "first" in show:
            value = value[: show["first"]]
        if show.get("case") == "upper":
            value = value.upper()
        if show.get("case") == "lower":
            value = value.lower()
        if "pad" in show:
            side = value.rjust if show.get("pad_side", "left") == "left" else value.ljust
            value = side(show["pad"], show.get("pad_with", "0"))
        return f"{show.get('prefix', '')}{value}{show.get('suffix', '')}"

    def dated(self, value: Any, pattern: str | None) -> str:
        if isinstance(value, datetime) and value.tzinfo:
            value = value.astimezone(self.zone)
        if pattern is None:
            exact = isinstance(value, date) and not isinstance(value, datetime)
            return (
                value.isoformat()
                if exact or value.microsecond % 1000
                else value.isoformat(timespec="milliseconds" if value.microsecond else "seconds")
            )
        months = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"]
        pieces = {
            "dd/MM/yyyy": lambda: f"{value.day:02d}/{value.month:02d}/{value.year:04d}",
            "d MMM yy": lambda: f"{value.day} {months[value.month - 1]} {value.year % 100:02d}",
            "HH:mm": lambda: f"{value.hour:02d}:{value.minute:02d}",
            "yyyy-MM-dd HH:mm:ss": lambda: value.strftime("%Y-%m-%d %H:%M:%S"),
        }
        return pieces[pattern]()

    def number(self, value: Any, show: Mapping[str, Any], column: Mapping[str, Any]) -> str:
        number = Decimal(value)
        if "factor" in show:
            number *= Decimal(show["factor"])
        if "decimals" in show:
            even = show.get("rounding") == "half_even"
            number = number.quantize(Decimal(1).scaleb(-show["decimals"]), ROUND_HALF_EVEN if even else ROUND_HALF_UP)
        elif "factor" in show or column["value"].get("fold", {}).get("how") == "mean":
            number = number.normalize()
        text = f"{number:f}"
        sign, text = ("-", text[1:]) if text.startswith("-") else ("", text)
        if not text.strip("0."):
            sign = ""
        whole, point, rest = text.partition(".")
        if show.get("grouping"):
            whole = re.sub(r"(?<=\d)(?=(\d{3})+$)", lambda _: show["grouping"], whole)
        text = whole + (show.get("decimal_mark", ".") + rest if point else "")
        if "pad" in show:
            with_zeros = show.get("pad_with", "0") == "0"
            text = (
                sign + text.rjust(show["pad"] - len(sign), "0")
                if with_zeros
                else (sign + text).rjust(show["pad"], show["pad_with"])
            )
            sign = ""
        return f"{show.get('prefix', '')}{sign}{text}{show.get('suffix', '')}"

    def sheet(self) -> list[list[tuple[Any, Mapping[str, Any]]]]:
        """The cells of the file's rows, each with its column; a spread has several."""
        columns = self.document["columns"]
        if self.document.get("rows", {}).get("per") == "group":
            return [list(zip(row, columns, strict=True)) for row in self.groups()]
        made = []
        for row in self.rows()[: self.document.get("at_most")]:
            cells: list[tuple[Any, Mapping[str, Any]]] = []
            for column in columns:
                value = self.cell(row, column["value"])
                if column["value"].get("fold", {}).get("how") == "spread":
                    wide = column["value"]["fold"].get("columns", 3)
                    cells += [(v, column) for v in [*value, *([None] * wide)][:wide]]
                else:
                    cells.append((value, column))
            made.append(cells)
        return made

    def file(self) -> list[list[str]]:
        """The rows of the file, below its headings."""
        return [[self.shown(value, column) for value, column in row] for row in self.sheet()]

    def totals(self) -> list[dict[str, Any]]:
        """What a slip says of each column: blanks, the sum of the numbers as they are shown, first and last date."""
        made = []
        for cells in zip(*self.sheet(), strict=True):
            values = [v for v, _ in cells if not is_blank(v) and v != []]
            facts: dict[str, Any] = {"blanks": len(cells) - len(values)}
            if values and isinstance(values[0], date):
                ends = min(values), max(values)
                if isinstance(values[0], datetime) and values[0].tzinfo:
                    ends = tuple(v.astimezone(self.zone) for v in ends)
                facts |= {"first": ends[0].isoformat(), "last": ends[1].isoformat()}
            elif values and isinstance(values[0], int | Decimal) and not isinstance(values[0], bool):
                show = {k: v for k, v in cells[0][1].get("show", {}).items() if k in ("factor", "decimals", "rounding")}
                facts["total"] = sum(Decimal(self.number(v, show, cells[0][1])) for v in values)
            made.append(facts)
        return made

    # Readers' files

    def lines(self) -> list[list[str]]:
        """The rows of a reader's file without titles, with headings of groups, subtotals and totals between them."""
        columns, options = self.document["columns"], self.document["output"]["reader"]
        groups = [next(n for n, c in enumerate(columns) if c["id"] == g) for g in options["groups"]]
        rows = self.rows()[: self.document.get("at_most")]
        cells = [[self.cell(row, c["value"]) for c in columns] for row in rows]
        keys = [tuple(self.kept_apart_by(values[n], columns[n]) for n in groups) for values in cells]
        labels = [[self.shown(values[n], columns[n]) or "(blank)" for n in groups] for values in cells]
        wanted = any("total" in c for c in columns)
        made: list[list[str]] = []

        def end(at: int, level: int) -> None:
            for depth in range(len(groups), level, -1) if options["subtotals"] and wanted else ():
                members = [n for n, key in enumerate(keys) if key[:depth] == keys[at][:depth]]
                made.append(self.line(f"Total {labels[at][depth - 1]}", rows, cells, members))

        for at, key in enumerate(keys):
            before = keys[at - 1] if at else None
            same = 0
            while before is not None and same < len(key) and key[same] == before[same]:
                same += 1
            if before is not None:
                end(at - 1, same)
            for level in range(same, len(groups)):
                made.append(self.line(f"{columns[groups[level]]['heading']}: {labels[at][level]}", rows, cells, None))
            made.append([self.guarded(self.shown(v, c), v) for v, c in zip(cells[at], columns, strict=True)])
        if rows:
            end(len(rows) - 1, 0)
        if options["grand_total"] and wanted:
            made.append(self.line("Total", rows, cells, list(range(len(rows)))))
        return made

    def kept_apart_by(self, value: Any, column: Mapping[str, Any]) -> Any:
        """What rows are gathered by below a heading: numbers as they are shown, blanks all alike."""
        if is_blank(value):
            return None
        return self.number(value, column["show"], column) if type(value) in (int, Decimal) else value

    @staticmethod
    def guarded(text: str, value: Any) -> str:
        """A text that a spreadsheet would run, behind an apostrophe."""
        return f"'{text}" if isinstance(value, str) and text.startswith(tuple("=+-@\t\r")) else text

    def line(self, label: str, rows: list[Row], cells: list[list[Any]], members: Sequence[int] | None) -> list[str]:
        """A line that is no row: its label in the first free place, beside the totals of some rows."""
        columns = self.document["columns"]
        found = {
            n: self.total(n, rows, cells, members)
            for n, c in enumerate(columns)
            if members is not None and "total" in c
        }
        free = next((n for n in range(len(columns)) if n not in found), None)
        return [found.get(n, label if n == free else "") for n in range(len(columns))]

    def total(self, n: int, rows: list[Row], cells: list[list[Any]], members: Sequence[int]) -> str:
        """What stands below a column: made of what is written above it, a number of a shared record once."""
        column = self.document["columns"][n]
        met: dict[Any, Any] = {}
        for at in members:
            row, value = rows[at], cells[at][n]
            if is_blank(value):
                continue
            table, record, _ = self.world.one(*self.at(row, column["value"]["field"]))
            end = max(row, key=len)
            shared = type(value) in (int, Decimal) and record is not row[end] and record is not None
            met.setdefault((table, record["id"]) if shared and record else at, value)
        if column["total"] == "count":
            return str(len(met))
        numbers = [Decimal(self.number(v, {"decimals": column["show"]["decimals"]}, column)) for v in met.values()]
        made = {"sum": sum, "mean": lambda all: sum(all) / len(all), "least": min, "greatest": max}[column["total"]]
        return self.shown(made(numbers), column) if numbers else ""

    def steps(self) -> list[int]:
        """All records, and those that each narrowing leaves; only where a row is a record."""
        left = self.world.tables[self.table]
        counts = [len(left)]
        for part in self.document.get("filter", {"all": []})["all"]:
            left = [r for r in left if self.holds(part, self.table, r)]
            counts.append(len(left))
        return counts


def compared(left: Sequence[tuple[Any, bool, bool]], right: Sequence[tuple[Any, bool, bool]]) -> int:
    for (a, down, blanks_first), (b, _, _) in zip(left, right, strict=True):
        if a == b:
            continue
        if a is None or b is None:
            return 1 if (a is None) != blanks_first else -1
        return 1 if (a > b) != down else -1
    return 0
