"""
What a template means (semantics), worked out in plain Python over records in memory: nothing of Bouquet's is used.

It is slow, knows one small world, and is written from the description of templates and not from the code that it
judges.
"""

from __future__ import annotations

import math
import re
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from datetime import date, datetime, time
from decimal import ROUND_HALF_EVEN, ROUND_HALF_UP, Decimal
from functools import cached_property, partial
from typing import Any

from tests.sources.meant_rows import Rows
from tests.sources.meant_world import Record, Row, World, is_blank

__all__ = ["Meant", "Record", "World", "is_blank"]

DAYS = ("Montag", "Dienstag", "Mittwoch", "Donnerstag", "Freitag", "Samstag", "Sonntag")
MONTHS = (
    "Januar", "Februar", "März", "April", "Mai", "Juni", "Juli", "August", "September", "Oktober", "November",
    "Dezember",
)  # fmt: skip


class Meant(Rows):
    """
    The file of one document over a world.
    """

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
            "EEEE, d. MMMM yyyy": lambda: (
                f"{DAYS[value.weekday()]}, {value.day}. {MONTHS[value.month - 1]} {value.year:04d}"
            ),
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

    @cached_property
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
        return [[self.shown(value, column) for value, column in row] for row in self.sheet]

    def totals(self) -> list[dict[str, Any]]:
        """What a slip says of each column: blanks, the sum of the numbers as they are shown, first and last date."""
        made = []
        for cells in zip(*self.sheet, strict=True):
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

    def objections(self, must: str, n: int, most: Decimal) -> int:
        """How many rows of the file a check of a column objects to; `most` is its spread, or what is most for it."""
        values = [v for v in (row[n][0] for row in self.sheet) if not is_blank(v)]

        def at(value: Any) -> Any:
            """This moment, as such a value says it."""
            here = self.as_of.astimezone(self.zone)
            if not isinstance(value, datetime):
                return here.date()
            return here if value.tzinfo else here.replace(tzinfo=None)

        if must == "filled":
            return len(self.sheet) - len(values)
        if must == "unique":
            return sum(n for n in Counter(values).values() if n > 1)
        if must == "near_usual":
            low, high = (sorted(values)[math.ceil(len(values) * k / 4) - 1] if values else 0 for k in (1, 3))
            far = most * (high - low)
            # Where the middle half is all alike, nothing is unusual.
            return sum(low != high and not low - far <= v <= high + far for v in values)
        wrong: dict[str, Callable[[Any], bool]] = {
            "whole": lambda v: v != int(v),
            "between": lambda v: v > most,
            "length": lambda v: len(v) > most,
            "not_future": lambda v: v > at(v),
            "not_past": lambda v: v < at(v),
        }
        return sum(wrong[must](v) for v in values)

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
