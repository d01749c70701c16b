"""
Files of a run that are whole: put in their place, weighed, and listed for the slip.
"""

from __future__ import annotations

import os
from mimetypes import guess_type
from pathlib import Path

from bouquet.core.slip import Digest
from bouquet.runs.exported import ExportedFile

__all__ = ["FinishedFiles"]

#: What each kind of companion is.
_MEDIA = {
    "dictionary": "text/csv",
    "metadata": "application/csvm+json",
    "findings": "text/csv",
    "gone": "text/csv",
    "missing": "text/csv",
    "schema": "",
    "slip": "application/json",
    "archive": "application/zip",
}


class FinishedFiles:
    """
    The finished files of one run, in `files`.

    Args:
        folder: Where they go. They are written beside and renamed when they are whole.
        media_type: That of the data.
    """

    def __init__(self, folder: Path, media_type: str) -> None:
        self.folder, self.media_type = folder, media_type
        self.files: list[ExportedFile] = []
        self._digests: dict[Path, Digest] = {}

    def follow(self, path: Path) -> None:
        """
        Take in what was written of a file so far, so that little is left to read when it is whole.
        """
        self._digests.setdefault(path, Digest(path)).follow()

    def finish(self, name: str, path: Path, role: str, rows: int) -> ExportedFile:
        """
        Put a whole file that was written at `path` in its place.
        """
        size, digest = path.stat().st_size, self._digests.get(path, Digest(path)).finish()
        with path.open("rb") as written:
            os.fsync(written.fileno())
        target = self.folder / name
        path.replace(target)
        media_type = _MEDIA.get(role, self.media_type) or guess_type(target.name)[0] or "text/plain"
        return ExportedFile(target, role, media_type, rows, size, digest)

    def add(self, name: str, role: str, content: bytes) -> None:
        """
        Write a small file, and list it.
        """
        path = self.folder / f".{name}.part"
        path.write_bytes(content)
        self.files.append(self.finish(name, path, role, 0))
