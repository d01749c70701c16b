"""
Putting a round's files where they go: as new ones, in the place of the last, or at the end of a running one.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import shutil
import tempfile
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path, PurePosixPath
from typing import IO

import sqlalchemy as sa
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from bouquet.core.errors import WriteError
from bouquet.core.language import tr
from bouquet.core.naming import with_suffix
from bouquet.core.plan import Plan
from bouquet.core.template import Template
from bouquet.core.vocabulary.formats import FORMATS
from bouquet.core.writers import writer_of
from bouquet.runs.errors import FolderError
from bouquet.runs.mailing import mail_files
from bouquet.runs.outgoing import Place, checked_folder, opened_place
from bouquet.runs.services import Services
from bouquet.store.models import LATER, Appending, Placing, Round, Run, RunFile

__all__ = ["MODES", "appendable", "deliver"]

#: What may become of an earlier file at the destination.
MODES = ("new", "replace", "append")

#: Names that are tried for a file that must be new.
MOST_NAMES = 10_000

CHUNK = 1 << 20

#: What lines end with, in encodings of two bytes a sign and of one.
LINE_ENDS = (b"\r\x00\n\x00", b"\n\x00", b"\r\n", b"\n")


def appendable(template: Template, format: str) -> str | None:
    """
    Why rows of this template cannot be added to a running file; None where they can.
    """
    if not FORMATS[format].grows:
        growing = " and ".join(f.label for f in FORMATS.values() if f.grows)
        return tr(
            "Rows can be added to {growing} files only, not to {formats}.",
            growing=growing,
            formats=FORMATS[format].noun,
        )
    if template.output.style != "machine":
        return tr("Only files in machine style can grow: titles and totals would stand between the rows.")
    if template.output.split is not None:
        return tr("A file that is split into several cannot be added to.")
    if template.output.archive or template.output.attachments is not None:
        return tr("An archive cannot be added to.")
    return None


def deliver(
    services: Services,
    run: Run,
    files: Sequence[RunFile],
    planned: Callable[[], tuple[Template, Plan] | tuple[None, None]],
) -> None:
    """
    Put the files of a round's run into its folder. `planned` gives what was run, where that has to be known.

    The places are entered in the ledger first, and a name that must be new is taken there by one run only; so a
    repeated delivery goes on where the last one stopped, and adds its rows only once. Where there is an archive, only
    that goes out; afterwards the files are mailed. Raises WriteError, FolderError and MailError.
    """
    assert run.round_id is not None
    own = [f for f in files if f.recipient_id is None]
    archive = [f for f in own if f.role == "archive"]
    going = archive or [f for f in own if f.role not in (*LATER, "missing")]
    for file, entry in _reserved(services, run, going):
        if entry.done:
            continue
        with services.storage.fetched(file.path) as made:
            if entry.mode == "append" and file.role == "data":
                template, plan = planned()
                if template is None or plan is None or (why := appendable(template, run.format)):
                    raise FolderError(why or tr("Rows of a bundle cannot be added to an appended file."))
                _append(services, run, plan, made, entry.target)
            elif entry.mode == "new":
                entry = _put_new(services, made, file, entry)
            else:
                _replace(services.outgoing, made, entry)
        with services.store.session() as session:
            session.get_one(Placing, entry.id).done = True
    mail_files(services, run, going)


def _reserved(services: Services, run: Run, going: Sequence[RunFile]) -> list[tuple[RunFile, Placing]]:
    """
    The places of a run's files: those entered before, or new ones; none where the round has no folder.
    """
    with services.store.session() as session:
        placed = sa.select(Placing).where(Placing.run_id == run.id, Placing.mode != "mail")
        known = session.scalars(placed.order_by(Placing.position)).all()
        if known:
            return list(zip(going, known, strict=True))
        round_ = session.get_one(Round, run.round_id)
        if not round_.folder:
            return []
        folder, mode = checked_folder(round_.folder), round_.mode
        now = services.clock()
        return [
            (
                file,
                _reserve(session, services.outgoing, folder, file.name, run_id=run.id, position=n, mode=mode, now=now),
            )
            for n, file in enumerate(going)
        ]


def _reserve(
    session: Session,
    root: Path,
    folder: PurePosixPath,
    name: str,
    *,
    run_id: int,
    position: int,
    mode: str,
    now: datetime,
) -> Placing:
    """
    Enter a file's place. A name that must be new is one that no other run has taken and no file has, also once it is
    entered: from then on only this run, or somebody else than Bouquet, puts a file there.
    """
    for number in range(1, MOST_NAMES):
        target = str(folder / (name if number == 1 else with_suffix(name, number)))
        if mode == "new":
            with _told(target), opened_place(root, target) as place:
                if place.exists():
                    continue
        values = {"run_id": run_id, "position": position, "target": target, "mode": mode, "entered_at": now}
        entered = session.execute(insert(Placing).values(**values).on_conflict_do_nothing().returning(Placing.id))
        if (found := entered.scalar()) is not None:
            entry = session.get_one(Placing, found)
            if mode != "new":
                return entry
            # Between the look and the entry another run may have put its file there and been done with the name.
            with _told(target), opened_place(root, target) as place:
                if not place.exists():
                    return entry
            session.delete(entry)
            session.flush()
            continue
        # Another attempt of the same run may have entered the place in the meantime.
        own = sa.select(Placing).where(Placing.run_id == run_id, Placing.position == position)
        if known := session.scalars(own).first():
            return known
    raise WriteError(tr("There is no free name left for “{name}”; clear the folder.", name=name))


@contextmanager
def _told(name: str) -> Iterator[None]:
    try:
        yield
    except OSError as error:
        reason = (error.strerror or str(error)).lower()
        raise WriteError(tr("The file could not be put into “{name}”: {reason}.", name=name, reason=reason)) from error


def _put_new(services: Services, made: Path, file: RunFile, entry: Placing) -> Placing:
    """
    Put a file where none is; returns the place it came to. A file that somebody else put there in the meantime keeps
    its name.
    """
    while True:
        with _told(entry.target), opened_place(services.outgoing, entry.target) as place:
            # An earlier attempt may have been stopped after the file was there.
            if place.exists() and place.size() == file.size and _digest_of(place) == file.sha256:
                return entry
            with contextlib.suppress(FileExistsError), made.open("rb") as source:
                with place.written(entry.run_id, anew=True) as copy:
                    shutil.copyfileobj(source, copy, CHUNK)
                return entry
        path = PurePosixPath(entry.target)
        with services.store.session() as session:
            session.delete(session.get_one(Placing, entry.id))
            session.flush()
            entry = _reserve(
                session,
                services.outgoing,
                path.parent,
                file.name,
                run_id=entry.run_id,
                position=entry.position,
                mode="new",
                now=services.clock(),
            )


def _digest_of(place: Place) -> str:
    digest = hashlib.sha256()
    with place.open() as file:
        while chunk := file.read(CHUNK):
            digest.update(chunk)
    return digest.hexdigest()


def _replace(root: Path, made: Path, entry: Placing) -> None:
    with (
        _told(entry.target),
        opened_place(root, entry.target) as place,
        made.open("rb") as source,
        place.written(entry.run_id, anew=False) as copy,
    ):
        shutil.copyfileobj(source, copy, CHUNK)


# Appended files


def _append(services: Services, run: Run, plan: Plan, made: Path, name: str) -> None:
    """
    Add a run's rows to a running file, once, however often this is tried, and never between another's.

    What is to be added is entered before the file is touched: after a crash the file itself tells whether it was.
    Raises FolderError when the file has other headings.
    """
    head = _head_of(plan, run.format)
    with services.store.session() as locked:
        # Two workers with rows for one file wait for each other, on whatever machine they are.
        key = int.from_bytes(hashlib.sha256(name.encode()).digest()[:8], "big", signed=True)
        locked.execute(sa.select(sa.func.pg_advisory_xact_lock(key)))

        def still_locked() -> None:
            # The lock ends with its connection; whoever has it then must not lose what they add.
            locked.execute(sa.select(sa.literal(1)))

        with _told(name), opened_place(services.outgoing, name) as place, place.alone():
            still_locked()
            with services.store.session() as session:
                known = session.get(Appending, (run.id, name))
                taken = known is not None and _is_anothers(session, known)
            if known is not None and (known.done or (not taken and _holds(place, known))):
                _note(services, known)
                return
            before = place.size()
            if before:
                _check_head(place, head, name, plan)
            digest, size = hashlib.sha256(), 0
            for chunk in _addition(made, place, len(head) if before else 0):
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
            _write_longer(place, made, len(head) if before else 0, run.id, still_locked)
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
        with writer_of(format)(plan, path, announced=0):
            pass
        return path.read_bytes()


def _check_head(place: Place, head: bytes, name: str, plan: Plan) -> None:
    with place.open() as file:
        if file.read(len(head)) == head:
            return
    wanted = ", ".join(c.heading for c in plan.columns[:6])
    raise FolderError(
        tr(
            "“{name}” begins with other headings, or in another order or encoding, than {wanted}. "
            "Nothing was added to it.",
            name=name,
            wanted=wanted,
        )
    )


def _addition(made: Path, place: Place, skipped: int) -> Iterator[bytes]:
    """
    What is to be added: the rows without the head, after an end of line where the file lacks one.
    """
    with made.open("rb") as source:
        end = next((e for e in LINE_ENDS if _last_of(source, len(e)) == e), b"")
        if skipped and place.exists():
            with place.open() as file:
                feed = end.replace(b"\r\x00", b"").replace(b"\r", b"")
                if _last_of(file, len(feed)) != feed:
                    yield end
        source.seek(skipped)
        while chunk := source.read(CHUNK):
            yield chunk


def _last_of(file: IO[bytes], size: int) -> bytes:
    """
    The last bytes of a file, at most so many.
    """
    file.seek(-min(size, file.seek(0, os.SEEK_END)), os.SEEK_END)
    return file.read()


def _write_longer(place: Place, made: Path, skipped: int, run_id: int, still_locked: Callable[[], None]) -> None:
    with place.written(run_id, anew=False) as copy:
        if place.exists():
            with place.open() as known:
                shutil.copyfileobj(known, copy, CHUNK)
        for chunk in _addition(made, place, skipped):
            copy.write(chunk)
        still_locked()


def _is_anothers(session: Session, entry: Appending) -> bool:
    """
    Whether another run has added its rows where these were to be: they may be the same, and are not these.
    """
    others = sa.select(Appending.run_id).where(
        Appending.target == entry.target,
        Appending.size_before == entry.size_before,
        Appending.run_id != entry.run_id,
        Appending.done,
    )
    return session.scalars(others.limit(1)).first() is not None


def _holds(place: Place, entry: Appending) -> bool:
    """
    Whether a file holds, where they belong, the bytes that were to be added.
    """
    if place.size() < entry.size_after:
        return False
    digest, left = hashlib.sha256(), entry.size_after - entry.size_before
    with place.open() as file:
        file.seek(entry.size_before)
        while left and (chunk := file.read(min(CHUNK, left))):
            digest.update(chunk)
            left -= len(chunk)
    return digest.hexdigest() == entry.sha256
