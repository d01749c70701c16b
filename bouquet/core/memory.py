"""
What makes a record known again: digests of its key and of its row, for files that hold only what is new.

BLAKE2b (RFC 7693) over lengths and UTF-8, so that digests are the same under every version of every library. A key has
128 bits: two of ten million fall together less than once in 10^24 comparisons.
"""

from __future__ import annotations

import hashlib
import sys
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from uuid import UUID

import numpy as np
import polars as pl

__all__ = ["SeenRecords", "SentKeys", "key_digest", "merged_keys", "seen_records", "short_digest", "split_keys"]

#: Numbers are compared from their first byte on.
_SWAPPED = sys.byteorder == "little"

Cells = Sequence[str | None]


@dataclass(frozen=True)
class SeenRecords:
    """
    Records that the next file would hold: their keys as texts, a column each, the digests of these as hexadecimal
    digits, and the digests of their rows, signed numbers of 64 bits. A record is known by the sum of its rows, so that
    their order does not count.
    """

    known: pl.DataFrame
    keys: list[str]
    rows: list[int]

    def __len__(self) -> int:
        return len(self.keys)

    def __getitem__(self, part: slice) -> SeenRecords:
        return SeenRecords(self.known[part], self.keys[part], self.rows[part])

    @property
    def texts(self) -> list[tuple[str, ...]]:
        """
        The keys as texts.
        """
        return self.known.rows()


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

    def add(self, frame: pl.DataFrame) -> None:
        """
        Take in the rows of a batch. Of rows that follow each other with the same key one counts.
        """
        known = frame.select(pl.col(self.names).cast(pl.String).fill_null(""))
        changed = pl.any_horizontal(pl.all().ne_missing(pl.all().shift(1)))
        kept = known.filter(changed | (pl.int_range(pl.len()) == 0))
        for digest in _digests(kept, 16):
            self._found += digest[:8]

    @property
    def found(self) -> bytes:
        """
        The digests as they came, one after the other.
        """
        return bytes(self._found)

    def join(self, found: bytes) -> None:
        """
        Add what was `found` in other rows.
        """
        self._found += found

    def sorted(self) -> bytes:
        """
        The digests in order, each once, one after the other.
        """
        return _in_order(self._found)


def merged_keys(parts: Iterable[bytes]) -> bytes:
    """
    Digests of eight bytes, one after the other, of several parts: in order, each once.
    """
    return _in_order(bytearray().join(parts))


def _in_order(digests: bytearray) -> bytes:
    """
    The same of one part, which is put in order in its place: of ten million records it has 80 MB.
    """
    found = np.frombuffer(digests, dtype="u8")
    found.byteswap(inplace=_SWAPPED)
    found.sort()
    once = np.ones(len(found), dtype=bool)
    np.not_equal(found[1:], found[:-1], out=once[1:])
    found.byteswap(inplace=_SWAPPED)
    return found.tobytes() if once.all() else found[once].tobytes()


def split_keys(keys: bytes) -> frozenset[bytes]:
    """
    The single digests of `merged_keys`.
    """
    return frozenset(keys[n : n + 8] for n in range(0, len(keys), 8))


def seen_records(batches: Iterable[pl.DataFrame], keys: int, *, cells: bool) -> Iterator[SeenRecords]:
    """
    The records of a sheet, about a batch at a time: the first `keys` columns of the frames are the keys of their
    records, the others their cells, all as texts. Rows of a record follow each other. Without `cells` they are not
    looked at.
    """
    # The last record of a batch may go on in the next one.
    last: SeenRecords | None = None
    for frame in batches:
        if frame.is_empty():
            continue
        names = frame.columns
        known = frame.select(pl.col(names[:keys]).fill_null(""))
        before = last.known.row(0) if last is not None else None
        changed = known.select(pl.any_horizontal(pl.all().ne_missing(pl.all().shift(1)))).to_series()
        changed[0] = known.row(0) != before
        starts = changed.arg_true().to_list()
        rows = [0] * known.height
        if cells:
            rows = [int.from_bytes(d, "big", signed=True) for d in _digests(frame.select(names[keys:]), 8)]
        # None starts where the whole batch goes on with the last record.
        ends = [*starts[1:], known.height] if starts else []
        sums = rows if len(starts) == known.height else [sum(rows[a:b]) for a, b in zip(starts, ends, strict=True)]
        going_on = sum(rows[: starts[0] if starts else known.height])
        kept = known if len(starts) == known.height else known.filter(changed)
        found = SeenRecords(kept, [d.hex() for d in _digests(kept, 16)], sums)
        if last is not None:
            last = SeenRecords(last.known, last.keys, [last.rows[0] + going_on])
            found = SeenRecords(pl.concat([last.known, kept]), last.keys + found.keys, last.rows + found.rows)
        whole, last = found[:-1], found[-1:]
        if len(whole):
            yield _bounded(whole)
    if last is not None:
        yield _bounded(last)


def _bounded(records: SeenRecords) -> SeenRecords:
    """
    Records with the sums of their rows as signed numbers of 64 bits, whatever the number of rows.
    """
    rows = [
        row if -_BEYOND < row < _BEYOND else row % _BEYOND if row >= 0 else -(-row % _BEYOND) for row in records.rows
    ]
    return SeenRecords(records.known, records.keys, rows)


_BEYOND = 2**63


def _digests(frame: pl.DataFrame, size: int) -> Iterator[bytes]:
    """
    The digests of rows, each as `_digest` makes them of their cells.
    """
    parts = [(pl.col(n).str.len_bytes().cast(pl.String) + ":" + pl.col(n)).fill_null("-") for n in frame.columns] or [
        pl.lit("")
    ]
    whole = frame.select(pl.concat_str(parts)).to_series() if frame.columns else pl.Series([""] * frame.height)
    make = hashlib.blake2b
    return (make(text.encode(), digest_size=size).digest() for text in whole)


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
