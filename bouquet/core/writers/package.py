"""
Packages of spreadsheets: a zip that a thread of its own makes while the rows come.
"""

from __future__ import annotations

import queue
import threading
from collections.abc import Callable, Iterator
from contextvars import copy_context
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeAlias

from isal import isal_zlib

from bouquet.core.errors import WriteError
from bouquet.core.language import tr

if TYPE_CHECKING:
    from stream_zip import Method

__all__ = ["Member", "Package"]

#: A file in the package: name, when it was made, permissions, how it is compressed, its content.
Member: TypeAlias = "tuple[str, datetime, int, Method, Iterator[bytes]]"

_END = object()


class Package:
    """
    A zip of members in their order; one whose content is `pieces()` holds what is put until `end()`.
    """

    def __init__(self, path: Path, members: Callable[[Package], Iterator[Member]], *, stamped: bool = True) -> None:
        """
        `stamped` says whether members carry their moment in UTC as well, behind their names.
        """
        self._members, self._stamped = members, stamped
        self._queue: queue.Queue[Any] = queue.Queue(maxsize=2)
        self._failure: BaseException | None = None
        # There before anything is in it: whoever follows what is written need not wait for the thread.
        self._file = path.open("wb", buffering=1 << 20)
        self._thread = threading.Thread(target=copy_context().run, args=(self._zip,), name="package", daemon=True)
        self._thread.start()

    def put(self, piece: bytes) -> None:
        """
        Add to the member that is open. Raises what went wrong in the thread.
        """
        self._put(piece)

    def end(self) -> None:
        """
        End the member that is open.
        """
        self._put(_END)

    def pieces(self) -> Iterator[bytes]:
        """
        What is put from now on, until the member ends. To be read by the members' own contents.
        """
        while (piece := self._queue.get()) is not _END:
            if piece is None or self._failure:
                raise self._failure or WriteError("The file was not finished.")
            yield piece

    def close(self) -> None:
        """
        Wait until all is on disk; the members that are open must have been ended.
        """
        self._thread.join()
        if self._failure:
            raise self._failure

    def abandon(self) -> None:
        """
        End the thread, whatever it is doing; what it wrote is of no use.
        """
        self._failure = self._failure or WriteError("The file was not finished.")
        while self._thread.is_alive():
            try:
                self._queue.put(None, timeout=0.1)
            except queue.Full:
                continue
            self._thread.join(timeout=0.1)

    def _put(self, piece: Any) -> None:
        while True:
            if self._failure:
                raise self._failure
            if not self._thread.is_alive():
                raise WriteError(tr("More rows came than were announced."))
            try:
                self._queue.put(piece, timeout=0.2)
                return
            except queue.Full:
                continue

    def _zip(self) -> None:
        def deflate() -> Any:
            return isal_zlib.compressobj(level=1, method=isal_zlib.DEFLATED, wbits=-15)

        import stream_zip

        try:
            with self._file as file:
                for chunk in stream_zip.stream_zip(
                    self._members(self),
                    get_compressobj=deflate,
                    chunk_size=1 << 18,
                    extended_timestamps=self._stamped,
                ):
                    file.write(chunk)
        except stream_zip.ZipOverflowError:
            said = tr("A sheet of this file comes to more than 4 GB. Split the file by rows, or choose a text format.")
            self._failure = self._failure or WriteError(said)
        except BaseException as error:
            self._failure = self._failure or error
