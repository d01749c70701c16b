"""
Rounds: once per planned moment, covering the day that was planned.
"""

from __future__ import annotations

import csv
from collections.abc import Sequence
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
import sqlalchemy as sa
from sqlalchemy import select
from sqlalchemy.orm import Session

from bouquet.rounds import CATCH_UP, rhythm_of, set_paused, tick_rounds
from bouquet.runs import Queue, Services, execute
from bouquet.store import runs as ledger
from bouquet.store import templates as shelf
from bouquet.store.models import Care, Occurrence, Round, Run
from bouquet.store.notices import list_notices
from tests.conftest import NOW

DOCUMENT = {
    "format": "bouquet-template/1",
    "name": "Yesterday",
    "records": "inspection",
    "columns": [{"id": "a", "heading": "On", "value": {"field": "inspected_on"}}],
    "filter": {"all": [{"path": "inspected_on", "is": "in_window", "window": {"type": "previous"}}]},
    "output": {"name": "yesterday_{as_of:%Y-%m-%d}"},
}


class NoQueue(Queue):
    """
    Remembers whom it was asked to wake.
    """

    def __init__(self) -> None:
        self.woken: list[int] = []

    def put(self, run_id: int, *, priority: int = 0) -> None:
        self.woken.append(run_id)

    def put_of_rounds(self, run_ids: Sequence[int]) -> None:
        self.woken += run_ids


@pytest.fixture
def round_id(services: Services, people: dict[str, Any]) -> int:
    """A daily round at 06:00 London, next due this morning."""
    with services.store.session() as session:
        record = shelf.add_template(session, DOCUMENT, "", people["ines"], NOW)
        shelf.save_version(session, record.id, "", people["ines"], NOW)
        made = Round(
            template_id=record.id,
            rhythm={"times": ["06:00"]},
            zone="Europe/London",
            folder="register/daily",
            format="csv",
            next_at=datetime(2026, 11, 23, 6, tzinfo=UTC),
            created_by=people["ines"].id,
            deleted_at=None,
        )
        session.add(made)
        session.flush()
        return made.id


def occurrences(services: Services) -> list[Occurrence]:
    with services.store.session() as session:
        return list(session.scalars(select(Occurrence).order_by(Occurrence.planned_at)))


def another(session: Session, round_id: int, **facts: Any) -> int:
    """A round like one that is there, but for some facts; its number."""
    there = {c.key: getattr(session.get_one(Round, round_id), c.key) for c in sa.inspect(Round).column_attrs}
    made = Round(**{**there, "id": None, **facts})
    session.add(made)
    session.flush()
    return made.id


def test_a_planned_moment_fires_once(services: Services, round_id: int) -> None:
    """Ticking again, or from another worker, asks for nothing more."""
    queue = NoQueue()
    first = tick_rounds(services, queue)
    second = tick_rounds(services, queue)

    assert (len(first), second, queue.woken) == (1, [], first)
    assert [o.planned_at for o in occurrences(services)] == [datetime(2026, 11, 23, 6, tzinfo=UTC)]


def test_the_database_makes_a_double_impossible(services: Services, round_id: int) -> None:
    """Even when the round's own memory is set back."""
    queue = NoQueue()
    tick_rounds(services, queue)
    with services.store.session() as session:
        session.get_one(Round, round_id).next_at = datetime(2026, 11, 23, 6, tzinfo=UTC)

    assert tick_rounds(services, queue) == []


def test_a_late_run_covers_the_day_it_was_planned_for(services: Services, round_id: int) -> None:
    """As-of is the planned moment: the file of the 20th holds the 19th, on whatever day it is made."""
    with services.store.session() as session:
        session.get_one(Round, round_id).next_at = datetime(2026, 11, 20, 6, tzinfo=UTC)
    for run_id in tick_rounds(services, NoQueue()):
        execute(services, run_id)
    files = sorted((services.outgoing / "register" / "daily").iterdir())

    assert [f.name for f in files] == [f"yesterday_2026-11-{d}.csv" for d in (20, 21, 22, 23)]
    for file, day in zip(files, (19, 20, 21, 22), strict=True):
        with file.open(newline="") as opened:
            assert {row[0] for row in list(csv.reader(opened))[1:]} == {f"2026-11-{day}"}


def test_a_long_absence_is_made_up_for_within_reason(services: Services, round_id: int) -> None:
    """The newest moments run, older ones are noted as skipped, and the next is in the future."""
    with services.store.session() as session:
        session.get_one(Round, round_id).next_at = datetime(2026, 11, 1, 6, tzinfo=UTC)
    asked = tick_rounds(services, NoQueue())
    found = occurrences(services)

    assert len(asked) == CATCH_UP
    assert len(found) == 23
    assert all(o.note.startswith("skipped") for o in found[:-CATCH_UP])
    with services.store.session() as session:
        assert session.get_one(Round, round_id).next_at == datetime(2026, 11, 24, 6, tzinfo=UTC)


def test_a_file_in_the_folder_is_never_overwritten(services: Services, round_id: int) -> None:
    """A file of the same name that is not this run's stays; a repeated delivery replaces its own."""
    folder = services.outgoing / "register" / "daily"
    folder.mkdir(parents=True)
    (folder / "yesterday_2026-11-23.csv").write_text("somebody's own")
    (run_id,) = tick_rounds(services, NoQueue())
    execute(services, run_id)

    assert (folder / "yesterday_2026-11-23.csv").read_text() == "somebody's own"
    with services.store.session() as session:
        assert ledger.get_run(session, run_id).delivered_to == ["register/daily/yesterday_2026-11-23-2.csv"]
    assert len(list(folder.iterdir())) == 2


def test_a_round_without_a_saved_version_fails_truthfully(
    services: Services, people: dict[str, Any], round_id: int
) -> None:
    """It is entered in the ledger as failed, with the reason."""
    with services.store.session() as session:
        record = shelf.add_template(session, {**DOCUMENT, "name": "Never saved"}, "", people["ines"], NOW)
        session.get_one(Round, round_id).template_id = record.id
    assert tick_rounds(services, NoQueue()) == []
    with services.store.session() as session:
        (run,) = ledger.list_runs(session)
        assert run.status == "failed"
        assert "no saved version" in run.error["message"]  # type: ignore[index]


def test_a_round_that_cannot_begin_keeps_no_other_from_running(
    services: Services, people: dict[str, Any], round_id: int
) -> None:
    """Of two that are due at once, one for a removed template: that one fails, the other is asked for."""
    with services.store.session() as session:
        record = shelf.add_template(session, {**DOCUMENT, "name": "Removed"}, "", people["ines"], NOW)
        shelf.save_version(session, record.id, "", people["ines"], NOW)
        gone = another(session, round_id, template_id=record.id)
        record.deleted_at = NOW
    (asked,) = tick_rounds(services, NoQueue())

    with services.store.session() as session:
        ends = {r.round_id: (r.status, r.id) for r in session.scalars(select(Run))}
        assert ends == {round_id: ("asked", asked), gone: ("failed", ends[gone][1])}


@pytest.mark.parametrize(
    "facts", [{}, {"paused": True, "paused_until": NOW - timedelta(hours=1)}], ids=["due", "resting"]
)
def test_a_round_that_cannot_be_understood_keeps_no_other_waiting(
    services: Services, people: dict[str, Any], round_id: int, facts: dict[str, Any]
) -> None:
    """Its zone is gone: it is paused and told of; the other one, due at the same moment, runs."""
    with services.store.session() as session:
        other = another(session, round_id, zone="Gone/Nowhere", **facts)
    (asked,) = tick_rounds(services, NoQueue())
    with services.store.session() as session:
        assert session.get_one(Run, asked).round_id == round_id
        assert (session.get_one(Round, other).paused, session.get_one(Round, other).paused_until) == (True, None)
        (notice,) = list_notices(session, people["ines"].id)
        assert notice.link == f"/rounds/{other}"
        (told,) = [c for c in session.scalars(select(Care)) if c.name == "rounds"]
        assert "Gone/Nowhere" in told.error


def test_a_paused_round_rests_and_goes_on_from_then(services: Services, round_id: int) -> None:
    """What it missed while paused is not made up for."""
    with services.store.session() as session:
        set_paused(session, round_id, True, NOW)
    assert tick_rounds(services, NoQueue()) == []
    with services.store.session() as session:
        found = set_paused(session, round_id, False, NOW + timedelta(days=3))
        assert found.next_at == datetime(2026, 11, 27, 6, tzinfo=UTC)
        assert rhythm_of(found).words() == "every day at 06:00"
