"""
A file of a format, written from batches.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pyarrow as pa

from bouquet.core.plan import Plan, Resolution
from bouquet.core.shaping import to_frame
from bouquet.core.writers import writer_of

Resolve = Callable[..., Resolution]


def made(
    plan: Plan, format: str, folder: Path, *batches: dict[str, Any], titles: tuple[str, ...] = (), lines: Any = ()
) -> tuple[Path, Counter[str]]:
    target = folder / f"file.{format}"
    rows = sum(len(next(iter(b.values()))) for b in batches)
    writer = writer_of(format)(plan, target, announced=rows, sentence="One row per tree.", titles=titles, stamp="7")
    with writer:
        for batch in batches:
            writer.write(to_frame(pa.record_batch(batch)))
        for line in lines:
            writer.write_line(line)
    return target, writer.facts.notes
