"""
Packages of spreadsheets: a zip that a thread of its own puts together while the rows come, whose pieces are made and
deflated on all cores.
"""

from __future__ import annotations

import queue
import threading
from collections import Counter, deque
from collections.abc import Callable, Iterator, Mapping
from concurrent.futures import Executor, Future, ThreadPoolExecutor
from contextvars import copy_context
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeAlias

from isal import isal_zlib

from bouquet import CORES
from bouquet.core.errors import WriteError
from bouquet.core.language import tr

if TYPE_CHECKING:
    from stream_zip import Method

__all__ = ["BlockDeflate", "Member", "Package", "Piece"]

#: A file in the package: name, when it was made, permissions, how it is compressed, its content.
Member: TypeAlias = "tuple[str, datetime, int, Method, Iterator[bytes]]"

#: A part of a member's content, and what was found worth a remark while it was made, counted.
Piece: TypeAlias = tuple[bytes, Mapping[str, int]]

#: Bytes of content that are deflated at a time: more gain nothing, fewer cost size.
BLOCK = 1 << 18

#: The last block of a deflated stream, with nothing in it (RFC 1951, 3.2.6).
_LAST_BLOCK = b"\x03\x00"

#: Threads that make and deflate pieces. Each holds one, of some megabytes.
CREW = min(CORES, 8)

_END = object()


class BlockDeflate:
    """
    Deflates a stream (RFC 1951) block by block, each by itself, several at the same time.

    Args:
        crew: Who deflates.
        ahead: Blocks that may be under way at a time.
    """

    def __init__(self, crew: Executor, ahead: int) -> None:
        self._crew, self._ahead = crew, ahead
        self._pending: deque[Future[bytes]] = deque()

    def compress(self, block: bytes) -> bytes:
        """
        Take in a block; returns those that are done, in their order.
        """
        self._pending.append(self._crew.submit(_deflated, block))
        return b"".join(self._pending.popleft().result() for _ in range(len(self._pending) - self._ahead))

    def flush(self) -> bytes:
        """
        The rest of the stream.
        """
        return b"".join(pending.result() for pending in self._pending) + _LAST_BLOCK


def _deflated(block: bytes) -> bytes:
    stream = isal_zlib.compressobj(level=1, method=isal_zlib.DEFLATED, wbits=-15)
    # A full flush ends on a whole byte, and what follows does not refer to it.
    return bytes(stream.compress(block) + stream.flush(isal_zlib.Z_FULL_FLUSH))


class Package:
    """
    A zip of members in their order; one whose content is `pieces()` holds what is put until `end()`.
    """

    def __init__(
        self,
        path: Path,
        members: Callable[[Package], Iterator[Member]],
        notes: Counter[str],
        *,
        stamped: bool = True,
    ) -> None:
        """
        `notes` takes what pieces have to say, in their order; `stamped` says whether members carry their moment in
        UTC as well, behind their names.
        """
        self._members, self._notes, self._stamped = members, notes, stamped
        self._queue: queue.Queue[Any] = queue.Queue(maxsize=max(1, CREW - 1))
        self._failure: BaseException | None = None
        # There before anything is in it: whoever follows what is written need not wait for the thread.
        self._file = path.open("wb", buffering=1 << 20)
        self._crew = ThreadPoolExecutor(CREW, thread_name_prefix="piece")
        self._thread = threading.Thread(target=copy_context().run, args=(self._zip,), name="package", daemon=True)
        self._thread.start()

    def put(self, piece: bytes) -> None:
        """
        Add to the member that is open. Raises what went wrong in the thread.
        """
        self._put(piece)

    def put_made(self, make: Callable[[], Piece]) -> None:
        """
        Add what `make` will have made, in a thread of its own; several are made at the same time. Raises what went
        wrong with an earlier one.
        """
        self._put(self._crew.submit(copy_context().run, make))

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
            if isinstance(piece, Future):
                piece, notes = piece.result()
                self._notes.update(notes)
            yield piece

    def close(self) -> None:
        """
        Wait until all is on disk; the members that are open must have been ended.
        """
        self._thread.join()
        self._crew.shutdown()
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
        self._crew.shutdown(cancel_futures=True)

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
        import stream_zip

        def deflate() -> Any:
            return BlockDeflate(self._crew, CREW)

        try:
            with self._file as file:
                for chunk in stream_zip.stream_zip(
                    self._members(self),
                    get_compressobj=deflate,
                    chunk_size=BLOCK,
                    extended_timestamps=self._stamped,
                ):
                    file.write(chunk)
        except stream_zip.ZipOverflowError:
            said = tr("A sheet of this file comes to more than 4 GB. Split the file by rows, or choose a text format.")
            self._failure = self._failure or WriteError(said)
        except BaseException as error:
            self._failure = self._failure or error
