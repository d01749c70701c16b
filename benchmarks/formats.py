"""
The further formats: each beside the one it is nearest to, over the same rows.
"""

from __future__ import annotations

import statistics
from collections.abc import Callable

from benchmarks.database import measure_apart

__all__ = ["formats"]

#: Rows of the formats for programs and spreadsheets, and of pages.
ROWS, PRINTED = 200_000, 10_000

TIMES = 3


def formats(url: str, say: Callable[..., None]) -> None:
    """
    ODS beside XLSX, Parquet beside CSV, and PDF beside the usual way to one.
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
    ratio = statistics.median(b.seconds / a.seconds for a, b in pages)
    seconds = statistics.median(b.seconds for _, b in pages)
    most = max(b.megabytes for _, b in pages)
    said = f"{ratio:.2f} × ReportLab's tables by hand"
    say(f"PDF of {PRINTED:,} rows × 20 columns", f"{seconds:.1f} s", f"{most:.0f} MB", said, "1.3 ×, 100 MB")
