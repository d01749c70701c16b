"""
Packages of spreadsheets: pieces that are made at the same time, and read one after the other.
"""

from __future__ import annotations

import threading
import zipfile
import zlib
from collections import Counter
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import datetime
from pathlib import Path

import pytest
import stream_zip
from hypothesis import given
from hypothesis import strategies as st

from bouquet.core.errors import WriteError
from bouquet.core.writers.package import BlockDeflate, Member, Package, Piece


@given(st.lists(st.binary(max_size=400), max_size=8))
def test_blocks_deflated_apart_are_one_stream(blocks: list[bytes]) -> None:
    with ThreadPoolExecutor(3) as crew:
        stream = BlockDeflate(crew, 2)
        deflated = b"".join([stream.compress(block) for block in blocks]) + stream.flush()
    reader = zlib.decompressobj(wbits=-15)
    assert reader.decompress(deflated) == b"".join(blocks)
    assert reader.eof, "a stream without an end"
    assert not reader.unused_data


def package(path: Path, notes: Counter[str]) -> Package:
    def members(made: Package) -> Iterator[Member]:
        yield "rows", datetime(2026, 11, 30), 0o600, stream_zip.ZIP_32, made.pieces()

    return Package(path, members, notes)


def piece(
    text: str, before: threading.Event | None = None, after: threading.Event | None = None
) -> Callable[[], Piece]:
    """One that is made after another is done."""

    def make() -> Piece:
        if before is not None:
            assert before.wait(20)
        if after is not None:
            after.set()
        return text.encode(), {text: 1}

    return make


def test_pieces_stand_in_the_order_in_which_they_were_put(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The first is the last to be done; what the pieces have to say comes in their order as well."""
    monkeypatch.setattr("bouquet.core.writers.package.CREW", 3)
    notes, done = Counter[str](), threading.Event()
    made = package(tmp_path / "made.zip", notes)
    made.put_made(piece("first ", before=done))
    made.put_made(piece("second ", after=done))
    made.put(b"third")
    made.end()
    made.close()
    assert zipfile.ZipFile(tmp_path / "made.zip").read("rows") == b"first second third"
    assert list(notes) == ["first ", "second "]


def test_a_piece_that_cannot_be_made_ends_the_package(tmp_path: Path) -> None:
    made = package(tmp_path / "made.zip", Counter())

    def fails() -> Piece:
        raise WriteError("no room")

    made.put_made(fails)
    with pytest.raises(WriteError, match="no room"):
        put_many(made)
    made.abandon()
    assert not made._thread.is_alive()


def put_many(made: Package) -> None:
    for _ in range(1_000):
        made.put_made(piece("more"))
