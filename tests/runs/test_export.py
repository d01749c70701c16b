"""
Writing one file: what comes of faults on the way.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest

from bouquet.core.errors import CountMismatch, EncodingProblem
from bouquet.core.plan import Plan
from bouquet.core.template import read_document
from bouquet.runs import Export, export
from bouquet.runs.split_writer import prefetched
from bouquet.sources import Source

DOCUMENT = {
    "name": "Sites",
    "records": "site",
    "columns": [{"id": "a", "heading": "Site", "value": {"field": "name"}}],
}


def make(plan: Callable[..., Plan], folder: Path, document: dict[str, Any] = DOCUMENT, **more: Any) -> Export:
    return Export(read_document(document), plan(document), "csv", folder, **more)


def test_announced_and_written_must_agree(
    plan: Callable[..., Plan], source: Source, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A file with another number of rows than announced is withheld, and nothing is left of it."""
    known = export.count_tally
    monkeypatch.setattr(export, "count_tally", lambda *a: [{**known(*a)[0], "rows": 7}])
    with (
        pytest.raises(CountMismatch, match="7 rows were announced and 1,318 written"),
        source.reader.snapshot() as snapshot,
    ):
        make(plan, tmp_path).write(snapshot, {})

    assert list(tmp_path.iterdir()) == []


def test_progress_is_told_in_rows(plan: Callable[..., Plan], source: Source, tmp_path: Path) -> None:
    """Counting, then the announced number with the rows so far, never more."""
    told: list[tuple[str, int | None, int]] = []
    with source.reader.snapshot() as snapshot:
        make(plan, tmp_path, progress=lambda *facts: told.append(facts)).write(snapshot, {})

    assert told[0] == ("counting", None, 0)
    assert told[1] == ("writing", 1318, 0)
    assert told[-2:] == [("writing", 1318, 1318), ("checking", 1318, 1318)]


def test_a_progress_that_objects_ends_the_run_without_a_trace(
    plan: Callable[..., Plan], source: Source, tmp_path: Path
) -> None:
    """As cancelling does: the reader's thread ends, the half file goes."""

    def object_(stage: str, announced: int | None, written: int) -> None:
        if written:
            raise KeyboardInterrupt

    before = threading.active_count()
    with pytest.raises(KeyboardInterrupt), source.reader.snapshot() as snapshot:
        make(plan, tmp_path, progress=object_).write(snapshot, {})

    assert list(tmp_path.iterdir()) == []
    assert threading.active_count() <= before + 1


def test_a_letter_that_cannot_be_written_keeps_no_file(
    plan: Callable[..., Plan], source: Source, tmp_path: Path
) -> None:
    """A Windows-1252 file with a Polish inspector in it says which letter, and leaves nothing."""
    document = {
        "name": "Inspectors",
        "records": "inspection",
        "columns": [{"id": "a", "heading": "By", "value": {"field": "inspected_by"}}],
        "output": {"csv": {"encoding": "windows-1252"}},
    }
    with pytest.raises(EncodingProblem, match="U\\+0141"), source.reader.snapshot() as snapshot:
        make(plan, tmp_path, document).write(snapshot, {})

    assert list(tmp_path.iterdir()) == []


def test_reading_ahead_keeps_order_and_hands_errors_on() -> None:
    """An error of the source is raised where its item would have come."""

    def source() -> Iterator[int]:
        yield 1
        yield 2
        raise LookupError("gone")

    taken = []
    with pytest.raises(LookupError, match="gone"):
        taken.extend(prefetched(source()))
    assert list(prefetched(iter(range(50)))) == list(range(50))


def test_a_consumer_that_stops_early_ends_the_reader() -> None:
    """No thread is left waiting to hand over what nobody takes."""
    before = threading.active_count()
    reader = prefetched(iter(range(1000)))
    assert next(reader) == 0
    reader.close()  # type: ignore[attr-defined]

    assert threading.active_count() == before
