"""
How long files stay, and the proof that the file store and the ledger agree.
"""

from __future__ import annotations

import time
from dataclasses import dataclass, field
from datetime import timedelta

import sqlalchemy as sa
import structlog

from bouquet.runs.services import Services
from bouquet.store import comparisons, ranges
from bouquet.store.models import ACTIVE, Run, RunFile

__all__ = ["Swept", "expire_files", "forget_ranges", "sweep_files"]

log = structlog.get_logger()

#: Runs whose files are put away in one go.
AT_ONCE = 500

#: Seconds until what no run knows is looked at once more, before it is removed.
SECOND_LOOK = 1.0

#: Files that the log names; `bouquet sweep` names all.
NAMED = 5

#: Minutes that a run which is over may still be looked at as if it was under way.
GRACE = 2


@dataclass
class Swept:
    """
    What a sweep found. `orphans` were in the store and unknown to the ledger, and are removed; `missing` are known and
    not there; `changed` are there with another size. Paths are those in the file store.
    """

    files: int = 0
    bytes: int = 0
    orphans: list[str] = field(default_factory=list)
    missing: list[str] = field(default_factory=list)
    changed: list[str] = field(default_factory=list)

    @property
    def agrees(self) -> bool:
        """
        Whether store and ledger agreed, but for what was left behind.
        """
        return not self.missing and not self.changed


def forget_ranges(services: Services) -> None:
    """
    Forget what a worker that was killed left of ranges.
    """
    with services.store.session() as session:
        ranges.forget_left(session)


def expire_files(services: Services) -> int:
    """
    Put away the files whose time is over. Runs and slips stay. Returns the number of files.

    The ledger says first that they are gone, so that nobody is ever offered a file that is not there.
    """
    now = services.clock()
    with services.store.session() as session:
        over = sa.select(Run.id).where(
            Run.keep_until <= now, sa.select(RunFile.id).where(RunFile.run_id == Run.id, _there()).exists()
        )
        ids = list(session.scalars(over.limit(AT_ONCE)))
        files = list(session.scalars(sa.select(RunFile).where(RunFile.run_id.in_(ids), _there())))
        for file in files:
            file.removed_at = now
        quoted = comparisons.forget(session, ids, now)
    for path in {*(f.path for f in files), *quoted}:
        services.storage.remove(path)
    if files:
        log.info("files_expired", files=len(files))
    return len(files)


def sweep_files(services: Services, *, repair: bool = True) -> Swept:
    """
    Compare the file store with the ledger, and, with `repair`, remove what no run knows.

    Workplaces of runs that are under way, or just ended, are left alone.
    """
    swept = Swept()
    found = dict(services.storage.listing())
    with services.store.session() as session:
        soon = services.clock() - timedelta(minutes=GRACE)
        busy = sa.select(Run.id).where(sa.or_(Run.status.in_(ACTIVE), Run.finished_at > soon))
        under_way = {str(i) for i in session.scalars(busy)}
        known = {f.path: f.size for f in session.scalars(sa.select(RunFile).where(_there()))}
    for path, size in found.items():
        if path in known:
            swept.files += 1
            swept.bytes += size
            if size != known[path]:
                swept.changed.append(path)
        elif path.split("/", 1)[0] not in under_way:
            swept.orphans.append(path)
    if swept.orphans:
        swept.orphans = _still_unknown(services, swept.orphans)
        for path in swept.orphans if repair else ():
            services.storage.remove(path)
    # What went while the store was being listed is looked at once more.
    swept.missing = [p for p in known if p not in found and services.storage.size(p) is None]
    if swept.orphans or not swept.agrees:
        counts = {"orphans": len(swept.orphans), "missing": len(swept.missing), "changed": len(swept.changed)}
        log.warning("store_swept", **counts, some=(swept.missing + swept.changed)[:NAMED])
    return swept


def _still_unknown(services: Services, paths: list[str]) -> list[str]:
    """
    Those that the ledger has not come to know meanwhile: a comparison's file is in the store a moment before.
    """
    time.sleep(SECOND_LOOK)
    with services.store.session() as session:
        known = set(session.scalars(sa.select(RunFile.path).where(RunFile.path.in_(paths), _there())))
    return [p for p in paths if p not in known]


def _there() -> sa.ColumnElement[bool]:
    return RunFile.removed_at.is_(None)
