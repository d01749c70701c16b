"""
Records that were sent and are no longer there are told once, by their keys, and are new again when they come back.
"""

from __future__ import annotations

import csv
import io
from typing import Any

from bouquet.store.models import Run
from tests.runs.test_memory import Yard, yard  # noqa: F401

TOLD = {"output": {"companions": ["gone"]}}


def gone(yard: Yard, run: Run) -> list[str]:  # noqa: F811
    (file,) = [f for f in run.files if f.role == "gone"]
    body = b"".join(yard.services.storage.chunks(file.path)).decode()
    heading, *rows = list(csv.reader(io.StringIO(body)))
    assert heading == ["Crate"]
    return [r[0] for r in rows]


def slip(run: Run) -> dict[str, Any]:
    return run.slip or {}


def test_what_is_gone_is_told_once(yard: Yard) -> None:  # noqa: F811
    yard.template("new", **TOLD)
    first = yard.finished(yard.ask())
    assert (gone(yard, first), slip(first)["gone"]) == ([], 0)
    yard.sql("DELETE FROM content WHERE crate_id IN (2, 5); DELETE FROM crate WHERE crate_id IN (2, 5)")
    second, third = yard.finished(yard.ask()), yard.finished(yard.ask())

    assert (sorted(gone(yard, second)), slip(second)["gone"], second.rows_written) == (["2", "5"], 2, 0)
    assert gone(yard, third) == []


def test_what_no_longer_passes_is_gone_and_new_when_it_does_again(yard: Yard) -> None:  # noqa: F811
    light = {"path": "weight", "is": "at_most", "value": 40}
    yard.template("new", filter=light, **TOLD)
    assert yard.cells(yard.finished(yard.ask())) == ["1", "2", "3", "4"]
    yard.sql("UPDATE crate SET weight = 999 WHERE crate_id = 3")
    assert gone(yard, yard.finished(yard.ask())) == ["3"]
    yard.sql("UPDATE crate SET weight = 1 WHERE crate_id = 3")
    back = yard.finished(yard.ask())

    assert (yard.cells(back), gone(yard, back)) == (["3"], [])


def test_what_was_sent_before_it_was_asked_for_is_counted(yard: Yard) -> None:  # noqa: F811
    """Its key was not kept: it cannot be named, and is not passed over. What is still there can be named from then."""
    yard.template("new")
    yard.finished(yard.ask())
    yard.change_output(TOLD["output"])
    yard.sql("DELETE FROM content WHERE crate_id = 1; DELETE FROM crate WHERE crate_id = 1")
    second = yard.finished(yard.ask())
    assert (gone(yard, second), slip(second)["gone"]) == ([], 1)
    yard.sql("DELETE FROM content WHERE crate_id = 4; DELETE FROM crate WHERE crate_id = 4")
    third = yard.finished(yard.ask())

    assert gone(yard, third) == ["4"]
