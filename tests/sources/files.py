"""
A template of lines with their parents, what it means in SQL, and its file read back.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Callable
from pathlib import Path
from typing import Any

from bouquet.runs import Exported

Query = Callable[[str], list[tuple[Any, ...]]]


Run = Callable[..., Exported]


def rows_of(path: Path, encoding: str = "utf-8") -> list[list[str]]:
    return list(csv.reader(io.StringIO(path.read_text(encoding=encoding), newline="")))


def column(id: str, field: str, **more: Any) -> dict[str, Any]:
    return {"id": id, "heading": id.capitalize(), "value": {"field": field}, **more}


LINES: dict[str, Any] = {
    "records": "work_order_line",
    "columns": [
        column("order", "work_order.number"),
        column("ward", "work_order.tree.site.ward.name"),
        column("done", "done_on"),
        column("amount", "amount", total="sum", show={"decimals": 2}),
        column("girth", "work_order.tree.t_girth", total="sum"),
    ],
    "filter": {
        "all": [
            {
                "path": "done_on",
                "is": "in_window",
                "window": {"type": "between", "first": "2026-10-01", "last": "2026-10-20"},
            }
        ]
    },
}


WHERE = "wl_done BETWEEN '2026-10-01' AND '2026-10-20'"


JOINED = (
    "wo_line l LEFT JOIN work_order o ON o.wo_id = l.wo_id LEFT JOIN tree t ON t.t_id = o.t_id"
    " LEFT JOIN site s ON s.s_id = t.s_id LEFT JOIN ward w ON w.w_id = s.ward_id"
)
