"""
What makes a record known again: digests of its key and of its row, for files that hold only what is new.

BLAKE2b (RFC 7693) over lengths and UTF-8, so that digests are the same under every version of every library. A key has
128 bits: two of ten million fall together less than once in 10^24 comparisons.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Iterator, Sequence
from typing import NamedTuple
from uuid import UUID

import polars as pl

__all__ = ["SeenRow", "SentKeys", "key_digest", "seen_rows", "short_digest"]

Cells = Sequence[str | None]


class SeenRow(NamedTuple):
    """
    A row that the next file would hold: the digest of its record's key, that key as texts, and the digest of its cells,
    a signed number of 64 bits. A record is known by the sum of its rows, so that their order does not count.
    """

    key: UUID
    texts: tuple[str, ...]
    row: int


def key_digest(texts: Iterable[str]) -> UUID:
    """
    The digest of a record's key.
    """
    return UUID(bytes=_digest(tuple(texts), 16))


def short_digest(texts: Iterable[str]) -> bytes:
    """
    The first eight bytes of a record's `key_digest`: what runs keep of every record that they sent.
    """
    return _digest(tuple(texts), 16)[:8]


class SentKeys:
    """
    The keys of the records in a file, kept as eight bytes each.

    Args:
        names: The columns of frames that hold the key, as texts.
    """

    def __init__(self, names: Sequence[str]) -> None:
        self.names = list(names)
        self._found = bytearray()
        self._last: tuple[str | None, ...] | None = None

    def add(self, frame: pl.DataFrame) -> None:
        """
        Take in the rows of a batch. Of rows that follow each other with the same key one counts.
        """
        for row in frame.select(pl.col(self.names).cast(pl.String)).iter_rows():
            if row != self._last:
                self._found += short_digest("" if c is None else c for c in row)
                self._last = row

    def sorted(self) -> bytes:
        """
        The digests in order, each once, one after the other.
        """
        whole = bytes(self._found)
        return b"".join(sorted({whole[n : n + 8] for n in range(0, len(whole), 8)}))


def seen_rows(batches: Iterable[pl.DataFrame], keys: int, *, cells: bool) -> Iterator[SeenRow]:
    """
    The rows of a sheet: the first `keys` columns of the frames are the keys of their records, the others their cells,
    all as texts. Without `cells` they are not looked at.
    """
    for frame in batches:
        for row in frame.iter_rows():
            texts = tuple("" if c is None else c for c in row[:keys])
            digest = int.from_bytes(_digest(row[keys:], 8), "big", signed=True) if cells else 0
            yield SeenRow(key_digest(texts), texts, digest)


def _digest(cells: Cells, size: int) -> bytes:
    made = hashlib.blake2b(digest_size=size)
    for cell in cells:
        if cell is None:
            made.update(b"-")
        else:
            text = cell.encode()
            made.update(b"%d:" % len(text))
            made.update(text)
    return made.digest()
