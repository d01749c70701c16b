"""
Putting a round's files where they go: as new ones, in the place of the last, or at the end of a running one.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import shutil
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path, PurePosixPath
from typing import IO

import sqlalchemy as sa

from bouquet.core.errors import WriteError
from bouquet.core.naming import with_suffix
from bouquet.core.plan import Plan
from bouquet.core.template import Template
from bouquet.core.writers import WRITERS
from bouquet.runs.errors import FolderError
from bouquet.runs.services import Services
from bouquet.store import runs as ledger
from bouquet.store.models import LATER, Appending, Round, Run, RunFile

__all__ = ["MODES", "appendable", "deliver", "outgoing_folder"]

#: What may become of an earlier file at the destination.
MODES = ("new", "replace", "append")

CHUNK = 1 << 20


def outgoing_folder(root: Path, folder: str) -> Path:
    """
    The folder a round writes into, below `root`. Raises FolderError when the name leads elsewhere.
    """
    parts = PurePosixPath(folder.strip()).parts
    if not parts or ".." in parts or parts[0] == "/" or any("\x00" in p or p.startswith(".") for p in parts):
        raise FolderError(" ".join((FolderError.__doc__ or "").split()))
    return root.joinpath(*parts)


def appendable(template: Template, format: str) -> str | None:
    """
    Why rows of this template cannot be added to a running file; None where they can.
    """
    if format == "xlsx":
        return "Rows can be added to CSV and JSON Lines files only, not to a spreadsheet."
    if template.output.style != "machine":
        return "Only files in machine style can grow: titles and totals would stand between the rows."
    if template.output.split is not None:
        return "A file that is split into several cannot be added to."
    if template.output.archive or template.output.attachments is not None:
        return "An archive cannot be added to."
    return None


def deliver(
    services: Services,
    run: Run,
    files: list[RunFile],
    planned: Callable[[], tuple[Template, Plan] | tuple[None, None]],
) -> str:
    """
    Put the files of a round's run into its folder. Returns their names below the outgoing folder, one a line.
    `planned` gives what was run, where that has to be known.

    The names are entered in the ledger first, so that a repeated delivery of the same run replaces its own files and
    adds its rows only once. Where there is an archive, only that goes out. Raises WriteError and FolderError.
    """
    assert run.round_id is not None
    archive = [f for f in files if f.role == "archive"]
    going = archive or [f for f in files if f.role not in LATER]
    with services.store.session() as session:
        known, round_ = ledger.get_run(session, run.id), session.get_one(Round, run.round_id)
        mode, wanted = round_.mode, known.delivered_to
        target = outgoing_folder(services.outgoing, round_.folder)
        if wanted is None:
            taken: list[Path] = []
            for file in going:
                place = target / file.name
                taken.append(place if mode != "new" else _unused(target, file.name, taken))
            wanted = "\n".join(str(t.relative_to(services.outgoing)) for t in taken)
            known.delivered_to = wanted
    for file, name in zip(going, wanted.split("\n"), strict=True):
        with services.storage.fetched(file.path) as made:
            if mode == "append" and file.role == "data":
                template, plan = planned()
                if template is None or plan is None or (why := appendable(template, run.format)):
                    raise FolderError(why or "Rows of a bundle cannot be added to a running file.")
                _append(services, run, plan, made, name)
            else:
                _put(made, services.outgoing / name, name, run.id)
    return wanted


@contextmanager
def _told(name: str) -> Iterator[None]:
    try:
        yield
    except OSError as error:
        reason = (error.strerror or str(error)).lower()
        raise WriteError(f"The file could not be put into “{name}”: {reason}.") from error


def _put(made: Path, target: Path, name: str, run_id: int) -> None:
    with _told(name):
        target.parent.mkdir(parents=True, exist_ok=True)
        with _exchanged(target, run_id) as copy, made.open("rb") as source:
            shutil.copyfileobj(source, copy, CHUNK)


@contextmanager
def _exchanged(target: Path, run_id: int) -> Iterator[IO[bytes]]:
    """
    A file written beside and then renamed: a reader sees the old one or the new one, never half of it.
    """
    beside = target.with_name(f".{target.name}.{run_id}.part")
    try:
        with beside.open("wb") as copy:
            yield copy
            copy.flush()
            os.fsync(copy.fileno())
        beside.replace(target)
    finally:
        with contextlib.suppress(OSError):
            beside.unlink(missing_ok=True)


def _unused(folder: Path, name: str, taken: list[Path]) -> Path:
    candidate, n = folder / name, 1
    while candidate.exists() or candidate in taken:
        n += 1
        candidate = folder / with_suffix(name, n)
    return candidate


# Running files


def _append(services: Services, run: Run, plan: Plan, made: Path, name: str) -> None:
    """
    Add a run's rows to a running file, once, however often this is tried, and never between another's.

    What is to be added is entered before the file is touched: after a crash the file itself tells whether it was.
    Raises FolderError when the file has other headings.
    """
    target, head = services.outgoing / name, _head_of(plan, run.format)
    with services.store.session() as locked:
        # Two workers with rows for one file wait for each other, on whatever machine they are.
        key = int.from_bytes(hashlib.sha256(name.encode()).digest()[:8], "big", signed=True)
        locked.execute(sa.select(sa.func.pg_advisory_xact_lock(key)))
        with _told(name):
            target.parent.mkdir(parents=True, exist_ok=True)
            with services.store.session() as session:
                known = session.get(Appending, (run.id, name))
            if known is not None and (known.done or _holds(target, known)):
                _note(services, known)
                return
            before = target.stat().st_size if target.exists() else 0
            if before:
                _check_head(target, head, name, plan)
            digest, size = hashlib.sha256(), 0
            for chunk in _addition(made, target, len(head) if before else 0):
                digest.update(chunk)
                size += len(chunk)
            entry = Appending(
                run_id=run.id,
                target=name,
                size_before=before,
                size_after=before + size,
                sha256=digest.hexdigest(),
                done=False,
            )
            with services.store.session() as session:
                session.merge(entry)
            _write_longer(target, made, len(head) if before else 0, run.id)
        _note(services, entry)


def _note(services: Services, entry: Appending) -> None:
    with services.store.session() as session:
        session.merge(entry).done = True


def _head_of(plan: Plan, format: str) -> bytes:
    """
    What a file of this plan begins with: its signature and its heading rows.
    """
    with tempfile.TemporaryDirectory(prefix="bouquet-") as folder:
        path = Path(folder) / "head"
        with WRITERS[format](plan, path, announced=0):
            pass
        return path.read_bytes()


def _check_head(target: Path, head: bytes, name: str, plan: Plan) -> None:
    with target.open("rb") as file:
        if file.read(len(head)) == head:
            return
    wanted = ", ".join(c.heading for c in plan.columns[:6])
    raise FolderError(
        f"“{name}” begins with other headings, or in another order or encoding, than {wanted}. Nothing was added to it."
    )


def _addition(made: Path, target: Path, skipped: int) -> Iterator[bytes]:
    """
    What is to be added: the rows without the head, after an end of line where the file lacks one.
    """
    if skipped and target.exists():
        with target.open("rb") as file:
            file.seek(-1, os.SEEK_END)
            if file.read(1) not in (b"\n", b"\x00"):
                yield b"\r\n"
    with made.open("rb") as source:
        source.seek(skipped)
        while chunk := source.read(CHUNK):
            yield chunk


def _write_longer(target: Path, made: Path, skipped: int, run_id: int) -> None:
    with _exchanged(target, run_id) as copy:
        if target.exists():
            with target.open("rb") as known:
                shutil.copyfileobj(known, copy, CHUNK)
        for chunk in _addition(made, target, skipped):
            copy.write(chunk)


def _holds(target: Path, entry: Appending) -> bool:
    """
    Whether a file holds, where they belong, the bytes that were to be added.
    """
    if not target.exists() or target.stat().st_size < entry.size_after:
        return False
    digest, left = hashlib.sha256(), entry.size_after - entry.size_before
    with target.open("rb") as file:
        file.seek(entry.size_before)
        while left and (chunk := file.read(min(CHUNK, left))):
            digest.update(chunk)
            left -= len(chunk)
    return digest.hexdigest() == entry.sha256
