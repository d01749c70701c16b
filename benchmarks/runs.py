"""
Runs by the hundred, what a run costs beside its query and bytes, comparing a million rows, and archives.
"""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from importlib.resources import files
from pathlib import Path
from typing import Any

import polars as pl

from benchmarks.database import FOLDER, BenchDatabase, measure_apart, plan_of, source_of, wide_document
from bouquet.core.sql import Statements
from bouquet.demo.demo import seed_people
from bouquet.runs import Export, Queue, Services, ask_for_run, execute
from bouquet.store import Store
from bouquet.store import runs as ledger

__all__ = ["SMALL", "WORKERS", "archives", "comparing", "many_runs", "services_on", "workers_of"]

RUNS, WORKERS = 200, 2

SMALL: dict[str, Any] = {
    "name": "Wards",
    "records": "ward",
    "columns": [
        {"id": "a", "heading": "Ward", "value": {"field": "name"}},
        {"id": "b", "heading": "Residents", "value": {"field": "residents"}},
    ],
}

#: Seconds that the runs may take before the measurement is given up.
LONGEST = 180


@contextmanager
def services_on(database: BenchDatabase) -> Iterator[Services]:
    """
    Services on a store of their own in the benchmarks' cluster, by the real clock.
    """
    database.cluster.ensure_role("bouquet", "bench-only")
    database.cluster.drop_database("bouquet_runs")
    database.cluster.ensure_database("bouquet_runs", "bouquet")
    store = Store(database.cluster.url("bouquet_runs", "bouquet", "bench-only"))
    made = Services(store, database.source(), FOLDER / "runs", FOLDER / "outgoing")
    store.migrate()
    Queue(made).install()
    seed_people(made)
    try:
        yield made
    finally:
        made.close()


def many_runs(database: BenchDatabase, say: Callable[..., None]) -> None:
    """
    Two hundred small runs queued at once, two workers; and what one run costs beside its query and its bytes.
    """
    with services_on(database) as services:
        queue = Queue(services)
        with queue.opened():
            ids = [ask_for_run(services, SMALL, person=None, via="hand").id for _ in range(RUNS)]
            for run_id in ids:
                queue.put(run_id)
        with workers_of(services, database.url):
            _wait(services, ids)
        with services.store.session() as session:
            runs = [ledger.get_run(session, run_id) for run_id in ids]
        assert all(r.status == "ready" and r.started_at and r.finished_at for r in runs)
        began, ended = min(r.started_at for r in runs), max(r.finished_at for r in runs)  # type: ignore[type-var]
        seconds = (ended - began).total_seconds()  # type: ignore[operator]
        said = f"{RUNS / seconds:.0f} runs a second"
        say(f"{RUNS} small runs queued at once, {WORKERS} workers", f"{seconds:.1f} s", "", said, "20 runs a second")
        _overhead(services, say)


def _overhead(services: Services, say: Callable[..., None]) -> None:
    whole, bare = [], []
    _, plan = plan_of(services.sources.get(), SMALL)
    for _ in range(30):
        run_id = ask_for_run(services, SMALL, person=None, via="hand").id
        began = time.perf_counter()
        execute(services, run_id)
        whole.append(time.perf_counter() - began)
        began = time.perf_counter()
        with services.sources.get().reader.snapshot(pooled=True) as snapshot:
            snapshot.table(Statements(plan).rows())
        bare.append(time.perf_counter() - began)
    over = statistics.median(whole) - statistics.median(bare)
    said = f"{statistics.median(whole) / statistics.median(bare):.1f} × its query alone"
    say("A run beside its query and its bytes", f"{over * 1000:.0f} ms", "", said, "150 ms")


@contextmanager
def workers_of(services: Services, url: str) -> Iterator[None]:
    catalogue = files("bouquet.demo.marrowby") / "catalogue.toml"
    environment = {
        **os.environ,
        "BOUQUET_STORE_URL": services.store.url,
        "BOUQUET_SOURCE_URL": url,
        "BOUQUET_SOURCE_CATALOGUE": str(catalogue),
        "BOUQUET_FILES": str(services.files),
        "BOUQUET_OUTGOING": str(services.outgoing),
        "BOUQUET_ENV_FILE": "none",
    }
    command = [sys.executable, "-m", "bouquet.cli", "worker"]
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    workers = [subprocess.Popen(command, env=environment, **quiet) for _ in range(WORKERS)]  # type: ignore[call-overload]
    try:
        yield
    finally:
        for worker in workers:
            worker.terminate()
        for worker in workers:
            worker.wait(20)


def _wait(services: Services, ids: list[int]) -> None:
    limit = time.monotonic() + LONGEST
    while time.monotonic() < limit:
        with services.store.session() as session:
            if all(ledger.get_run(session, i).status not in ("asked", "running") for i in ids):
                return
        time.sleep(0.2)
    raise TimeoutError("the runs were not done in time")


# Comparing


def comparing(url: str, say: Callable[..., None], rows: int = 1_000_000) -> None:
    """
    Two runs of a million rows and twenty columns, with planted differences, against writing one of them.
    """
    folder = FOLDER / "compared"
    prepare_sides(url, folder, rows)
    written, compared = [], []
    for _ in range(3):
        written.append(measure_apart("run_file", url, rows, "csv"))
        compared.append(measure_apart("compare_sides", str(folder), rows))
    ratio = statistics.median(c.seconds / w.seconds for c, w in zip(compared, written, strict=True))
    say(
        f"Comparing two runs of {rows:,} rows × 20, every difference written",
        f"{statistics.median(c.seconds for c in compared):.2f} s",
        f"{max(c.megabytes for c in compared):.0f} MB",
        f"{ratio:.2f} × writing one",
        "2 × writing one, 400 MB",
    )


def prepare_sides(url: str, folder: Path, rows: int) -> None:
    """
    A run's file, and the same with one row in a thousand gone, one in a hundred changed, and five hundred added, in
    another order.
    """
    if (folder / "after.csv").exists():
        return
    source = source_of(url)
    template, plan = plan_of(source, wide_document(rows))
    with source.reader.snapshot() as snapshot:
        made = Export(template, plan, "csv", folder).write(snapshot, {})
    made.path.replace(folder / "before.csv")
    before = pl.read_csv(folder / "before.csv", infer_schema=False)
    number = pl.int_range(pl.len())
    after = before.filter(number % 1000 != 7)
    after = after.with_columns(
        pl.when(number % 100 == 3).then(pl.lit("changed")).otherwise(pl.col("note")).alias("note")
    )
    added = before.head(500).with_columns(("X" + pl.col("tag")).alias("tag"))
    pl.concat([added, after.sample(fraction=1, shuffle=True, seed=1)]).write_csv(
        folder / "after.csv", line_terminator="\r\n"
    )


def archives(say: Callable[..., None]) -> None:
    """
    Attachments of a megabyte each into one zip: ten times as many, the same memory.
    """
    few, many = measure_apart("zip_attachments", 100), measure_apart("zip_attachments", 1000)
    say(
        "1,000 attachments of 1 MB into one zip",
        f"{many.seconds:.1f} s",
        f"{many.megabytes:.0f} MB",
        f"{many.megabytes / few.megabytes:.2f} × the memory of 100",
        "flat",
    )
