"""
Where the files of runs are kept: a folder, or anything that fsspec reaches by a URL.

A run's attempt writes into a workplace of its own on this machine. In a folder that is already the place where the
files stay; elsewhere they are put beside their names and renamed, so that no half file is ever seen, but for stores in
which a file is there as a whole or not at all.
"""

from __future__ import annotations

import contextlib
import errno
import posixpath
import shutil
import tempfile
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import fsspec

from bouquet.core.errors import BouquetError, WriteError
from bouquet.core.language import tr
from bouquet.runs.errors import FilesDown

__all__ = ["FileStore"]

#: Bytes read at a time.
CHUNK = 1 << 20

#: The file in which a store says whose it is.
OWNER = ".bouquet-house"

#: Errors that end by making room: a full disk, a used up share, a disk that is read only.
FULL = frozenset({errno.ENOSPC, errno.EDQUOT, errno.EROFS})

# By name: only houses that have an object store load its client.
fsspec.register_implementation("s3", "bouquet.runs.object_store.ObjectStore", clobber=True)


class FileStore:
    """
    The file store.

    Args:
        where: A folder, or an fsspec URL such as `sftp://host/path` or `s3://bucket/path`.
        options: What fsspec wants to know besides, such as a password.
    """

    def __init__(self, where: Path | str, options: Mapping[str, Any] | None = None) -> None:
        text = str(where)
        self._url = text.rstrip("/") if "://" in text and not text.startswith("file://") else None
        self._options = dict(options or {})
        self.folder = None if self._url else Path(text.removeprefix("file://"))
        self._scratch: Path | None = None

    def workplace(self, run_id: int, attempt: int) -> Path:
        """
        The folder on this machine that an attempt writes into.
        """
        return self._base() / str(run_id) / str(attempt)

    def _base(self) -> Path:
        if self.folder is not None:
            # Nobody else of this machine reads what is in the files. A folder that was there is as its house wants it;
            # why there can be none, whoever writes there tells.
            with contextlib.suppress(OSError):
                self.folder.mkdir(mode=0o700, parents=True, exist_ok=True)
            return self.folder
        if self._scratch is None:
            self._scratch = Path(tempfile.mkdtemp(prefix="bouquet-"))
        return self._scratch

    def keep(self, run_id: int, attempt: int, path: Path) -> str:
        """
        Keep a finished file of an attempt's workplace. Returns the path by which it is found again.

        Raises WriteError when it cannot be kept.
        """
        if self.folder is not None:
            return f"{run_id}/{attempt}/{path.name}"
        return self.put(f"{run_id}/{attempt}", path)

    def put(self, folder: str, path: Path) -> str:
        """
        Put a file from anywhere on this machine into a folder of the store, written beside and renamed. Returns the
        path by which it is found again.

        Raises WriteError when it cannot be kept, FilesDown when trying again may help.
        """
        name, half = posixpath.join(folder, path.name), f".{path.name}.part"
        try:
            if self.folder is not None:
                inside = self._base() / folder
                inside.mkdir(parents=True, exist_ok=True)
                shutil.copyfile(path, inside / half)
                (inside / half).replace(inside / path.name)
            else:
                self._send(path, name, half)
        except OSError as error:
            reason = (error.strerror or str(error)).lower()
            raise WriteError(tr("The file could not be put into the file store: {reason}.", reason=reason)) from error
        return name

    def _send(self, path: Path, name: str, half: str) -> None:
        with self._reached() as fs:
            target = self._at(name)
            fs.makedirs(posixpath.dirname(target), exist_ok=True)
            if getattr(fs, "whole_at_once", False):
                fs.put_file(str(path), target)
            else:
                beside = posixpath.join(posixpath.dirname(target), half)
                fs.put_file(str(path), beside)
                fs.mv(beside, target)

    def owner(self) -> str:
        """
        The house whose files these are; empty where none has said so.
        """
        try:
            return b"".join(self.chunks(OWNER, 0, 100)).decode(errors="replace").strip()
        except FileNotFoundError:
            return ""

    def own(self, house: str) -> None:
        """
        Say whose files these are. Raises WriteError and FilesDown.
        """
        with tempfile.TemporaryDirectory(prefix="bouquet-") as folder:
            said = Path(folder) / OWNER
            said.write_text(house, encoding="ascii")
            self.put("", said)

    def leave(self, run_id: int, attempt: int) -> None:
        """
        Clear an attempt's workplace where its files are kept elsewhere.
        """
        if self.folder is None:
            shutil.rmtree(self.workplace(run_id, attempt), ignore_errors=True)

    def clear(self, run_id: int, kept: set[str], attempt: int | None = None) -> None:
        """
        Remove everything of a run, or only of one of its attempts, but what is `kept`.
        """
        below = str(run_id) if attempt is None else f"{run_id}/{attempt}"
        for path, _ in list(self.listing(below)):
            if path not in kept:
                self._remove(path)
        if self.folder is not None:
            _remove_empty(self.folder / str(run_id), None if attempt is None else str(attempt))

    def remove(self, path: str) -> None:
        """
        Remove a file. One that is not there is as good as removed.
        """
        self._remove(path)
        if self.folder is not None:
            run, _, rest = path.partition("/")
            _remove_empty(self.folder / run, rest.split("/", 1)[0])

    def _remove(self, path: str) -> None:
        with contextlib.suppress(FileNotFoundError):
            if self.folder is not None:
                (self.folder / path).unlink()
                return
            with self._reached() as fs:
                fs.rm_file(self._at(path))

    def size(self, path: str) -> int | None:
        """
        Bytes of a file; None where there is none.
        """
        try:
            if self.folder is not None:
                return (self.folder / path).stat().st_size
            with self._reached() as fs:
                return int(fs.size(self._at(path)))
        except FileNotFoundError:
            return None

    def local(self, path: str) -> Path | None:
        """
        Where a file stands on this machine; None where it is kept elsewhere.
        """
        return self.folder / path if self.folder is not None else None

    @contextmanager
    def fetched(self, path: str) -> Iterator[Path]:
        """
        A file on this machine, for as long as it is needed. Raises FileNotFoundError.
        """
        if self.folder is not None:
            if not (self.folder / path).is_file():
                raise FileNotFoundError(path)
            yield self.folder / path
            return
        with tempfile.TemporaryDirectory(prefix="bouquet-") as folder:
            here = Path(folder) / posixpath.basename(path)
            with self._reached() as fs:
                fs.get_file(self._at(path), str(here))
            yield here

    def chunks(self, path: str, start: int = 0, length: int | None = None) -> Iterator[bytes]:
        """
        A file's bytes from `start` on, piece by piece, `length` of them if given.
        """
        with self._opened(path) as file:
            file.seek(start)
            left = length
            while left is None or left > 0:
                chunk = file.read(CHUNK if left is None else min(CHUNK, left))
                if not chunk:
                    return
                left = None if left is None else left - len(chunk)
                yield chunk

    @contextmanager
    def _opened(self, path: str) -> Iterator[Any]:
        if self.folder is not None:
            with (self.folder / path).open("rb") as file:
                yield file
        else:
            with self._reached() as fs, fs.open(self._at(path), "rb") as file:
                yield file

    def listing(self, below: str = "") -> Iterator[tuple[str, int]]:
        """
        (path, bytes) of everything that is there, half-written files among it, but for what says whose it is.
        """
        if self.folder is not None:
            start = self.folder / below
            for path in sorted(start.rglob("*")) if start.is_dir() else []:
                with contextlib.suppress(FileNotFoundError):
                    if path.is_file() and path != self.folder / OWNER:
                        yield path.relative_to(self.folder).as_posix(), path.stat().st_size
            return
        found: dict[str, Any] = {}
        with contextlib.suppress(FileNotFoundError), self._reached() as fs:
            found, root = fs.find(self._at(below), detail=True), self._at("")
        for name, facts in sorted(found.items()):
            path_in_store = posixpath.relpath(name, root)
            if facts.get("type") != "directory" and path_in_store != OWNER:
                yield path_in_store, int(facts["size"])

    @contextmanager
    def _reached(self) -> Iterator[Any]:
        """
        The store where it is another machine's. Raises FileNotFoundError, other errors that only a person can mend, and
        FilesDown for whatever else its library raises; whoever comes next then makes a connection of their own.
        """
        assert self._url is not None
        try:
            # Asked anew each time: fsspec keeps one connection for each thread.
            yield fsspec.core.url_to_fs(self._url, **self._options)[0]
        except (BouquetError, FileNotFoundError, PermissionError):
            raise
        except Exception as error:
            fsspec.get_filesystem_class(fsspec.core.split_protocol(self._url)[0]).clear_instance_cache()
            if isinstance(error, OSError) and error.errno in FULL:
                raise
            reason = " ".join(str(error).split()) or type(error).__name__
            raise FilesDown(tr("The file store cannot be reached just now: {reason}", reason=reason)) from error

    def _at(self, path: str) -> str:
        """
        A file's place as the store's library names it.
        """
        assert self._url is not None
        root = fsspec.get_filesystem_class(fsspec.core.split_protocol(self._url)[0])._strip_protocol(self._url)
        return posixpath.join(root, path) if path else root

    def close(self) -> None:
        """
        Remove what was only here to be worked on.
        """
        if self._scratch is not None:
            shutil.rmtree(self._scratch, ignore_errors=True)


def _remove_empty(folder: Path, only: str | None = None) -> None:
    """
    Remove a run's folder and those inside it where nothing is left in them; `only` names the one inside to look at.
    """
    with contextlib.suppress(OSError):
        for inner in folder.iterdir():
            if inner.is_dir() and only in (None, inner.name):
                with contextlib.suppress(OSError):
                    inner.rmdir()
        folder.rmdir()
