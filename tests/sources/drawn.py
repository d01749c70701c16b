"""
Templates drawn by chance over a small world of odd values.
"""

from __future__ import annotations

import random
from datetime import UTC, date, datetime, time
from decimal import Decimal
from typing import Any

from tests.sources.meant import Record, World

__all__ = ["TABLES", "TYPES", "WORLD", "Drawn", "filled", "said"]

TABLES = (
    "CREATE TABLE region (id integer PRIMARY KEY, name text, rank integer)",
    "CREATE TABLE p (id integer PRIMARY KEY, region_id integer REFERENCES region(id), name text, since date, state {state})",
    "CREATE TABLE e (id integer PRIMARY KEY, p_id integer REFERENCES p(id), num numeric(14,3), i bigint, t text, d date,"
    " ts {timestamp}, tz {moment}, b boolean, tm {time}, state {state})",
    "CREATE TABLE f (id integer PRIMARY KEY, e_id integer REFERENCES e(id), note text, amount numeric(10,2), day date,"
    " ok boolean)",
)
TYPES = {
    "postgresql": {"state": "state", "timestamp": "timestamp", "moment": "timestamptz", "time": "time"},
    "mariadb": {
        "state": "enum('low', 'medium', 'high', 'dire')", "timestamp": "datetime(6)", "moment": "timestamp(6) NULL",
        "time": "time(6)",
    },
    "sqlite": {"state": "text", "timestamp": "timestamp", "moment": "timestamptz", "time": "time"},
}  # fmt: skip
WORDS = [
    None, "", "  ", "\t", "\u00a0", "a", "A", "Ä", "é", "b c", " lead", "trail ", "O'Neil", 'q"uote', "com,ma",
    "line\nbreak", "cr\r\nlf", "=1+1", "-5", "+x", "@y", "T-9", "T-10", "日本", "😀🌳", "100%", "under_score", "back\\slash",
    "*", "?", "[a]", "~", "NULL", "null", "0", "007", "a;b", "tab\tin", "x" * 300,
]  # fmt: skip
DAYS = [None, *map(date.fromisoformat, (
    "2024-02-29", "1999-12-31", "2026-11-23", "2026-11-22", "2026-11-01", "2026-10-25", "2026-03-29", "2025-12-29",
    "2026-01-01", "2025-12-31", "0987-06-05",
))]  # fmt: skip
#: In London the clocks went back on 25 October 2026 and forward on 29 March.
TIMES = [None, *map(datetime.fromisoformat, (
    "2026-11-23 08:59:59.999999", "2026-11-22 23:59:59", "2026-11-23 00:00:00", "2026-10-25 00:30:00",
    "2026-10-25 01:30:00", "2026-10-25 00:59:59.5", "2026-03-29 00:59:00", "2026-03-29 01:01:00", "2026-06-30 23:15:00",
    "2025-12-31 23:59:59", "1970-02-01 00:00:00", "2026-12-31 12:00:00.000001",
))]  # fmt: skip
STATES = [(code, code) for code in ("low", "medium", "high", "dire")]


def tables() -> dict[str, list[Record]]:
    some = random.Random(7).choice
    maybe = [None, *(c for c, _ in STATES)]
    region = [{"id": n, "name": some(WORDS), "rank": some([None, 1, 2, 3])} for n in range(1, 6)]
    p = [
        {"id": n, "region_id": some([None, 1, 2, 3, 4]), "name": some(WORDS), "since": some(DAYS), "state": some(maybe)}
        for n in range(1, 16)
    ]
    numbers = [None, *map(Decimal, (
        "0.000", "-0.004", "0.005", "0.500", "1.500", "2.500", "-2.500", "12345678.125", "1000.000", "-999.995",
    ))]  # fmt: skip
    e = [
        {
            "id": n, "p_id": some([None, *range(1, 13)]), "num": some(numbers),
            "i": some([None, 0, 1, -1, 2, 2**63 - 1, -(2**63), 1000, 999_999]), "t": some(WORDS), "d": some(DAYS),
            "ts": some(TIMES), "tz": (m := some(TIMES)) and m.replace(tzinfo=UTC), "b": some([None, True, False]),
            "tm": some([None, time(0), time(9, 5), time(23, 59, 59, 500_000)]), "state": some(maybe),
        }
        for n in range(1, 141)
    ]  # fmt: skip
    f = [
        {
            "id": n, "e_id": some([None, *range(1, 60)]), "note": some(WORDS), "day": some(DAYS),
            "amount": some([None, *map(Decimal, ("0.00", "0.01", "-3.10", "99999999.99", "12.34"))]),
            "ok": some([None, True, False]),
        }
        for n in range(1, 121)
    ]  # fmt: skip
    return {"region": region, "p": p, "e": e, "f": f}


WORLD = World(
    tables(),
    {"e": {"p": ("p_id", "p")}, "p": {"region": ("region_id", "region")}, "f": {"e": ("e_id", "e")}},
    {"p": {"es": ("e", "p_id")}, "region": {"ps": ("p", "region_id")}, "e": {"fs": ("f", "e_id")}},
    {"state": STATES},
)
KINDS = {
    "num": "number", "i": "number", "t": "text", "d": "date", "ts": "time", "tz": "moment", "b": "yes-no", "tm": "clock",
    "state": "choice", "name": "text", "rank": "number", "since": "date", "note": "text", "amount": "number",
    "day": "date", "ok": "yes-no", "id": "number",
}  # fmt: skip
OWN = {
    "region": ["name", "rank"], "p": ["name", "since", "state"], "f": ["note", "amount", "day", "ok"],
    "e": ["num", "i", "t", "d", "ts", "tz", "b", "tm", "state"],
}  # fmt: skip


def filled(table: str, mark: str) -> str:
    names = ", ".join(f"`{n}`" if mark == "%s" else n for n in WORLD.tables[table][0])
    return f"INSERT INTO {table} ({names}) VALUES ({', '.join([mark] * len(WORLD.tables[table][0]))})"


def said(value: Any) -> Any:
    """As drivers take it that know no zones; moments are in UTC."""
    if isinstance(value, datetime):
        return value.replace(tzinfo=None).isoformat(sep=" ")
    return value if value is None or isinstance(value, int) else str(value)


#: Dates with names, in a language that is not that of the file.
GERMAN = {"date": "EEEE, d. MMMM yyyy", "language": "de"}


class Drawn:
    """Templates drawn by chance."""

    def __init__(self, seed: int) -> None:
        self.chance = random.Random(seed)
        self.some = self.chance.choice

    def document(self) -> dict[str, Any]:
        made = self.some([self.of_records, self.of_records, self.of_children, self.of_groups])()
        return {"name": "T", "zone": self.some(["Europe/London", "Asia/Kolkata"]), **made}

    def of_records(self) -> dict[str, Any]:
        records = self.some(["e", "e", "p", "f"])
        columns = [self.column(n, self.field(records)) for n in range(self.chance.randint(1, 5))]
        columns += [self.folding(n + 5, records, "") for n in range(self.chance.randint(0, 3)) if records != "f"]
        made = {"records": records, "columns": columns, "filter": {"all": self.parts(records)}}
        made["order"] = self.levels([c for c in columns if self.is_ordered(c)], records)
        if self.chance.random() < 0.2:
            made["at_most"] = self.chance.randint(1, 40)
        return made

    def of_children(self) -> dict[str, Any]:
        records, path, child = self.some(
            [("p", "es", "e"), ("e", "fs", "f"), ("p", "es.fs", "f"), ("region", "ps", "p")]
        )
        kept = "keep" if "." not in path and self.chance.random() < 0.5 else "leave_out"
        columns = [self.column(n, self.field(records)) for n in range(self.chance.randint(0, 2))]
        columns += [self.column(n + 3, f"{path}.{self.field(child)}") for n in range(self.chance.randint(1, 3))]
        if self.chance.random() < 0.4 and child in ("e", "p"):
            columns.append(self.folding(8, child, path))
        if self.chance.random() < 0.3 and records in ("p", "region"):
            columns.append(self.folding(9, records, ""))
        parts = self.parts(records) + [{**c, "path": f"{path}.{c['path']}"} for c in self.plain(child)]
        order = self.levels([c for c in columns if self.is_ordered(c)], records)
        rows = {"per": "child", "path": path, "parents_without": kept}
        return {"records": records, "rows": rows, "columns": columns, "filter": {"all": parts}, "order": order}

    def of_groups(self) -> dict[str, Any]:
        steps = {
            "d": ["day", "week", "month", "quarter", "year"],
            "tz": ["hour", "minute", "day", "week", "month"],
            "ts": ["hour", "minute", "day", "year"],
        }
        by = []
        for path in self.chance.sample(["d", "tz", "ts", "b", "t", "state", "p.name", "p.region.rank", "tm", "num"], 2):
            by.append({"path": path})
            if path in steps:
                by[-1]["step"] = self.some(steps[path])
                if by[-1]["step"] == "minute":
                    by[-1]["count"] = self.some([1, 15, 20])
        parts = self.parts("e")
        stepped = [b for b in by if "step" in b]
        if stepped and self.chance.random() < 0.4:
            filled = self.some(stepped)
            filled["fill_gaps"] = True
            if filled["step"] in ("minute", "hour", "day"):
                days = self.some(
                    [("2026-03-28", "2026-03-30"), ("2026-10-24", "2026-10-26"), ("2026-11-22", "2026-11-23")]
                )
                window = {"type": "between", "first": days[0], "last": days[1]}
                parts.append({"path": filled["path"], "is": "in_window", "window": window})
            elif self.chance.random() < 0.5:
                window = {"type": "last", "unit": "month", "count": 3, "with_current": True}
                parts.append({"path": filled["path"], "is": "in_window", "window": window})
        columns = [self.column(n, b["path"]) for n, b in enumerate(by)]
        for column in columns:
            column["show"].pop("date", None)
        columns += [self.folding(n + 5, "e", "", grouped=True) for n in range(self.chance.randint(1, 3))]
        rows = {"per": "group", "by": by}
        return {"records": "e", "rows": rows, "columns": columns, "filter": {"all": parts}}

    def for_readers(self) -> dict[str, Any]:
        """A reader's file in which everything is said that a locale would decide."""
        made = self.of_records() if self.chance.random() < 0.5 else self.of_children()
        columns = [c for c in made["columns"] if "field" in c["value"]]
        shows = {
            "number": {"decimals": 2, "grouping": " ", "decimal_mark": "."}, "date": {"date": "dd/MM/yyyy"},
            "time": {"date": "yyyy-MM-dd HH:mm:ss"}, "moment": {"date": "yyyy-MM-dd HH:mm:ss"},
            "clock": {"date": "HH:mm"}, "yes-no": {"yes": "Ja", "no": "Nein"},
        }  # fmt: skip
        kinds = {c["id"]: KINDS[c["value"]["field"].rsplit(".", 1)[-1]] for c in columns}
        for column in columns:
            kind = kinds[column["id"]]
            column |= {"show": shows.get(kind, {}), "blank": ""}
            ways = [None, "count", *(("sum", "mean", "least", "greatest") if kind == "number" else ())]
            if total := self.some(ways):
                column["total"] = total
        known = {c["value"]["field"]: c["id"] for c in columns if kinds[c["id"]] != "text"}
        groups = self.chance.sample(sorted(known.values()), min(len(known), self.chance.randint(0, 2)))
        reader = {"title": False, "groups": groups, "subtotals": self.some([True, False]), "grand_total": True}
        # Groups lead in the order, each by its own level.
        order = [{"column": g, **self.way()} for g in groups]
        output = {"style": "reader", "locale": "en_GB", "reader": reader}
        return {"name": "T", **made, "columns": columns, "order": order, "output": output}

    @staticmethod
    def is_ordered(column: dict[str, Any]) -> bool:
        value = column["value"]
        if "field" in value:
            return KINDS[value["field"].rsplit(".", 1)[-1]] != "text"
        return value["fold"]["how"] in ("count", "sum", "count_distinct")

    def levels(self, columns: list[dict[str, Any]], records: str) -> list[dict[str, Any]]:
        chosen: list[dict[str, Any]] = [{"column": c["id"]} for c in columns if self.chance.random() < 0.4]
        if self.chance.random() < 0.3:
            path = self.field(records)
            chosen += [{"path": path}] if KINDS[path.rsplit(".", 1)[-1]] != "text" else []
        self.chance.shuffle(chosen)
        return [{**level, **self.way()} for level in chosen]

    def way(self) -> dict[str, Any]:
        return {"direction": self.some(["ascending", "descending"]), "blanks": self.some(["first", "last", "last"])}

    def field(self, table: str) -> str:
        ways = {"e": ["", "p.", "p.region."], "p": ["", "region."], "f": ["", "e.", "e.p."], "region": [""]}
        way = self.some(ways[table])
        end = {"": table, "p.": "p", "p.region.": "region", "region.": "region", "e.": "e", "e.p.": "p"}[way]
        return way + self.some(OWN[end])

    def folding(self, n: int, records: str, before: str, *, grouped: bool = False) -> dict[str, Any]:
        ways = {
            "p": [("es", "e"), ("es.fs", "f")],
            "e": [("fs", "f")],
            "region": [("ps", "p"), ("ps.es", "e")],
        }
        own = [("", "e"), ("", "e"), ("fs", "f")] if grouped else ways[records]
        way, table = self.some(own)
        hows = ["count", "count_distinct", "sum", "mean", "least", "greatest", "any", "all", "none"]
        hows += ["first", "latest", "joined", "spread"] if not grouped else []
        if grouped and way:
            # Of what each record of a group has, different values cannot be counted together.
            hows.remove("count_distinct")
        how = self.some(hows)
        fields = [f for f in OWN[table] if self.can(how, KINDS[f])]
        if not fields:
            how, fields = "count", [""]
        name = "" if how == "count" else self.some(fields)
        path = ".".join(x for x in (before, way, name) if x)
        fold: dict[str, Any] = {"path": path, "how": how}
        if how in ("first", "latest", "joined", "spread"):
            fold["order"] = self.fold_order(table)
        if how == "joined":
            fold |= self.some(
                [{}, {"separator": ", "}, {"at_most": 2}, {"distinct": True}, {"distinct": True, "at_most": 1}]
            )
        if how == "spread":
            fold["columns"] = 2
        if self.chance.random() < 0.4:
            fold["where"] = {"all": self.plain(table)}
        return self.column(n, path, {"fold": fold})

    def fold_order(self, table: str) -> list[dict[str, Any]]:
        names = [f for f in OWN[table] if KINDS[f] not in ("text", "yes-no")]
        chosen = self.chance.sample(names, self.chance.randint(1, 2))
        return [{"path": f, "direction": self.some(["ascending", "descending"])} for f in chosen] + [{"path": "id"}]

    @staticmethod
    def can(how: str, kind: str) -> bool:
        if how in ("sum", "mean"):
            return kind == "number"
        if how in ("least", "greatest"):
            return kind not in ("text", "yes-no")
        return kind == "yes-no" if how in ("any", "all", "none") else True

    def column(self, n: int, path: str, value: dict[str, Any] | None = None) -> dict[str, Any]:
        how = (value or {}).get("fold", {}).get("how", "")
        kind = "number" if how in ("count", "count_distinct") else KINDS.get(path.rsplit(".", 1)[-1], "")
        kind = "yes-no" if how in ("any", "all", "none") else kind
        show: dict[str, Any] = {}
        if kind == "number" and how not in ("count", "count_distinct"):
            show |= self.some(
                [{}, {"decimals": 2}, {"decimals": 0}, {"decimals": 1, "rounding": "half_even"}, {"factor": "100"}]
            )
            show |= self.some([{}, {"grouping": " "}, {"decimal_mark": ","}, {"grouping": ".", "decimal_mark": ","}])
            if how != "joined":
                show |= self.some([{}, {}, {"pad": 12}, {"pad": 9, "pad_with": "*"}, {"suffix": " cm"}])
        if how == "mean":
            # How many digits a mean has is not what is asked here.
            show["decimals"] = 3
        if kind == "text" and how != "joined":
            show |= self.some(
                [{}, {}, {"trim": True}, {"first": 3}, {"suffix": ">", "prefix": "<"}, {"pad": 5, "pad_with": "."}]
            )
        if kind == "date":
            show |= self.some([{}, {"date": "dd/MM/yyyy"}, {"date": "d MMM yy"}, GERMAN])
        if kind in ("time", "moment"):
            show |= self.some([{}, {"date": "yyyy-MM-dd HH:mm:ss"}, {"date": "dd/MM/yyyy"}, GERMAN])
        if kind == "clock":
            show |= self.some([{}, {"date": "HH:mm"}])
        if kind == "yes-no":
            show |= self.some([{}, {"yes": "Ja", "no": "Nein"}])
        if kind == "choice":
            show |= self.some([{}, {"choice": "code"}])
        blank = self.some(["", "", "-"])
        return {"id": f"c{n}", "heading": f"H{n}", "value": value or {"field": path}, "show": show, "blank": blank}

    # Narrowings

    def parts(self, table: str) -> list[dict[str, Any]]:
        made = [self.part(table) for _ in range(self.chance.randint(0, 2))]
        ways = {
            "p": [("es", "e"), ("es.fs", "f")],
            "e": [("fs", "f")],
            "region": [("ps", "p"), ("ps.es", "e")],
            "f": [],
        }
        if ways[table] and self.chance.random() < 0.3:
            path, target = self.some(ways[table])
            has: dict[str, Any] = {"path": path, "has": self.some(["any", "none", "at_least"])}
            if has["has"] == "at_least":
                has["count"] = self.chance.randint(1, 3)
            if self.chance.random() < 0.6:
                has["where"] = {"all": self.plain(target)}
            made.append(has)
        return made

    def plain(self, table: str) -> list[dict[str, Any]]:
        return [self.condition(table, own=True) for _ in range(self.chance.randint(0, 2))]

    def part(self, table: str, depth: int = 0) -> dict[str, Any]:
        if depth < 2 and self.chance.random() < 0.3:
            return {self.some(["all", "any", "none"]): [self.part(table, depth + 1) for _ in range(2)]}
        return self.condition(table)

    def condition(self, table: str, *, own: bool = False) -> dict[str, Any]:
        path = self.some(OWN[table]) if own else self.field(table)
        name = path.rsplit(".", 1)[-1]
        kind = KINDS[name]
        if self.chance.random() < 0.12:
            return {"path": path, "is": self.some(["blank", "not_blank"])}
        if kind == "yes-no":
            return {"path": path, "is": self.some(["yes", "no"])}
        values = [v for t in WORLD.tables.values() for r in t for k, v in r.items() if k == name and v is not None]
        values = [v for v in values if not isinstance(v, str) or v.strip()]
        if self.chance.random() < 0.2:
            chosen = [self.typed(self.some(values)) for _ in range(2)]
            return {"path": path, "is": self.some(["one_of", "none_of"]), "values": chosen}
        value = self.typed(self.some(values))
        if kind == "text":
            how = self.some(["is", "is_not", "contains", "not_contains", "starts_with", "ends_with", "matches"])
            if how == "matches":
                value = self.some(["*a*", "?", "??", "T-*", "*%*", "*\\*", "[a]*", "*_*", "~", "*"])
            elif how not in ("is", "is_not"):
                value = value.strip()[: self.chance.randint(1, 4)].strip() or "a"
            return {"path": path, "is": how, "value": value, "exact": self.chance.random() < 0.3}
        if kind == "choice":
            return {"path": path, "is": self.some(["is", "is_not"]), "value": value}
        if kind in ("number", "clock"):
            how = self.some(["is", "is_not", "less_than", "at_most", "greater_than", "at_least", "between"])
        else:
            how = self.some(["is", "is_not", "before", "after", "between", "in_window", "in_window"])
        if how == "between":
            low, high = sorted([self.some(values), self.some(values)])
            return {"path": path, "is": how, "values": [self.typed(low), self.typed(high)]}
        if how == "in_window":
            return {"path": path, "is": how, "window": self.window()}
        if kind in ("time", "moment") and self.chance.random() < 0.4:
            value = self.some(["2026-11-23", "2026-10-25", "2026-11-22", "9999-12-31"])
        return {"path": path, "is": how, "value": value}

    def window(self) -> dict[str, Any]:
        unit = self.some(["day", "week", "month", "quarter", "year"])
        return self.some(
            [
                {"type": "this", "unit": unit},
                {"type": "previous", "unit": unit},
                {"type": "to_date", "unit": self.some(["week", "month", "quarter", "year"])},
                {"type": "last", "unit": unit, "count": self.chance.randint(1, 3), "with_current": True},
                {"type": "last", "unit": unit, "count": self.chance.randint(1, 3)},
                {"type": "between", "first": "2026-03-29", "last": "2026-10-25"},
                {"type": "all_time"},
            ]
        )

    @staticmethod
    def typed(value: Any) -> Any:
        return value if isinstance(value, str) else str(value)
