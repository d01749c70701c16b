"""
One zip of a run's files, with what is attached to its records; streamed, so that memory stays flat.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any

from isal import isal_zlib

from bouquet.core.memory import short_digest
from bouquet.core.naming import safe_name, with_suffix
from bouquet.core.plan import Plan
from bouquet.core.sql import Statements
from bouquet.core.template import folder_of
from bouquet.sources import Snapshot

if TYPE_CHECKING:
    from stream_zip import Method

__all__ = ["attachments_of", "count_attachments", "read_chunks", "write_archive", "zipped"]

#: Bytes read at a time.
CHUNK = 1 << 20

#: What files begin with, and the ending that stands for it where a name has none.
_ENDINGS = {
    b"\xff\xd8\xff": "jpg",
    b"\x89PNG": "png",
    b"%PDF": "pdf",
    b"GIF8": "gif",
    b"PK\x03\x04": "zip",
}
_ENDED = re.compile(r"\.[A-Za-z][A-Za-z0-9]{0,4}$")


def attachments_of(snapshot: Snapshot, plans: Sequence[Plan]) -> Iterator[tuple[str, bytes]]:
    """
    (name in the archive, bytes) of every file attached to the records of plans; no two names are alike, on a system
    that does not tell capitals apart either.
    """
    folders = set[bytes]()
    for number, plan in enumerate(plans):
        yield from _attached_to(snapshot, plan, number, folders)


def _attached_to(snapshot: Snapshot, plan: Plan, number: int, folders: set[bytes]) -> Iterator[tuple[str, bytes]]:
    """
    The files of one plan. `folders` are digests of those that others have already: where keys differ only in what
    folders cannot, names are told apart by a digest of the key.
    """
    if plan.attached is None:
        return
    attached = plan.attached
    statement = Statements(attached.plan).attached(attached.route)
    keys = [f"p{n}" for n in range(len(attached.plan.key))]
    key: tuple[str, ...] | None = None
    folder, mark, taken = "", "", set[str]()
    for batch in snapshot.batches(statement):
        for row in batch.to_pylist():
            its = tuple(str(row[k]) for k in keys)
            if its != key:
                key, folder, taken = its, folder_of(attached.folder, its), set()
                known = short_digest([folder.casefold()])
                mark = f"-{short_digest([str(number), *its]).hex()}" if known in folders else ""
                folders.add(known)
            name = safe_name(row["name"] or attached.route.field.label)
            if not _ENDED.search(name):
                ending = next((e for start, e in _ENDINGS.items() if row["data"].startswith(start)), "bin")
                name = f"{name}.{ending}"
            if mark:
                stem, _, ending = name.rpartition(".")
                name = f"{stem}{mark}.{ending}"
            stem, n = name, 1
            while name.casefold() in taken:
                n += 1
                name = with_suffix(stem, n)
            taken.add(name.casefold())
            yield folder + name, row["data"]


def count_attachments(snapshot: Snapshot, plan: Plan) -> int:
    """
    How many files are attached to the plan's records, by a statement of its own.
    """
    if plan.attached is None:
        return 0
    attached = plan.attached
    counted = Statements(attached.plan).count_attached(attached.route)
    return int(snapshot.row(counted)["files"])


def read_chunks(path: Path) -> Iterator[bytes]:
    """
    A file, piece by piece.
    """
    with path.open("rb") as file:
        while chunk := file.read(CHUNK):
            yield chunk


def zipped(members: Iterator[tuple[str, Iterator[bytes]]], moment: datetime) -> Iterator[bytes]:
    """
    A zip of members as it comes about, in 64-bit form (Zip64), so that neither the number nor the size has a cap.
    """

    import stream_zip

    def entries() -> Iterator[tuple[str, datetime, int, Method, Iterator[bytes]]]:
        for name, content in members:
            yield name, moment.replace(tzinfo=None), 0o600, stream_zip.ZIP_64, content

    # Photographs hardly shrink: a quick pass costs a tenth of a thorough one, and files of text still do.
    def deflate() -> Any:
        return isal_zlib.compressobj(level=1, method=isal_zlib.DEFLATED, wbits=-15)

    yield from stream_zip.stream_zip(entries(), get_compressobj=deflate, chunk_size=CHUNK)


def write_archive(
    path: Path,
    files: Sequence[tuple[str, Path]],
    attachments: Iterator[tuple[str, bytes]],
    moment: datetime,
    beat: Callable[[], None] = lambda: None,
) -> int:
    """
    Write the zip of `files`, as (name, where they are), and of `attachments`. Returns the number of attachments.

    `beat` is called now and then, and may raise to end it.
    """
    count = 0

    def members() -> Iterator[tuple[str, Iterator[bytes]]]:
        nonlocal count
        for name, where in files:
            yield name, read_chunks(where)
        for name, data in attachments:
            count += 1
            yield name, iter((data,))

    with path.open("wb", buffering=CHUNK) as archive:
        for chunk in zipped(members(), moment):
            archive.write(chunk)
            beat()
    return count
