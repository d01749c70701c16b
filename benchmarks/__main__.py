"""
`make bench`: every figure beside its baseline, measured in the same run; the table goes to `docs/performance.md`.
"""

from __future__ import annotations

import math
import platform
import statistics
import time
from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import Any

from benchmarks.browser import browse
from benchmarks.crowd import crowd
from benchmarks.database import BenchDatabase, Measured, measure_apart, plan_of, source_of, wide_document
from benchmarks.engine import compile_wide, finding, folds, tallies
from benchmarks.formats import formats
from benchmarks.remembering import remembering
from benchmarks.rounds import rounds
from benchmarks.runs import archives, comparing, many_runs
from benchmarks.sending import forms, large, sending

ROWS, FEWER, MORE = 1_000_000, 100_000, 5_000_000

#: Times each pair is measured, in turn; medians are quoted.
ROUNDS = 5

DOCUMENT = Path("docs/performance.md")

PREVIEW = {
    "name": "Preview",
    "records": "inspection",
    "columns": [
        {"id": f"c{n}", "heading": f, "value": {"field": f}}
        for n, f in enumerate(
            ("tree.tag", "tree.species.botanical_name", "inspected_on", "tree.t_girth", "risk", "remarks", "i_id")
        )
    ],
    "filter": {
        "all": [
            {"path": "tree.status", "is": "is", "value": "S"},
            {"path": "tree.deleted_at", "is": "blank"},
            {"path": "inspected_on", "is": "in_window", "window": {"type": "last", "count": 30}},
        ]
    },
    "order": [{"path": "inspected_on", "direction": "descending"}],
}


TREES = {
    "name": "Trees",
    "records": "tree",
    "columns": [{"id": "c0", "heading": "Tag", "value": {"field": "tag"}}],
    "filter": {
        "all": [
            {"path": "deleted_at", "is": "blank"},
            {"path": "status", "is": "is", "value": "S"},
            {"path": "t_girth", "is": "at_least", "value": 50},
            {"path": "site.ward.name", "is": "one_of", "values": ["Quay", "Northgate"]},
        ]
    },
}


def in_turn(*works: Callable[[], Measured]) -> list[list[Measured]]:
    """
    Each piece of work once a round, in turn, so that a slow moment of the machine meets all of them.
    """
    return [[work() for work in works] for _ in range(ROUNDS)]


def median(values: list[float]) -> float:
    return statistics.median(values)


def files(url: str, say: Callable[..., None]) -> None:
    """
    CSV and XLSX against COPY, and against the usual way to a spreadsheet.
    """
    rounds = in_turn(
        lambda: measure_apart("copy_csv", url, ROWS),
        lambda: measure_apart("run_file", url, ROWS, "csv"),
        lambda: measure_apart("run_file", url, ROWS, "xlsx"),
    )
    floor, csv, xlsx = ([r[n] for r in rounds] for n in range(3))
    ratios = [[r[n].seconds / r[0].seconds for r in rounds] for n in (1, 2)]
    fewer = measure_apart("run_file", url, FEWER, "csv")
    slow = measure_apart("xlsxwriter_constant", url, FEWER)
    floor_s, csv_s, xlsx_s = (median([m.seconds for m in way]) for way in (floor, csv, xlsx))
    csv_mb = max(m.megabytes for m in csv)
    say("COPY … TO STDOUT CSV by psycopg, unformatted: the floor", f"{floor_s:.2f} s", "", "1", "")
    say(
        "CSV: counted, formatted, written, totalled, digested",
        f"{csv_s:.2f} s",
        f"{csv_mb:.0f} MB",
        f"{median(ratios[0]):.2f} × COPY",
        "1.25 × COPY, 250 MB",
    )
    say(
        f"the same at {FEWER:,} rows: memory",
        f"{fewer.seconds:.2f} s",
        f"{fewer.megabytes:.0f} MB",
        f"{csv_mb / fewer.megabytes:.2f} × the memory",
        "within 15 %",
    )
    say(
        "XLSX of the same rows",
        f"{xlsx_s:.2f} s",
        f"{max(m.megabytes for m in xlsx):.0f} MB",
        f"{median(ratios[1]):.2f} × COPY",
        "3 × COPY",
    )
    scaled = slow.seconds * ROWS / FEWER
    say(
        f"XlsxWriter in constant memory, {FEWER:,} rows, scaled",
        f"{scaled:.0f} s",
        f"{slow.megabytes:.0f} MB",
        f"ours is {scaled / xlsx_s:.0f} × faster",
        "10 × faster",
    )


def looks(database: BenchDatabase, say: Callable[..., None]) -> None:
    """
    Preview of fifty rows and tally through the API, from request to answer, after one warm-up each.
    """
    with database.client() as client:

        def post(what: str, document: dict[str, Any], **more: Any) -> None:
            body = {"document": document, "limit": 50, **more}
            client.post(f"/api/v1/design/{what}", json=body).raise_for_status()

        took = timed(lambda: post("look", PREVIEW), 60)
        trees = timed(lambda: post("tally", TREES), 10)
        counted = timed(lambda: post("tally", PREVIEW), 5)
        expected = timed(lambda: post("tally", PREVIEW, hurry=True), 20)
    p95 = took[math.ceil(0.95 * len(took)) - 1] * 1000
    say(
        "Preview of 50 rows, three million inspections",
        f"{median(took) * 1000:.0f} ms",
        "",
        f"{p95:.0f} ms at the 95th percentile",
        "50 ms",
    )
    say(
        "What the source expects of that tally of three million inspections",
        f"{median(expected) * 1000:.0f} ms",
        "",
        f"{expected[-1] * 1000:.0f} ms at most",
        "100 ms",
    )
    say(
        "Tally of four steps, 1.2 million trees with their wards",
        f"{median(trees) * 1000:.0f} ms",
        "",
        f"{trees[-1] * 1000:.0f} ms at most",
        "1 s",
    )
    say(
        "Tally of three steps, three million inspections with their trees",
        f"{median(counted) * 1000:.0f} ms",
        "",
        f"{counted[-1] * 1000:.0f} ms at most",
        "1 s",
    )


def engine(database: BenchDatabase, say: Callable[..., None]) -> None:
    """
    Folds against SQL by hand, the tally against one pass, compiling, finding by a value.
    """
    source = database.source()
    tried = folds(database.url, source)[1]
    best = min(tried, key=lambda way: tried[way])
    rounds = [folds(database.url, source, [best]) for _ in range(3)]
    ratio = median([ours / by_hand[best] for ours, by_hand in rounds])
    say(
        f"1,000,000 trees with count, latest and joined of their inspections; best SQL by hand: {best}",
        f"{median([ours for ours, _ in rounds]):.1f} s",
        "",
        f"{ratio:.2f} × the best",
        "1.5 × the best",
    )
    counted = [tallies(database.url, source) for _ in range(ROUNDS)]
    say(
        "Tally of five steps, 1.2 million trees",
        f"{median([a for a, _ in counted]):.2f} s",
        "",
        f"{median([a / b for a, b in counted]):.2f} × one pass by hand",
        "1.3 × one pass",
    )
    say("A template of 100 columns, from document to SQL", f"{compile_wide(source) * 1000:.0f} ms", "", "", "50 ms")
    for what, text in (
        ("frequent", "Quay"),
        ("a label", "standing"),
        ("a tag", "MB-100007"),
        ("nowhere", "no such value"),
    ):
        first, whole, hits = finding(source, text)
        told = f"first hit after {first:.2f} s, {hits} fields" if hits else "no field"
        say(f"Find by a value, trees and neighbours: {what} ({text})", f"{whole:.1f} s for all", "", told, "1 s")


def bench_in_browser(database: BenchDatabase, say: Callable[..., None]) -> None:
    """
    How long a person waits on the bench, in a real browser.
    """
    found = browse(database)
    say(
        f"Bench of 60 columns, 1.2 million trees: an interaction until the next paint, of {len(found.waits)}",
        f"{median(found.waits):.0f} ms",
        "",
        f"{found.p95:.0f} ms at the 95th percentile",
        "100 ms",
    )
    say("First view of that bench, sentence and rows, warm server", f"{found.first:.0f} ms", "", "", "1 s")
    say(
        "A letter in the shelf's search over 500 fields, until the next paint",
        f"{median(found.letters):.0f} ms",
        "",
        f"{found.letters[-1]:.0f} ms at most",
        "50 ms",
    )


def many_rows(url: str, say: Callable[..., None]) -> None:
    """
    Memory stays flat: five million rows, a row per reading and tree.
    """
    more = measure_apart("run_children", url, MORE)
    say(f"CSV of {MORE:,} rows", f"{more.seconds:.1f} s", f"{more.megabytes:.0f} MB", "", "250 MB")


def timed(work: Callable[[], None], times: int) -> list[float]:
    """
    Seconds of each of `times` repetitions, shortest first, after one that does not count.
    """
    work()
    took = []
    for _ in range(times):
        began = time.perf_counter()
        work()
        took.append(time.perf_counter() - began)
    return sorted(took)


def main() -> None:
    """
    Measure everything, print it, and write the document.
    """
    database = BenchDatabase()
    database.prepare()
    lines: list[tuple[Any, ...]] = []

    def say(*cells: str) -> None:
        lines.append(cells)
        print(" | ".join(cells), flush=True)

    try:
        plan_of(source_of(database.url), wide_document(1))
        files(database.url, say)
        many_rows(database.url, say)
        looks(database, say)
        engine(database, say)
        many_runs(database, say)
        crowd(database, say)
        rounds(database, say)
        remembering(database, say)
        forms(database.url, say)
        formats(database.url, say)
        sending(database, say)
        large(database, say)
        comparing(database.url, say)
        archives(say)
        bench_in_browser(database, say)
    finally:
        database.cluster.stop()
    head = ("what", "time", "peak memory", "measured", "asked")
    table = "\n".join(f"| {' | '.join(row)} |" for row in (head, ("---",) * 5, *lines))
    DOCUMENT.write_text(
        f"""# Performance

Measured by `make bench` on {datetime.now():%d %B %Y}: {platform.machine()},
Python {platform.python_version()}, two cores shared with the database.
One million rows × 20 columns of Marrowby at scale 25, joined through one relation, dates and decimals formatted.
Each way runs in a process of its own, in turn, {ROUNDS} times; medians are quoted, ratios are taken within a round.
The database, the reader and the writer share the two cores, so a busy neighbour of the machine shows in the ratios.

{table}
""",
        encoding="utf-8",
    )


if __name__ == "__main__":
    main()
