"""
Rounds by command line: what it prints and changes is what the store has.
"""

from __future__ import annotations

import json
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest

from bouquet.runs import Services
from bouquet.store import runs as ledger
from bouquet.store import templates as shelf
from bouquet.store.models import Person, Round
from tests.conftest import NOW

WARDS = {
    "name": "Wards each day",
    "records": "ward",
    "columns": [{"id": "a", "heading": "Ward", "value": {"field": "name"}}],
}


@pytest.fixture
def number(services: Services, people: dict[str, Person]) -> int:
    """A round at six each day, whose next moment is years ahead."""
    with services.store.session() as session:
        record = shelf.add_template(session, WARDS, "", people["ines"], NOW)
        shelf.save_version(session, record.id, "", people["ines"], NOW)
        found = Round(
            template_id=record.id, rhythm={"every": "day", "times": ["06:00"]}, zone="Europe/London", folder="wards",
            format="csv", next_at=NOW.replace(year=2090, hour=6, minute=0), created_by=people["ines"].id,
        )  # fmt: skip
        session.add(found)
        session.flush()
        return found.id


def get(services: Services, number: int) -> Round:
    with services.store.session() as session:
        return session.get_one(Round, number)


def test_rounds_are_listed_with_their_moments(shell: Any, number: int) -> None:
    """In words on their own clock, and as JSON; moments a line each for programs."""
    (listed,) = json.loads(shell("rounds", "list", "--json").stdout)
    said = shell("rounds", "list").stdout
    moments = shell("rounds", "next", number, "--count", 3).stdout.split()

    assert (listed["round"], listed["template"], listed["when"]) == (number, "Wards each day", "every day at 06:00")
    assert "2090-11-23 06:00" in said
    assert [m[:10] for m in moments] == ["2090-11-23", "2090-11-24", "2090-11-25"]
    assert shell("rounds", "show", 999_999).exit_code == 1


def test_a_round_is_paused_goes_on_and_is_skipped(shell: Any, services: Services, number: int) -> None:
    """What is left out stands among what became of its moments."""
    assert "paused until" in shell("rounds", "pause", number, "--until", "2091-01-01").stdout
    assert get(services, number).paused is True
    assert shell("rounds", "skip", number).exit_code == 1
    assert shell("rounds", "go-on", number).exit_code == 0
    assert get(services, number).paused is False
    before = get(services, number).next_at
    assert shell("rounds", "skip", number).exit_code == 0
    assert get(services, number).next_at == before + timedelta(days=1)
    shown = json.loads(shell("rounds", "show", number, "--json").stdout)
    assert [(p["note"], p["run"]) for p in shown["past"]] == [("skipped by the command line", None)]


def test_a_round_is_run_now(shell: Any, services: Services, number: int) -> None:
    """Asked for, beside the planned moments; a worker makes it."""
    done = shell("rounds", "run", number)

    assert done.exit_code == 0, done.output
    with services.store.session() as session:
        (run,) = ledger.list_runs(session)
        assert (run.status, run.round_id, run.via) == ("asked", number, "round")
    assert f"run {run.id}, asked (run by hand)" in shell("rounds", "show", number).stdout


def test_what_is_done_by_command_line_stands_in_the_journal(shell: Any, number: int) -> None:
    """And what is only looked at does not; the journal is as it was written."""
    shell("rounds", "list")
    shell("rounds", "pause", number)
    told = [json.loads(line) for line in shell("journal", "--json").stdout.splitlines()]
    assert [(e["act"], e["via"]) for e in told] == [("paused a round, or let it go on", "command line")]
    assert shell("journal", "--verify").exit_code == 0


def test_a_round_is_exported_and_imported(shell: Any, services: Services, number: int, tmp_path: Path) -> None:
    """With names; somebody who is not here sets none."""
    document = tmp_path / "round.json"
    document.write_text(shell("rounds", "export", number).stdout)
    assert json.loads(document.read_text())["template"] == "Wards each day"
    made = shell("rounds", "import", document, "--person", "ines@marrowby.example")
    assert made.exit_code == 0, made.output
    assert len(json.loads(shell("rounds", "list", "--json").stdout)) == 2
    assert shell("rounds", "import", document, "--person", "nobody@marrowby.example").exit_code == 1
