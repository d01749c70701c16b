"""
The folder below which rounds write, and the only way into it.

Names come from people and from records. A folder is opened part by part without following a symbolic link, immediately
before each write, and the file is then named relative to the opened folder: nothing between check and write can lead
elsewhere.
"""

from __future__ import annotations

import contextlib
import errno
import fcntl
import os
import stat
import unicodedata
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path, PurePosixPath
from typing import IO

from bouquet.core.errors import WriteError
from bouquet.core.language import tr
from bouquet.runs.errors import FolderError

__all__ = ["Place", "checked_folder", "opened_place"]

#: Characters of one part of a folder's name, and parts of a folder.
LONGEST_PART, MOST_PARTS = 200, 16


def checked_folder(folder: str) -> PurePosixPath:
    """
    The folder a round writes into, relative to the outgoing folder. Raises FolderError when the name leads elsewhere or
    holds a control character.
    """
    if any(unicodedata.category(c) in ("Cc", "Cf", "Cs", "Zl", "Zp") for c in folder):
        raise FolderError(tr("The name of a folder has no line breaks and no other control characters."))
    path = PurePosixPath(folder.strip())
    parts = path.parts
    if not parts or ".." in parts or parts[0] == "/" or any(p.startswith(".") or "\\" in p for p in parts):
        raise FolderError(
            tr("Rounds write into folders below the one set aside for them, named without “..” or a leading slash.")
        )
    if len(parts) > MOST_PARTS or any(len(p.encode()) > LONGEST_PART for p in parts):
        raise FolderError(
            tr(
                "A folder has at most {most_parts} parts, each of at most {longest_part} bytes.",
                most_parts=MOST_PARTS,
                longest_part=LONGEST_PART,
            )
        )
    return path


class Place:
    """
    A file's place in an opened folder. Every method speaks of that one file.
    """

    def __init__(self, folder: int, name: str) -> None:
        self._folder, self.name = folder, name

    def exists(self) -> bool:
        try:
            os.stat(self.name, dir_fd=self._folder, follow_symlinks=False)
        except FileNotFoundError:
            return False
        return True

    def size(self) -> int:
        """
        Bytes; 0 where there is no file. Raises WriteError for what is no plain file.
        """
        try:
            known = os.stat(self.name, dir_fd=self._folder, follow_symlinks=False)
        except FileNotFoundError:
            return 0
        if not stat.S_ISREG(known.st_mode):
            raise WriteError(tr("“{name}” is no plain file.", name=self.name))
        return known.st_size

    def waits(self, owner: int) -> bool:
        """
        Whether what `owner` has written for this place stands beside it still, and not under its name.
        """
        try:
            beside = os.stat(self._beside(owner), dir_fd=self._folder, follow_symlinks=False)
        except FileNotFoundError:
            return False
        try:
            return not os.path.samestat(beside, os.stat(self.name, dir_fd=self._folder, follow_symlinks=False))
        except FileNotFoundError:
            return True

    def clear(self, owner: int) -> None:
        """
        Remove what `owner` left beside this place, if it did.
        """
        with contextlib.suppress(FileNotFoundError):
            os.unlink(self._beside(owner), dir_fd=self._folder)

    def remove(self) -> None:
        """
        Remove the file, if it is there.
        """
        with contextlib.suppress(FileNotFoundError):
            os.unlink(self.name, dir_fd=self._folder)

    def open(self) -> IO[bytes]:
        return os.fdopen(os.open(self.name, os.O_RDONLY | os.O_NOFOLLOW, dir_fd=self._folder), "rb")

    @contextmanager
    def alone(self) -> Iterator[None]:
        """
        Nobody else who asks for it is at a file of this folder on this machine, as long as this one lives. Where the
        file system has no such locks, nobody is kept away.
        """
        with contextlib.suppress(OSError):
            fcntl.flock(self._folder, fcntl.LOCK_EX)
        try:
            yield
        finally:
            with contextlib.suppress(OSError):
                fcntl.flock(self._folder, fcntl.LOCK_UN)

    @contextmanager
    def written(self, owner: int, *, anew: bool, ready: Callable[[], object] = lambda: None) -> Iterator[IO[bytes]]:
        """
        A file written beside and then put in its place: a reader sees the old one or the new one, never half of it.
        `ready` is called once it is whole, before it gets its name.

        With `anew` it never takes the place of another file: raises FileExistsError.
        """
        beside = self._beside(owner)
        self.clear(owner)
        try:
            flags = os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW
            with os.fdopen(os.open(beside, flags, 0o644, dir_fd=self._folder), "wb") as copy:
                yield copy
                copy.flush()
                os.fsync(copy.fileno())
            ready()
            if anew:
                self._link(beside)
            else:
                os.rename(beside, self.name, src_dir_fd=self._folder, dst_dir_fd=self._folder)
        finally:
            with contextlib.suppress(OSError):
                os.unlink(beside, dir_fd=self._folder)

    def _beside(self, owner: int) -> str:
        return f".{self.name[-120:]}.{owner}.part"

    def _link(self, beside: str) -> None:
        """
        Give the file its name in one step that fails when the name is taken.
        """
        try:
            os.link(beside, self.name, src_dir_fd=self._folder, dst_dir_fd=self._folder, follow_symlinks=False)
        except OSError as error:
            if error.errno not in (errno.EPERM, errno.EOPNOTSUPP, errno.ENOSYS):
                raise
            # A file system without hard links: an empty file takes the name, and is then exchanged.
            os.close(os.open(self.name, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o644, dir_fd=self._folder))
            os.rename(beside, self.name, src_dir_fd=self._folder, dst_dir_fd=self._folder)


@contextmanager
def opened_place(root: Path, target: str) -> Iterator[Place]:
    """
    The place of `target`, a file's path relative to `root`; folders that are missing are made.

    Raises FolderError when the path leads out of `root` or through a symbolic link, OSError when it cannot be made.
    """
    path = PurePosixPath(target)
    checked_folder(str(path.parent)) if len(path.parts) > 1 else None
    checked_folder(path.name)
    root.mkdir(parents=True, exist_ok=True)
    here = os.open(root, os.O_RDONLY | os.O_DIRECTORY)
    try:
        for part in path.parts[:-1]:
            with contextlib.suppress(FileExistsError):
                os.mkdir(part, dir_fd=here)
            try:
                inner = os.open(part, os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW, dir_fd=here)
            except OSError as error:
                if error.errno in (errno.ELOOP, errno.ENOTDIR):
                    message = tr(
                        "“{part}” in “{target}” is a link or no folder; files are put into plain folders only.",
                        part=part,
                        target=target,
                    )
                    raise FolderError(message) from error
                raise
            os.close(here)
            here = inner
        yield Place(here, path.name)
    finally:
        os.close(here)
