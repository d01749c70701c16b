"""
Comparing runs and checking files given back, on a database whose changes are planted and counted.
"""

from __future__ import annotations

import csv
import json
import zipfile
from collections.abc import Iterator
from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from typing import Any

import openpyxl
import pytest

from bouquet.core.writers.xlsx_workbook import STAMP
from bouquet.runs import (
    RunFailed,
    Services,
    ask_for_comparison,
    ask_for_run,
    carry_out_comparison,
    check_file,
    comparing,
    execute,
    expire_files,
    key_of,
    recognise,
    sweep_files,
)
from bouquet.store import NotFound, comparisons
from bouquet.store import runs as ledger
from bouquet.store.models import Run
from tests.conftest import NOW
from tests.runs.changing import ITEMS, PLANTED, ROWS, changing


@pytest.fixture
def ground(services: Services, cluster: Any) -> Iterator[tuple[Services, Any, Any]]:
    with changing(cluster) as (source, connection, plant):
        yield replace(services, configured=source), connection, plant


def run(services: Services, person: Any, document: dict[str, Any] = ITEMS, **more: Any) -> Run:
    asked = ask_for_run(services, document, person=person, via="hand", **more)
    execute(services, asked.id)
    with services.store.session() as session:
        done = ledger.get_run(session, asked.id)
    assert done.status == "ready", done.error
    return done


@pytest.mark.parametrize("format", ["csv", "xlsx", "jsonl"])
def test_planted_changes_are_found(ground: Any, people: dict[str, Any], format: str) -> None:
    """Rows added, gone and changed, cell by cell, whatever the format; and all of them in a file."""
    services, connection, plant = ground
    before = run(services, people["ines"], format=format)
    plant()
    ((changed,),) = connection.execute(
        "SELECT count(*) FROM item WHERE id <= 4000 AND (amount <> id * 1.25 OR name LIKE '%, again')"
    )
    after = run(services, people["ines"], format=format)
    found, waits = ask_for_comparison(services, before, after)
    result: dict[str, Any] = found.result or {}

    assert not waits
    assert found.key == ["No."]
    assert (result["added"], result["gone"], result["changed"]) == (PLANTED["added"], PLANTED["gone"], changed)
    assert result["same"] == ROWS - PLANTED["gone"] - changed
    ((again,),) = connection.execute("SELECT count(*) FROM item WHERE name LIKE '%, again'")
    assert result["by_column"] == {"Amount": PLANTED["Amount"], "Name": again}
    with services.store.session() as session:
        file = next(f for f in ledger.get_run(session, after.id).files if f.role == "comparison")
    with services.storage.fetched(file.path) as path, path.open(newline="", encoding="utf-8") as lines:
        changes = [r["Change"] for r in csv.DictReader(lines)]
    assert {c: changes.count(c) for c in set(changes)} == {
        "added": 40,
        "gone": 41,
        "before": changed,
        "after": changed,
    }
    assert sweep_files(services).agrees


def test_a_comparison_is_made_once_and_large_ones_by_a_worker(
    ground: Any, people: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Asking again gives the same; a large one waits for a worker, and another worker for it does nothing."""
    services, _, plant = ground
    before = run(services, people["ines"])
    plant()
    after = run(services, people["ines"])
    monkeypatch.setattr(comparing, "AT_ONCE", 100)
    found, waits = ask_for_comparison(services, before, after)
    assert (found.status, waits) == ("asked", True)
    done = carry_out_comparison(services, found.id)
    again, waits = ask_for_comparison(services, before, after)

    assert (done.status, again.id, waits) == ("ready", found.id, False)
    assert carry_out_comparison(services, found.id).result == done.result
    with services.store.session() as session:
        assert len(ledger.get_run(session, after.id).files) == 2


def test_across_versions_and_other_keys(ground: Any, people: dict[str, Any]) -> None:
    """A column that came is named; a key can be chosen; one that is not there is told."""
    services, _, _ = ground
    before = run(services, people["ines"])
    more = {
        **ITEMS,
        "columns": [*ITEMS["columns"][:3], {"id": "x", "heading": "Twice", "value": {"formula": "{Amount} * 2"}}],
    }
    after = run(services, people["ines"], more)
    result: dict[str, Any] = ask_for_comparison(services, before, after)[0].result or {}
    by_name: dict[str, Any] = ask_for_comparison(services, before, after, ["Name"])[0].result or {}
    wrong = ask_for_comparison(services, before, after, ["Twice"])[0]

    assert (result["new_columns"], result["gone_columns"], result["same"]) == (["Twice"], ["Since"], ROWS)
    assert by_name["repeated"] == 2 * (ROWS // 50 - 1)
    assert wrong.status == "failed"
    assert "Twice is not in both runs" in (wrong.result or {})["error"]["message"]
    assert key_of(services, before, after) == ("No.",)


def test_files_that_are_gone_cannot_be_compared(ground: Any, people: dict[str, Any]) -> None:
    """The reason is told, not an empty comparison."""
    services, _, _ = ground
    before, after = run(services, people["ines"]), run(services, people["ines"])
    services.storage.remove(before.files[0].path)
    found, _ = ask_for_comparison(services, before, after)

    assert found.status == "failed"
    assert f"files of run {before.id} are no longer there" in (found.result or {})["error"]["message"]
    failed = ask_for_run(services, ITEMS, person=people["ines"], via="hand")
    with pytest.raises(RunFailed, match="no rows of its own"):
        ask_for_comparison(services, failed, after)


def test_a_comparison_goes_with_the_files_it_quotes(ground: Any, people: dict[str, Any]) -> None:
    """When one side's files expire, neither its rows in the ledger's comparison nor the file of differences stay."""
    services, _, plant = ground
    before = run(services, people["ines"], {**ITEMS, "output": {"name": "items", "keep_days": 1}})
    plant()
    after = run(services, people["ines"])
    found, _ = ask_for_comparison(services, before, after)
    later = replace(services, clock=lambda: NOW + timedelta(days=2))
    assert expire_files(later) == 1

    with services.store.session() as session:
        with pytest.raises(NotFound):
            comparisons.get(session, found.id)
        removed = [f.role for f in ledger.get_run(session, after.id).files if f.removed_at is not None]
    assert removed == ["comparison"]
    assert [p for p, _ in services.storage.listing()] == [after.files[0].path]
    swept = sweep_files(later)
    assert (swept.orphans, swept.missing, swept.files) == ([], [], 1)


# Given back


def edited(path: Path, target: Path, edit: Any, mark: str = ",") -> Path:
    with path.open(newline="", encoding="utf-8") as file:
        rows = list(csv.reader(file))
    edit(rows)
    with target.open("w", newline="", encoding="utf-8") as file:
        csv.writer(file, delimiter=mark).writerows(rows)
    return target


def test_a_csv_given_back_is_laid_beside_the_records(ground: Any, people: dict[str, Any], tmp_path: Path) -> None:
    """Recognised by its name; saved with semicolons; changed, in conflict, impossible, unknown; kept as CSV and JSON."""
    services, connection, _ = ground
    made = run(services, people["ines"])
    connection.execute("UPDATE item SET amount = 777 WHERE id = 2")
    connection.execute("UPDATE item SET amount = 999 WHERE id = 3")
    connection.execute("DELETE FROM item WHERE id = 4")

    def edit(rows: list[list[str]]) -> None:
        rows[1][2] = "8.5"
        rows[2][2] = "9.00"
        rows[3][2] = "999.00"
        rows[4][1] = "gone by now"
        rows[5][3] = "not a day"
        rows[6][0] = "77777"
        del rows[7:]

    with services.storage.fetched(made.files[0].path) as path:
        given = edited(path, tmp_path / "items.csv", edit, ";")
    known = recognise(services, people["ines"], given, "items.csv")
    checked = check_file(services, known.run, given, "items.csv", people["ines"])

    assert (known.run.id, known.by) == (made.id, "by its name")
    assert [(c.state, c.key, c.column) for c in checked.result.changes] == [
        ("change", ("1",), "Amount"),
        ("conflict", ("2",), "Amount"),
        ("impossible", ("4",), "Name"),
        ("impossible", ("5",), "Since"),
        ("unknown", ("77777",), ""),
    ]
    assert (checked.result.taken, checked.result.left_out) == (1, ROWS - 5)
    by_ending = {f.name.rsplit(".", 1)[1]: f for f in checked.files}
    with services.storage.fetched(by_ending["json"].path) as path:
        facts = json.loads(path.read_bytes())
    with services.storage.fetched(by_ending["csv"].path) as path, path.open(newline="", encoding="utf-8") as file:
        lines = list(csv.DictReader(file))
    assert [c["state"] for c in facts["list"]] == [r["State"] for r in lines]
    assert lines[1] | {"As given back": "9.00", "As it is now": "777.00"} == lines[1]
    assert sweep_files(services).agrees


def test_a_spreadsheet_is_known_by_its_stamp(ground: Any, people: dict[str, Any], tmp_path: Path) -> None:
    """Whatever it was renamed to; typed cells are read as they are shown."""
    services, _, _ = ground
    run(services, people["ines"], format="xlsx")
    made = run(services, people["ines"], format="xlsx")
    run(services, people["ines"], format="xlsx")
    with services.storage.fetched(made.files[0].path) as path:
        book = openpyxl.load_workbook(path)
    sheet = book.worksheets[0]
    sheet["B2"] = "renamed"
    given = tmp_path / "whatever.xlsx"
    book.save(given)
    known = recognise(services, people["ines"], given, "whatever.xlsx")
    checked = check_file(services, known.run, given, "whatever.xlsx", people["ines"])

    assert (known.run.id, known.by) == (made.id, "by its stamp")
    assert [(c.state, c.column, c.given) for c in checked.result.changes] == [("change", "Name", "renamed")]
    assert checked.result.same == ROWS - 1


def test_a_file_is_taken_for_ones_own_run_and_not_for_that_of_another(
    ground: Any, people: dict[str, Any], tmp_path: Path
) -> None:
    """Somebody else's newer run made a file of the same name, which one may not see."""
    services, _, _ = ground
    mine = run(services, people["ines"])
    run(services, people["marta"])
    with services.storage.fetched(mine.files[0].path) as path:
        given = edited(path, tmp_path / "items.csv", lambda rows: rows.pop(), ";")
    known = recognise(services, people["ines"], given, "items.csv")

    assert (known.run.id, known.by) == (mine.id, "by its name")


def test_a_stamp_that_is_no_number_of_a_run_is_passed_over(ground: Any, people: dict[str, Any], tmp_path: Path) -> None:
    services, _, _ = ground
    stamped = tmp_path / "stamped.xlsx"
    book = openpyxl.Workbook()
    book.active.append(["Colour", "Shape"])
    book.save(stamped)
    with zipfile.ZipFile(stamped, "a") as package:
        package.writestr("docProps/custom.xml", f'<p name="{STAMP}" x=""><vt:i4>{"9" * 30}</vt:i4></p>')

    with pytest.raises(RunFailed, match="does not come from any run"):
        recognise(services, people["ines"], stamped, "stamped.xlsx")


def test_an_untouched_file_and_a_strange_one(ground: Any, people: dict[str, Any], tmp_path: Path) -> None:
    """The first is known by its content and has no changes; the second is like no run's."""
    services, _, _ = ground
    made = run(services, people["ines"])
    with services.storage.fetched(made.files[0].path) as path:
        known = recognise(services, people["ines"], path, "renamed.csv")
        checked = check_file(services, known.run, path, "renamed.csv", people["ines"])
    strange = tmp_path / "strange.csv"
    strange.write_text("Colour,Shape\nred,round\n")

    assert known.by.startswith("by its content")
    assert (checked.result.changes, checked.files) == ([], ())
    with pytest.raises(RunFailed, match="does not come from any run"):
        recognise(services, people["ines"], strange, "strange.csv")
    with pytest.raises(RunFailed, match="not in the file"):
        check_file(services, made, strange, "strange.csv", people["ines"])
