"""
Files at their destination: new, replaced, growing.
"""

from __future__ import annotations

import csv
import sys
import threading
from dataclasses import replace
from datetime import timedelta
from typing import Any

import pytest
import sqlalchemy as sa

from bouquet.core.template import read_document
from bouquet.runs import Services, appendable, delivering, execute
from bouquet.store import runs as ledger
from bouquet.store.models import Appending, Round, Run
from tests.conftest import NOW
from tests.runs.test_review import WARDS, add_round, get, there, ticked


def tick(services: Services, day: int) -> Run:
    """One occurrence of the only round, carried out."""
    later = replace(services, clock=lambda: NOW + timedelta(days=day))
    (run_id,) = ticked(later)
    execute(services, run_id)
    return get(services, run_id)


def lines(services: Services, name: str = "wards.csv") -> list[list[str]]:
    with (services.outgoing / "wards-out" / name).open(newline="", encoding="utf-8") as file:
        return list(csv.reader(file))


def test_new_files_never_overwrite(services: Services, people: dict[str, Any]) -> None:
    """The second gets a number; each run's own file stays in the store as well."""
    add_round(services, people["ines"], WARDS)

    assert [tick(services, n).delivered_to for n in (0, 1)] == [["wards-out/wards.csv"], ["wards-out/wards-2.csv"]]
    assert len(there(services)) == 2


def test_a_replaced_file_is_the_newest_and_whole(services: Services, people: dict[str, Any]) -> None:
    """One name, always a whole file; nothing is left beside it."""
    add_round(services, people["ines"], WARDS, mode="replace")
    for n in (0, 1):
        assert tick(services, n).delivered_to == ["wards-out/wards.csv"]

    assert len(lines(services)) == 13
    assert [p.name for p in (services.outgoing / "wards-out").iterdir()] == ["wards.csv"]


def test_a_running_file_grows_once_for_each_run(services: Services, people: dict[str, Any]) -> None:
    """One heading row; each occurrence adds its rows, however often its run is carried out."""
    add_round(services, people["ines"], WARDS, mode="append")
    for n in (0, 1, 2):
        done = tick(services, n)
        with services.store.session() as session:
            ledger.get_run(session, done.id).status = "running"
        execute(services, done.id)
        assert get(services, done.id).status == "ready"
    rows = lines(services)

    assert rows[0] == ["Ward"]
    assert len(rows) == 1 + 3 * 12
    assert rows.count(["Ward"]) == 1
    assert rows[1:13] == rows[13:25] == rows[25:]


@pytest.mark.parametrize("when", ["before", "after"])
def test_a_worker_that_dies_while_adding_does_not_double(
    services: Services, people: dict[str, Any], monkeypatch: pytest.MonkeyPatch, when: str
) -> None:
    """Whether it died before the file was exchanged or just after, before that was noted."""
    add_round(services, people["ines"], WARDS, mode="append")
    tick(services, 0)

    def die(*arguments: Any) -> None:
        raise KeyboardInterrupt

    later = replace(services, clock=lambda: NOW + timedelta(days=1))
    (run_id,) = ticked(later)
    with monkeypatch.context() as patched:
        patched.setattr(delivering, "_write_longer" if when == "before" else "_note", die)
        with pytest.raises(KeyboardInterrupt):
            execute(services, run_id)
    assert len(lines(services)) == (13 if when == "before" else 25)
    execute(services, run_id)

    assert get(services, run_id).status == "ready"
    assert len(lines(services)) == 25
    with services.store.session() as session:
        assert all(a.done for a in session.query(Appending))


def test_equal_rows_of_another_run_are_not_taken_for_ones_own(
    services: Services, people: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    """A worker died before it added; meanwhile another run added the same rows in their place."""
    add_round(services, people["ines"], WARDS, mode="append")
    first, second = (ticked(replace(services, clock=lambda n=n: NOW + timedelta(days=n)))[0] for n in (0, 1))

    def die(*arguments: Any) -> None:
        raise KeyboardInterrupt

    with monkeypatch.context() as patched:
        patched.setattr(delivering, "_write_longer", die)
        with pytest.raises(KeyboardInterrupt):
            execute(services, first)
    execute(services, second)
    execute(services, first)

    assert len(lines(services)) == 1 + 2 * 12


def test_rows_are_not_added_below_other_headings(services: Services, people: dict[str, Any]) -> None:
    """The run says so; the file stays as it was. A file that lost its last line end is mended."""
    add_round(services, people["ines"], WARDS, mode="append")
    tick(services, 0)
    path = services.outgoing / "wards-out" / "wards.csv"
    path.write_bytes(path.read_bytes().rstrip())
    tick(services, 1)
    assert len(lines(services)) == 25
    path.write_text("Something else\r\nx\r\n")
    failed = tick(services, 2)

    assert failed.status == "held"
    assert "begins with other headings" in (failed.error or {})["message"]
    assert path.read_text() == "Something else\nx\n"


@pytest.mark.parametrize("encoding", ["utf-8", "utf-16"])
@pytest.mark.parametrize("line_end", ["CRLF", "LF"])
def test_rows_are_added_below_the_last_in_the_files_own_form(
    services: Services, people: dict[str, Any], encoding: str, line_end: str
) -> None:
    """Also where somebody's program took the last line end away."""
    csv = {"encoding": encoding, "line_end": line_end}
    add_round(services, people["ines"], {**WARDS, "output": {**WARDS["output"], "csv": csv}}, mode="append")
    tick(services, 0)
    path = services.outgoing / "wards-out" / "wards.csv"
    once, end = (
        path.read_bytes(),
        {"CRLF": "\r\n", "LF": "\n"}[line_end].encode("utf-16-le" if "16" in encoding else "utf-8"),
    )
    path.write_bytes(once.removesuffix(end))
    tick(services, 1)
    head = once.index(end) + len(end)

    assert path.read_bytes() == once + once[head:]


def test_two_workers_never_interleave(services: Services, people: dict[str, Any]) -> None:
    """Two rounds for one file, delivered at once: each one's rows stand together."""
    documents = [
        {**WARDS, "name": f"W{n}", "columns": [{"id": "a", "heading": "Ward", "value": {"constant": f"{n}"}}, {"id": "b", "heading": "N", "value": {"field": "name"}}]}
        for n in range(6)
    ]  # fmt: skip
    for document in documents:
        add_round(services, people["ines"], document, mode="append")
    runs = ticked(services)
    threads = [threading.Thread(target=execute, args=(services, run_id)) for run_id in runs]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    rows = [r[0] for r in lines(services)[1:]]

    assert len(rows) == 6 * 12
    assert [rows[n] for n in range(0, 72, 12)] == list(dict.fromkeys(rows))


def test_a_worker_whose_lock_was_lost_takes_no_rows_away(
    services: Services, people: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    """The database was restarted while it was adding: what another added meanwhile stays, and its own come later."""
    add_round(services, people["ines"], WARDS, mode="append")
    tick(services, 0)
    later = [replace(services, clock=lambda n=n: NOW + timedelta(days=n)) for n in (1, 2)]
    slow, quick = (ticked(one)[0] for one in later)
    writing, go_on, add = threading.Event(), threading.Event(), delivering._addition

    def slowly(*arguments: Any) -> Any:
        if (
            threading.current_thread() is first
            and not writing.is_set()
            and sys._getframe(1).f_code.co_name != "_append"
        ):
            writing.set()
            assert go_on.wait(20)
        return add(*arguments)

    monkeypatch.setattr(delivering, "_addition", slowly)
    failures: list[Exception] = []

    def work() -> None:
        try:
            execute(services, slow)
        except Exception as error:
            failures.append(error)

    first, second = threading.Thread(target=work), threading.Thread(target=execute, args=(services, quick))
    first.start()
    assert writing.wait(20)
    with services.store.session() as session:
        # In this database: another test process has locks in its own.
        session.execute(
            sa.text(
                "SELECT pg_terminate_backend(l.pid) FROM pg_locks l JOIN pg_database d ON d.oid = l.database"
                " WHERE l.locktype = 'advisory' AND d.datname = current_database()"
            )
        )
    second.start()
    second.join(2)
    go_on.set()
    first.join()
    second.join()
    assert len(failures) == 1
    execute(services, slow)

    assert len(lines(services)) == 1 + 3 * 12
    assert [p.name for p in (services.outgoing / "wards-out").iterdir()] == ["wards.csv"]


def test_what_cannot_grow_is_said(services: Services) -> None:
    """Spreadsheets, readers' files, split files and archives."""

    def why(format: str = "csv", **output: Any) -> str | None:
        return appendable(read_document({**WARDS, "output": output}), format)

    assert why() is None
    assert why("jsonl") is None
    assert "spreadsheet" in str(why("xlsx"))
    assert "machine style" in str(why(style="reader"))
    assert "split" in str(why(split={"rows": 5}))
    assert "archive" in str(why(archive=True))


def test_an_archive_goes_out_alone(services: Services, people: dict[str, Any]) -> None:
    """Where a template packs its files, only the archive is delivered."""
    document = {**WARDS, "output": {"name": "wards", "archive": True, "companions": ["slip"]}}
    add_round(services, people["ines"], document)
    done = tick(services, 0)

    assert done.delivered_to == ["wards-out/wards.zip"]
    assert [f.role for f in done.files] == ["data", "slip", "archive"]


def test_a_round_that_was_set_to_grow_without_being_able_to_keeps_its_file(
    services: Services, people: dict[str, Any]
) -> None:
    """As when its template became a reader's file since."""
    _, round_id = add_round(services, people["ines"], {**WARDS, "output": {"name": "wards", "style": "reader"}})
    with services.store.session() as session:
        session.get_one(Round, round_id).mode = "append"
    failed = tick(services, 0)

    assert (failed.status, "machine style" in (failed.error or {})["message"]) == ("held", True)
