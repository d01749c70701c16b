"""
Runs that checks hold or stop, and what people decide about them; bundles; whose turn it is.
"""

from __future__ import annotations

import csv
import io
import json
import zipfile
from datetime import timedelta
from typing import Any

import psycopg
import pytest

from bouquet.core.errors import DocumentError, PlanError
from bouquet.core.template import BUNDLE, whole_template
from bouquet.rounds import tick_rounds
from bouquet.runs import Queue, Services, ask_for_run, execute
from bouquet.store import NotPossible
from bouquet.store import runs as ledger
from bouquet.store.models import Person, Round, Run, TemplateRecord
from tests.conftest import NOW

WARDS: dict[str, Any] = {
    "name": "Wards",
    "records": "ward",
    "columns": [{"id": "a", "heading": "Ward", "value": {"field": "name"}}],
    "output": {"name": "wards"},
}


def with_check(severity: str, **more: Any) -> dict[str, Any]:
    return {**WARDS, "checks": [{"file": "rows", "least": 100, "severity": severity}], **more}


def run(services: Services, document: dict[str, Any], person: Any, **more: Any) -> Run:
    asked = ask_for_run(services, document, person=person, via=more.pop("via", "hand"), **more)
    execute(services, asked.id)
    return get(services, asked.id)


def get(services: Services, run_id: int) -> Run:
    with services.store.session() as session:
        return ledger.get_run(session, run_id)


def there(services: Services) -> list[str]:
    return [path for path, _ in services.storage.listing()]


def ticked(services: Services) -> list[int]:
    """The runs of the rounds that are due."""
    queue = Queue(services)
    with queue.opened():
        return tick_rounds(services, queue)


def notices(services: Services, person: Any) -> list[str]:
    with services.store.session() as session:
        return [n.text for n in ledger.list_notices(session, person.id)]


@pytest.mark.parametrize(("severity", "status"), [("note", "ready"), ("hold", "held"), ("stop", "failed")])
def test_what_becomes_of_a_run_whose_check_objects(
    services: Services, people: dict[str, Any], severity: str, status: str
) -> None:
    """Noted and ready; made and waiting; or nothing made available, with the reason and the slip kept."""
    done = run(services, with_check(severity), people["ines"])
    slip: dict[str, Any] = done.slip or {}

    assert (done.status, done.verdict, done.objections) == (status, severity, 1)
    assert slip["checks"] == [
        {
            "place": "checks[0]",
            "words": "The file must have at least 100 rows",
            "severity": severity,
            "objections": 1,
            "saw": "it has 12 rows",
        }
    ]
    if severity == "stop":
        assert (there(services), slip["files"]) == ([], [])
        assert "nothing is made available" in (done.error or {})["message"]
        assert notices(services, people["ines"])[0].startswith("Wards failed: A check stopped it")
    else:
        assert there(services) == [done.files[0].path]
    if severity == "hold":
        assert notices(services, people["ines"]) == ["Wards waits for you: The file must have at least 100 rows."]


def test_a_held_run_counts_for_nothing_until_released(services: Services, people: dict[str, Any]) -> None:
    """Neither as usual nor as the newest good one; after its release it does, with who, when and why."""
    with services.store.session() as session:
        record = TemplateRecord(name="Wards", owner_id=people["ines"].id, draft=WARDS, draft_changed_at=NOW, draft_changed_by=people["ines"].id, deleted_at=None)  # fmt: skip
        session.add(record)
    done = run(services, with_check("hold"), people["ines"], template_id=record.id)
    with services.store.session() as session:
        assert ledger.newest_good(session, record.id) is None
        assert ledger.last_rows(session, [record.id]) == {}
        ledger.release_run(session, done.id, "Marta", "few wards are right", NOW)
        newest = ledger.newest_good(session, record.id)
        assert newest is not None
        assert (newest.id, newest.status, newest.reviewed_by, newest.review_reason) == (
            done.id,
            "ready",
            "Marta",
            "few wards are right",
        )
        assert ledger.last_rows(session, [record.id]) == {record.id: [12]}
        with pytest.raises(NotPossible, match="is ready; it cannot be released"):
            ledger.release_run(session, done.id, "Marta", "again", NOW)


def test_a_discarded_run_keeps_its_slip(services: Services, people: dict[str, Any]) -> None:
    """Its files are marked as gone; it can be neither released nor discarded again."""
    done = run(services, with_check("hold"), people["ines"])
    with services.store.session() as session:
        ledger.discard_run(session, done.id, "Ines", "wrong month", NOW)
    known = get(services, done.id)

    assert (known.status, known.files[0].removed_at, known.slip is not None) == ("discarded", NOW, True)
    with services.store.session() as session, pytest.raises(NotPossible):
        ledger.release_run(session, done.id, "Ines", "after all", NOW)


def test_a_rounds_held_run_is_delivered_when_it_is_released(services: Services, people: dict[str, Any]) -> None:
    """Nothing is in the folder before; a worker delivers; a second worker changes nothing."""
    add_round(services, people["ines"], with_check("hold"))
    (run_id,) = ticked(services)
    execute(services, run_id)
    assert get(services, run_id).status == "held"
    assert not services.outgoing.exists()
    with services.store.session() as session:
        assert ledger.release_run(session, run_id, "Ines", "looked", NOW).status == "releasing"
        assert ledger.waiting_runs(session, NOW + timedelta(hours=1), NOW) == [run_id]
    execute(services, run_id)
    execute(services, run_id)
    done = get(services, run_id)

    assert (done.status, done.delivered_to) == ("ready", ["wards-out/wards.csv"])
    assert [p.name for p in (services.outgoing / "wards-out").iterdir()] == ["wards.csv"]
    assert there(services) == [done.files[0].path]


def test_what_waited_goes_nowhere_where_the_right_to_send_there_was_taken(
    services: Services, people: dict[str, Any]
) -> None:
    """It is released, and waits again with the reason; with the right it goes."""
    add_round(services, people["ines"], with_check("hold"))
    (run_id,) = ticked(services)
    execute(services, run_id)
    for limits, status in (({"sends_to": []}, "held"), ({}, "ready")):
        with services.store.session() as session:
            session.get_one(Person, people["ines"].id).limits = limits
            ledger.release_run(session, run_id, "Marta", "looked", NOW)
        execute(services, run_id)
        done = get(services, run_id)
        assert (done.status, services.outgoing.exists()) == (status, status == "ready")
        assert ("may go to named recipients only" in str(done.error)) == (status == "held")


def test_a_release_that_cannot_be_delivered_waits_again(services: Services, people: dict[str, Any]) -> None:
    """The reason stands with the run; once the folder is there, it can be released again."""
    add_round(services, people["ines"], with_check("hold"))
    (run_id,) = ticked(services)
    execute(services, run_id)
    services.outgoing.parent.mkdir(parents=True, exist_ok=True)
    services.outgoing.write_text("a file where the folder should be")
    with services.store.session() as session:
        ledger.release_run(session, run_id, "Ines", "looked", NOW)
    execute(services, run_id)
    waiting = get(services, run_id)
    assert (waiting.status, (waiting.error or {})["code"]) == ("held", "write")
    assert notices(services, people["ines"])[0].startswith("Wards is made but could not be delivered")
    services.outgoing.unlink()
    with services.store.session() as session:
        ledger.release_run(session, run_id, "Ines", "again", NOW)
    execute(services, run_id)

    assert (get(services, run_id).status, get(services, run_id).error) == ("ready", None)


def add_round(
    services: Services, person: Any, document: dict[str, Any], mode: str = "new", format: str = "csv"
) -> tuple[int, int]:
    """A saved template and a round of it that is due."""
    from bouquet.store import templates as shelf

    with services.store.session() as session:
        record = shelf.add_template(session, document, "", person, NOW)
        shelf.save_version(session, record.id, "", person, NOW)
        found = Round(
            template_id=record.id,
            rhythm={"times": [f"{NOW:%H:%M}"]},
            zone="UTC",
            folder="wards-out",
            format=format,
            mode=mode,
            next_at=NOW,
            created_by=person.id,
            deleted_at=None,
        )
        session.add(found)
        session.flush()
        return record.id, found.id


# Whose turn it is


def test_people_take_turns_and_go_before_rounds(services: Services, people: dict[str, Any], store_url: str) -> None:
    """Who asks for ten runs waits behind another's first; a round waits for all of them."""
    add_round(services, people["marta"], WARDS)
    queue = Queue(services)
    with queue.opened():
        (of_round,) = tick_rounds(services, queue)
        mine = [ask_for_run(services, WARDS, person=people["ines"], via="hand").id for _ in range(4)]
        theirs = [ask_for_run(services, WARDS, person=people["oskar"], via="hand").id for _ in range(2)]
        for run_id in (*mine, *theirs):
            queue.put(run_id)
    with psycopg.connect(store_url) as connection:
        rows = connection.execute(
            "SELECT (args ->> 'run_id')::int FROM procrastinate_jobs WHERE task_name = 'execute_run' "
            "AND status = 'todo' AND (args ->> 'run_id')::int = ANY(%s) ORDER BY priority DESC, id",
            [[of_round, *mine, *theirs]],
        ).fetchall()

    assert [r for (r,) in rows] == [mine[0], theirs[0], mine[1], theirs[1], mine[2], mine[3], of_round]


def test_what_is_expected_comes_from_earlier_runs(services: Services, people: dict[str, Any]) -> None:
    """Bytes and seconds of the last runs of the same format."""
    with services.store.session() as session:
        record = TemplateRecord(name="Wards", owner_id=people["ines"].id, draft=WARDS, draft_changed_at=NOW, draft_changed_by=people["ines"].id, deleted_at=None)  # fmt: skip
        session.add(record)
    done = run(services, WARDS, people["ines"], template_id=record.id)
    with services.store.session() as session:
        assert ledger.expected(session, record.id, "csv") == [(12, done.files[0].size, 0.0)]
        assert ledger.expected(session, record.id, "xlsx") == []


# Bundles


def test_a_bundle_is_one_archive_of_one_snapshot(services: Services, people: dict[str, Any], source: Any) -> None:
    """Every part as its own file, one slip with the slips of the parts, counts that agree when read again."""
    types = source.catalogue().record_types
    parts = [WARDS, whole_template(types["crew"]).as_document(), whole_template(types["photograph"]).as_document()]
    done = run(services, {"format": BUNDLE, "name": "Hand-over 2026", "parts": parts}, people["ines"])
    slip: dict[str, Any] = done.slip or {}

    assert (done.status, done.format, [f.name for f in done.files]) == (
        "ready",
        "zip",
        ["Hand-over_2026_2026-11-23.zip"],
    )
    assert {p["snapshot_at"] for p in slip["parts"]} == {slip["snapshot_at"]}
    assert slip["rows_written"] == done.rows_written == sum(p["rows_written"] for p in slip["parts"])
    with services.storage.fetched(done.files[0].path) as path, zipfile.ZipFile(path) as archive:
        assert archive.testzip() is None
        names = archive.namelist()
        assert names == ["wards.csv", "crew_2026-11-23.csv", "photograph_2026-11-23.csv", "slip.json"]
        inside = json.loads(archive.read("slip.json"))
        for name, facts in zip(names[:3], inside["parts"], strict=True):
            rows = list(csv.reader(io.TextIOWrapper(archive.open(name), encoding="utf-8", newline="")))
            assert len(rows) - 1 == facts["rows_written"]
        assert "Picture" not in archive.read("photograph_2026-11-23.csv").decode().splitlines()[0]
    assert there(services) == [done.files[0].path]


def test_a_bundles_problems_stand_at_their_part(services: Services, people: dict[str, Any], source: Any) -> None:
    """Documents that cannot be read, or cannot be planned; personal data asks for a purpose."""
    wrong = {**WARDS, "columns": [{"id": "a", "heading": "W", "value": {"field": "nam"}}]}
    reports = whole_template(source.catalogue().record_types["resident_report"]).as_document()

    def ask(*parts: Any, **more: Any) -> Run:
        document = {"format": BUNDLE, "name": "B", "parts": list(parts)}
        return ask_for_run(services, document, person=people["ines"], via="hand", **more)

    with pytest.raises(PlanError) as planned:
        ask(WARDS, wrong)
    assert [p.place for p in planned.value.problems] == ["parts[1].columns[0].value.field"]
    with pytest.raises(DocumentError) as read:
        ask({**WARDS, "colums": []})
    assert [p.place for p in read.value.problems] == ["parts[0].colums"]
    with pytest.raises(DocumentError, match="at least one template"):
        ask()
    with pytest.raises(PlanError, match="Say what for"):
        ask(reports)
    assert ask(reports, purpose="archive").personal == 4


def test_every_record_type_in_one_act(services: Services, people: dict[str, Any], source: Any, query: Any) -> None:
    """All of a source as spreadsheets, with as many rows as a count by hand finds."""
    types = [t for t in source.catalogue().record_types.values() if (t.rows_estimate or 0) < 5000]
    document = {"format": BUNDLE, "name": "All", "parts": [whole_template(t).as_document() for t in types]}
    done = run(services, document, people["ines"], format="xlsx", purpose="a copy")
    slip: dict[str, Any] = done.slip or {}

    assert {p["rows_of"]: p["rows_written"] for p in slip["parts"]} == {
        t.name: query(f"SELECT count(*) FROM {t.table}")[0][0] for t in types
    }
    assert all(f["name"].endswith((".xlsx", ".zip")) for f in slip["files"])
