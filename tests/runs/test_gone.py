"""
Records that were sent and are no longer there are told once, by their keys, and are new again when they come back.
"""

from __future__ import annotations

import csv
import io
from typing import Any

import pytest

from bouquet.store import memory
from bouquet.store import runs as ledger
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


@pytest.mark.parametrize("part", ["scope", "once", "asks"])
def test_what_is_only_out_of_sight_is_not_gone(yard: Yard, part: str) -> None:  # noqa: F811
    """Who sees a part of the records, chose one this once, or answered a question, neither tells nor forgets others."""
    asks = {"asks": [{"name": "w", "label": "Which?", "kind": "number", "required": False}]} if part == "asks" else {}
    ask = {"filter": {"path": "weight", "is": "at_least", "ask": "w"}} if part == "asks" else {}
    yard.template("new", **TOLD, **asks, **ask)
    yard.finished(yard.ask())
    run_id = yard.ask()
    with yard.services.store.session() as session:
        run = session.get_one(Run, run_id)
        if part == "scope":
            run.scope = {"records": "crate", "field": "crate_id", "values": ["1"]}
        elif part == "once":
            run.via = ledger.ONCE
            run.document = {**run.document, "filter": {"path": "crate_id", "is": "is", "value": 1}}
        else:
            run.answers = {"w": 60}
    done = yard.finished(run_id)
    with yard.services.store.session() as session:
        left = memory.facts_of(session, memory.Memory(yard.template_id))[0]

    assert done.status == "ready", done.error
    assert [f.role for f in done.files] == ["data"]
    assert left == 6
