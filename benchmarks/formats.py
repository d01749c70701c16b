"""
The further formats: each beside the one it is nearest to, over the same rows.
"""

from __future__ import annotations

import statistics
from collections.abc import Callable

from benchmarks.database import measure_apart

__all__ = ["formats"]

#: Rows of the formats for programs and spreadsheets, and of pages.
ROWS, PRINTED, MANY_PRINTED = 200_000, 10_000, 100_000

#: Days between which about a million inspections of scale 25 were made.
MONTHS = ("2024-01-01", "2026-11-30")

TIMES = 3


def formats(url: str, say: Callable[..., None]) -> None:
    """
    ODS beside XLSX, Parquet beside CSV, PDF beside the usual way to one, and a cross-tab beside SQL.
    """
    for label, format, beside, asked in (
        ("OpenDocument spreadsheet", "ods", "xlsx", "2 × XLSX"),
        ("Parquet", "parquet", "csv", "1 × CSV"),
    ):
        pairs = [
            (measure_apart("run_file", url, ROWS, beside), measure_apart("run_file", url, ROWS, format))
            for _ in range(TIMES)
        ]
        ratio = statistics.median(b.seconds / a.seconds for a, b in pairs)
        seconds = statistics.median(b.seconds for _, b in pairs)
        most = max(b.megabytes for _, b in pairs)
        say(f"{label} of {ROWS:,} rows", f"{seconds:.2f} s", f"{most:.0f} MB", f"{ratio:.2f} × our {beside}", asked)
    pages = [
        (measure_apart("reportlab_by_hand", url, PRINTED), measure_apart("run_file", url, PRINTED, "pdf"))
        for _ in range(TIMES)
    ]
    more = measure_apart("run_file", url, MANY_PRINTED, "pdf")
    ratio = statistics.median(b.seconds / a.seconds for a, b in pages)
    seconds = statistics.median(b.seconds for _, b in pages)
    most = max(b.megabytes for _, b in pages)
    said = f"{ratio:.2f} × ReportLab's tables by hand"
    say(f"PDF of {PRINTED:,} rows × 20 columns", f"{seconds:.1f} s", f"{most:.0f} MB", said, "1.3 ×, 100 MB")
    grown = f"{(more.megabytes - most) * 1000 / (MANY_PRINTED - PRINTED):.1f} kB a row more"
    say(
        f"the same of {MANY_PRINTED:,} rows: memory", f"{more.seconds:.0f} s", f"{more.megabytes:.0f} MB", grown, "flat"
    )
    crossed = [
        tuple(measure_apart(work, url, *MONTHS) for work in ("crosstab_by_hand", "crosstab_cells", "run_crosstab"))
        for _ in range(TIMES)
    ]
    for at, title in ((1, "A cross-tab of a million inspections, 35 months across: its cells"), (2, "the whole run")):
        ratio = statistics.median(times[at].seconds / times[0].seconds for times in crossed)
        seconds = statistics.median(times[at].seconds for times in crossed)
        beside = "the best SQL by hand" + (", which counts nothing else" if at == 2 else "")
        say(title, f"{seconds:.2f} s", "", f"{ratio:.2f} × {beside}", "1.3 ×")
