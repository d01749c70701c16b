"""
The rows of a template over a world: records, children and groups, their order and their cells.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime, time, timedelta
from decimal import Decimal
from functools import cmp_to_key
from typing import Any
from zoneinfo import ZoneInfo

from tests.sources.meant_world import Narrowed, Record, Row, compared, is_blank

__all__ = ["Rows"]


class Rows(Narrowed):
    """
    The rows of one document over a world, with the values of their cells.
    """

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
        columns = self.document["columns"]
        return [[self.of_group(c, key, members) for c in columns] for key, members in self.gathered().items()]

    def gathered(self) -> dict[tuple[Any, ...], list[Record]]:
        """The records of each group, by what groups are made by."""
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
        return made

    def of_group(self, column: Mapping[str, Any], key: Sequence[Any], members: Sequence[Record]) -> Any:
        """What a column comes to for some records of a group."""
        if "field" in column["value"]:
            by = self.document["rows"]["by"]
            return key[next(n for n, b in enumerate(by) if b["path"] == column["value"]["field"])]
        fold = column["value"]["fold"]
        *way, last = fold["path"].split(".") if fold["path"] else [""]
        if fold["how"] == "count" and last:
            way, last = [*way, last], ""
        table, found = self.table, []
        for member in members:
            table, met = self.world.many(self.table, member, way)
            found += met
        return self.fold(fold, table, found, last or None)

    def across(self) -> dict[tuple[Any, ...], list[tuple[Any, Mapping[str, Any]]]]:
        """
        Of a cross-tab, by what groups are made by, the cells of each group with their columns: each column that folds
        the group's own records for each value across and for all, then the others.
        """
        across, groups = self.document["rows"]["across"], self.gathered()

        def stands(record: Record) -> Any:
            return self.stepped(self.value(self.table, record, across["path"]), across)

        values = list(dict.fromkeys(stands(r) for members in groups.values() for r in members))
        made: dict[tuple[Any, ...], list[tuple[Any, Mapping[str, Any]]]] = {}
        for key, members in groups.items():
            made[key] = []
            for column in self.document["columns"]:
                own = "fold" in column["value"] and not column["value"]["fold"]["path"].startswith("fs")
                for value in values if own else ():
                    here = [r for r in members if stands(r) == value]
                    made[key].append((self.of_group(column, key, here), column))
                made[key].append((self.of_group(column, key, members), column))
        return made

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
        days = [self.days(w) for w in windows if w["type"] != "all_time"]
        bounds = [(max(first for first, _ in days), min(end for _, end in days))] if days else []
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
