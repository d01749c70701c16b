"""
How long files stay, whose they are, and the proof that the file store and the ledger agree.
"""

from __future__ import annotations

import time
from dataclasses import dataclass, field
from datetime import timedelta
from typing import Any

import sqlalchemy as sa
import structlog
from sqlalchemy.dialects.postgresql import ARRAY

from bouquet.core.errors import WriteError
from bouquet.core.language import tr
from bouquet.runs.errors import FilesDown, OthersFiles
from bouquet.runs.services import Services
from bouquet.runs.storage import OWNER
from bouquet.store import comparisons, ranges
from bouquet.store.house import identity
from bouquet.store.models import ACTIVE, Run, RunFile

__all__ = ["Swept", "claim_at_start", "claim_files", "expire_files", "forget_ranges", "sweep_files"]

log = structlog.get_logger()

#: Runs whose files are put away in one go.
AT_ONCE = 500

#: Seconds until what no run knows is looked at once more, before it is removed.
SECOND_LOOK = 1.0

#: Files that the log names; `bouquet sweep` names all.
NAMED = 5

#: Digits of the longest number that a run can have.
LONGEST_NUMBER = 18

#: Minutes that a run which is over may still be looked at as if it was under way.
GRACE = 2


@dataclass
class Swept:
    """
    What a sweep found. `orphans` were left by runs of this house, and no run knows them: they are removed; `strangers`
    are of no run that there ever was here, and are left alone; `missing` are known and not there; `changed` are there
    with another size. Paths are those in the file store.
    """

    files: int = 0
    bytes: int = 0
    orphans: list[str] = field(default_factory=list)
    strangers: list[str] = field(default_factory=list)
    missing: list[str] = field(default_factory=list)
    changed: list[str] = field(default_factory=list)

    @property
    def agrees(self) -> bool:
        """
        Whether store and ledger agreed, but for what was left behind.
        """
        return not self.missing and not self.changed


def claim_files(services: Services) -> None:
    """
    Take the file store for this house, where it is nobody's yet: two that shared one would remove each other's files.

    Raises OthersFiles where it is another house's; WriteError and FilesDown.
    """
    with services.store.session() as session:
        house = identity(session, services.clock())
    owner = services.storage.owner()
    if not owner:
        services.storage.own(house)
    elif owner != house:
        said = tr(
            "The file store belongs to another house of Bouquet. Give this one a place of its own (BOUQUET_FILES); "
            "where that house is gone, remove {name} there.",
            name=OWNER,
        )
        raise OthersFiles(said)


def claim_at_start(services: Services) -> None:
    """
    The same when a process begins. A file store that is away then is claimed by whoever looks after files later.
    """
    try:
        claim_files(services)
    except (FilesDown, WriteError, OSError) as error:
        log.warning("files_not_claimed", error=str(error))


def forget_ranges(services: Services) -> None:
    """
    Forget what a worker that was killed left of ranges.
    """
    with services.store.session() as session:
        ranges.forget_left(session)


def expire_files(services: Services) -> int:
    """
    Put away the files whose time is over. Runs and slips stay. Returns the number of files.

    The ledger says first that they are gone, so that nobody is ever offered a file that is not there. Raises
    OthersFiles.
    """
    claim_files(services)
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
    Compare the file store with the ledger, and, with `repair`, remove what runs of this house left and no run knows.

    Workplaces of runs that are under way, or just ended, are left alone; and so is all that is of no run of the ledger,
    as when that was brought back from a backup, or where others keep something in the same place. Raises OthersFiles.
    """
    claim_files(services)
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
    swept.orphans, swept.strangers = _of_runs(services, swept.orphans)
    if swept.orphans:
        swept.orphans = _still_unknown(services, swept.orphans)
        for path in swept.orphans if repair else ():
            services.storage.remove(path)
    # What went while the store was being listed is looked at once more.
    swept.missing = [p for p in known if p not in found and services.storage.size(p) is None]
    if swept.orphans or swept.strangers or not swept.agrees:
        kinds = ("orphans", "strangers", "missing", "changed")
        counts = {kind: len(getattr(swept, kind)) for kind in kinds}
        log.warning("store_swept", **counts, some=(swept.missing + swept.changed)[:NAMED])
    return swept


def _of_runs(services: Services, paths: list[str]) -> tuple[list[str], list[str]]:
    """
    (those that stand where a run of the ledger puts its files, all others).
    """
    number_of = {p: p.partition("/")[0] for p in paths}
    numbers = [int(n) for n in {*number_of.values()} if n.isdecimal() and len(n) <= LONGEST_NUMBER]
    with services.store.session() as session:
        there = {str(n) for n in session.scalars(sa.select(Run.id).where(Run.id == _any(numbers, sa.BigInteger())))}
    return [p for p in paths if number_of[p] in there], [p for p in paths if number_of[p] not in there]


def _still_unknown(services: Services, paths: list[str]) -> list[str]:
    """
    Those that the ledger has not come to know meanwhile: a comparison's file is in the store a moment before.
    """
    time.sleep(SECOND_LOOK)
    with services.store.session() as session:
        known = set(session.scalars(sa.select(RunFile.path).where(RunFile.path == _any(paths, sa.Text()), _there())))
    return [p for p in paths if p not in known]


def _any(values: list[Any], kind: sa.types.TypeEngine[Any]) -> Any:
    """
    Any of so many values that a statement has no room for each.
    """
    return sa.any_(sa.literal(values, ARRAY(kind)))


def _there() -> sa.ColumnElement[bool]:
    return RunFile.removed_at.is_(None)
