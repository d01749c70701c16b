"""
A run of very many rows: they are cut into ranges of their order, which any worker writes that has time, and which are
joined into one file.

All ranges are read from one snapshot, that of the worker that has the run; it writes them itself where nobody helps,
and takes what somebody does not finish. Nothing depends on a helper.
"""

from __future__ import annotations

import hashlib
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager, suppress
from contextvars import copy_context
from dataclasses import dataclass
from pathlib import Path
from typing import Any, TypeVar

import structlog
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from bouquet.core.language import speaking
from bouquet.core.plan import Plan
from bouquet.core.shaping import to_frame
from bouquet.core.sql import Range, Statements, render
from bouquet.core.writers import writer_of
from bouquet.runs.planned import language_of_run, plan_run
from bouquet.runs.progress import Progress
from bouquet.runs.seen import SeenRows, WrittenRange
from bouquet.runs.services import Services
from bouquet.runs.split_writer import prefetched
from bouquet.sources import PostgresReader, PostgresSnapshot, Snapshot
from bouquet.store import ranges as entered
from bouquet.store.models import Run, RunRange

__all__ = ["RangesOfRun", "help_with_run"]

log = structlog.get_logger()

#: Fewest ranges of a run, so that two workers of different speed end at about the same time, and the most.
FEWEST, MOST = 4, 1_000

#: Most workers that are asked to help with a run. Free ones of the same machine are often the first to come.
HELPERS = 32

#: Seconds between two looks at what others made, and between two signs of life.
LOOK, BEAT = 0.2, 1.0

#: Bytes read at a time.
CHUNK = 1 << 20

#: Seconds between tries to reach the store.
PAUSES = (1, 2, 4, 8, 16)

_T = TypeVar("_T")


class RangesOfRun:
    """
    The ranges of one attempt at a run, as the worker that has the run sees them.

    Args:
        snapshot: The one that the run is read from.
        folder: Where the attempt writes.
        progress: How far the run has come.
    """

    def __init__(
        self, services: Services, run: Run, plan: Plan, snapshot: Snapshot, folder: Path, progress: Progress
    ) -> None:
        self.services, self.run, self.plan, self.snapshot, self.folder = services, run, plan, snapshot, folder
        self.progress = progress
        #: What was written here, by (number, try): it need not go to the file store and back.
        self._own: dict[tuple[int, int], tuple[Path, Path]] = {}

    def cut(self, statements: Statements, announced: int) -> Iterator[WrittenRange] | None:
        """
        Cut the rows of `statements`, where there are enough of them, and give the ranges as they are made, in their
        order; None where they are not cut.
        """
        size = self.services.range_rows
        reader = self.services.source_of(self.run.source).run_reader
        if announced < 2 * size or not isinstance(self.snapshot, PostgresSnapshot):
            return None
        if not isinstance(reader, PostgresReader) or not reader.shares or not self.services.has_help():
            return None
        wanted = min(MOST, max(FEWEST, -(-announced // size)))
        bounds = [b for b in self.snapshot.row(statements.bounds(wanted)).values() if b is not None]
        return self._written(statements.ranges(bounds), announced)

    def _written(self, ranges: list[Range], announced: int) -> Iterator[WrittenRange]:
        self._enter(ranges, announced)
        self.services.ask_for_help(self.run.id, self.run.attempt, min(HELPERS, len(ranges) - 1))
        log.info("run_cut", run=self.run.id, ranges=len(ranges))
        joined = 0
        try:
            while joined < len(ranges):
                mine = self._write_one()
                known = self._look(announced)
                while joined < len(known) and known[joined].status == "made":
                    yield self._made(known[joined])
                    self._remove(known[joined])
                    joined += 1
                if not mine and joined < len(ranges):
                    time.sleep(LOOK)
        finally:
            # Whoever still writes one stops at that.
            with suppress(DBAPIError), self.services.store.session() as session:
                entered.withdraw(session, self.run.id, self.run.attempt)

    def _look(self, announced: int) -> list[RunRange]:
        """
        The ranges as they are, by which it is told how far the run has come. Raises what ends the run.
        """
        known = _patiently(self.services, lambda s: entered.of_attempt(s, self.run.id, self.run.attempt))
        self.progress("writing", announced, sum(each.rows for each in known))
        return known

    def _enter(self, ranges: list[Range], announced: int) -> None:
        assert isinstance(self.snapshot, PostgresSnapshot)
        facts = {
            "run_id": self.run.id,
            "attempt": self.run.attempt,
            "snapshot": self.snapshot.shared(),
            "announced": announced,
            "statement": _digest(self.plan, announced),
        }
        with self.services.store.session() as session:
            entered.withdraw(session, self.run.id, self.run.attempt)
            entered.enter(
                session, [RunRange(number=n, least=r.least, below=r.below, **facts) for n, r in enumerate(ranges)]
            )

    def _write_one(self) -> bool:
        """
        Write a range that nobody writes. Returns False where there is none.
        """
        taken = _taken(self.services, self.run)
        if taken is None:
            return False
        files = _files_of(taken, self.folder)
        with _alive(self.services, taken, lambda: None, self._tell) as state:
            told = _write_rows(self.plan, self.run.format, taken, self.snapshot, *files, state)
        if told is None or not _enter_made(self.services, taken, state, told, ("", "")):
            _unlink(files)
        else:
            self._own[taken.number, taken.tries] = files
        return True

    def _tell(self, session: Session) -> None:
        """
        Tell how far the run has come while a range of it is written here.
        """
        known = entered.of_attempt(session, self.run.id, self.run.attempt)
        self.progress.written = sum(each.rows for each in known)

    def _made(self, made: RunRange) -> WrittenRange:
        told = _patiently(self.services, lambda s: entered.told_of(s, made))
        own = self._own.get((made.number, made.tries))
        if own is not None:
            return WrittenRange(lambda: _chunks(own[0]), told, own[1].read_bytes())
        storage = self.services.storage
        return WrittenRange(lambda: storage.chunks(made.path), told, b"".join(storage.chunks(made.keys_path)))

    def _remove(self, made: RunRange) -> None:
        own = self._own.pop((made.number, made.tries), None)
        if own is not None:
            _unlink(own)
            return
        for path in (made.path, made.keys_path):
            self.services.storage.remove(path)


def help_with_run(services: Services, run_id: int, attempt: int) -> bool:
    """
    Write one range of an attempt at a run. Returns whether there may be another. What goes wrong is left to the worker
    that has the run.
    """
    with services.store.session() as session:
        run = session.get(Run, run_id)
        if run is None or run.attempt != attempt or run.status != "running":
            return False
    try:
        with speaking(language_of_run(services, run)):
            _, plan = plan_run(services, run).alone
            reader = services.source_of(run.source).run_reader
            if plan is not None and isinstance(reader, PostgresReader):
                return _help_once(services, run, plan, reader)
    except Exception as error:
        log.warning("not_helped", run=run_id, error=str(error))
    return False


def _help_once(services: Services, run: Run, plan: Plan, reader: PostgresReader) -> bool:
    """
    Write one range. Returns whether there may be another.
    """
    taken = _taken(services, run)
    if taken is None:
        return False
    files = _files_of(taken, services.storage.workplace(run.id, run.attempt))
    kept: list[str] = []
    made = False
    try:
        if taken.statement != _digest(plan, taken.announced):
            log.warning("range_left", run=run.id, number=taken.number, error="the run's plan is another one here")
            return False
        files[0].parent.mkdir(parents=True, exist_ok=True)
        with (
            reader.snapshot(pooled=True, of=taken.snapshot) as snapshot,
            _alive(services, taken, snapshot.cancel) as state,
        ):
            told = _write_rows(plan, run.format, taken, snapshot, *files, state)
            if told is not None:
                kept = [services.storage.keep(run.id, run.attempt, path) for path in files]
                made = _enter_made(services, taken, state, told, (kept[0], kept[1]))
        return made
    finally:
        if not made:
            for path in kept:
                services.storage.remove(path)
            with suppress(DBAPIError), services.store.session() as session:
                entered.give_back(session, taken)
        if not made or services.storage.local("") is None:
            _unlink(files)


@dataclass
class _State:
    """
    How far the writer of a range has come, and whether it is to stop.
    """

    rows: int = 0
    lost: bool = False


@contextmanager
def _alive(
    services: Services,
    taken: RunRange,
    stop: Callable[[], None],
    also: Callable[[Session], None] = lambda session: None,
) -> Iterator[_State]:
    """
    Say again and again that a range is being written, and do what there is `also` to do; `stop` is called when it is
    not the caller's any more.
    """
    state, over = _State(), threading.Event()

    def beat() -> None:
        while not over.wait(BEAT):
            # The store may be out of reach for a moment.
            with suppress(DBAPIError), services.store.session() as session:
                if entered.see(session, taken, state.rows, services.clock()):
                    state.lost = True
                    stop()
                    return
                also(session)

    beating = threading.Thread(target=beat, name=f"range-{taken.id}-alive", daemon=True)
    beating.start()
    try:
        yield state
    finally:
        over.set()
        beating.join()


def _files_of(taken: RunRange, folder: Path) -> tuple[Path, Path]:
    """
    Where the rows of a range are written, and the keys of its records.
    """
    rows = folder / f"range-{taken.number}-{taken.tries}"
    return rows, rows.with_name(f"{rows.name}-keys")


def _enter_made(
    services: Services, taken: RunRange, state: _State, told: dict[str, Any], kept: tuple[str, str]
) -> bool:
    """
    Enter a range as made, with the paths by which the file store finds its rows and keys. Returns False where it was
    lost to somebody else.
    """
    facts = {"rows": state.rows, "told": told, "path": kept[0], "keys_path": kept[1]}
    if not _patiently(services, lambda s: entered.made(s, taken, **facts)):
        return False
    log.info("range_made", run=taken.run_id, number=taken.number, rows=state.rows)
    return True


def _unlink(files: tuple[Path, Path]) -> None:
    for path in files:
        path.unlink(missing_ok=True)


def _chunks(path: Path) -> Iterator[bytes]:
    with path.open("rb") as file:
        while chunk := file.read(CHUNK):
            yield chunk


def _write_rows(
    plan: Plan, format: str, taken: RunRange, snapshot: Snapshot, rows: Path, keys: Path, state: _State
) -> dict[str, Any] | None:
    """
    Write the rows of a range, and what is seen of them. Returns None where it was lost on the way.
    """
    statement = _rows_within(plan, taken.announced, Range(taken.least, taken.below))
    seen = SeenRows(plan)
    with (
        writer_of(format)(plan, rows, announced=taken.announced, goes_on=True) as writer,
        ThreadPoolExecutor(1, thread_name_prefix="totals") as adding,
    ):
        added: Future[None] | None = None
        for batch, frame in prefetched((b, to_frame(b)) for b in snapshot.batches(statement)):
            if added is not None:
                added.result()
            added = adding.submit(copy_context().run, seen.add, batch, frame)
            writer.write(frame)
            state.rows = writer.facts.rows
            if state.lost:
                return None
        if added is not None:
            added.result()
    keys.write_bytes(seen.keys)
    return {**seen.told(), "notes": dict(writer.facts.notes)}


def _taken(services: Services, run: Run) -> RunRange | None:
    return _patiently(services, lambda s: entered.take(s, run.id, run.attempt, services.clock()))


def _patiently(services: Services, work: Callable[[Session], _T]) -> _T:
    """
    What can be repeated in the store, which may be out of reach for a moment: a run of hours goes on.
    """
    for wait in PAUSES:
        with suppress(DBAPIError), services.store.session() as session:
            return work(session)
        time.sleep(wait)
    with services.store.session() as session:
        return work(session)


def _rows_within(plan: Plan, announced: int, within: Range) -> Any:
    statements = Statements(plan, expected=announced)
    return statements.rows_within(within, keys=True, checks=bool(plan.row_checks), parents=True)


def _digest(plan: Plan, announced: int) -> str:
    """
    What tells whether two workers would write the same rows.
    """
    return hashlib.sha256(render(_rows_within(plan, announced, Range())).encode()).hexdigest()
