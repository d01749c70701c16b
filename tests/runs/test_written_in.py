"""
What runs write is in the language of those who read it: a file for readers in that of its dates and numbers, all else
in the house's.
"""

from __future__ import annotations

from typing import Any

import pytest

from bouquet.runs import Services, ask_for_run, execute
from bouquet.store import runs as ledger
from bouquet.store.models import Run

DOCUMENT: dict[str, Any] = {
    "name": "Trees by ward",
    "records": "tree",
    "columns": [
        {"id": "a", "heading": "Ward", "value": {"field": "site.ward.name"}},
        {"id": "b", "heading": "Girth", "value": {"field": "t_girth"}, "total": "sum"},
    ],
    "filter": {"all": [{"path": "status", "is": "is", "value": "S"}]},
    "order": [{"path": "site.ward.name"}, {"path": "tag"}],
    "at_most": 40,
}


def carried_out(services: Services, person: Any, output: dict[str, Any]) -> tuple[Run, str]:
    """(the run, its file)"""
    run_id = ask_for_run(services, {**DOCUMENT, "output": output}, person=person, via="hand").id
    execute(services, run_id)
    with services.store.session() as session:
        run = ledger.get_run(session, run_id)
        return run, b"".join(services.storage.chunks(run.files[0].path, 0, run.files[0].size)).decode()


@pytest.mark.parametrize(
    ("locale", "begins", "counted", "total"),
    [
        ("de_DE", "Eine Zeile je tree, für die gilt: Status ist Standing;", "40 trees, Stand ", "Summe"),
        ("fr_FR", "Une ligne par tree où status est Standing;", "40 trees, en date du ", "Total"),
        ("sv_SE", "One row per tree where status is Standing;", "40 trees, as of ", "Total"),
    ],
)
def test_a_readers_file_speaks_the_language_of_its_numbers(
    services: Services, people: dict[str, Any], locale: str, begins: str, counted: str, total: str
) -> None:
    """Its title, its count and its totals; of languages there are no texts in, English."""
    output = {"style": "reader", "locale": locale, "reader": {"groups": ["a"]}, "csv": {"separator": ";"}}
    run, file = carried_out(services, people["ines"], output)

    lines = file.splitlines()
    assert lines[1].strip('"').startswith(begins)
    assert lines[2].strip('"').startswith(counted)
    assert lines[-1].startswith(total)
    assert run.slip["sentence"].startswith(begins)


def test_what_programs_read_is_told_of_in_the_houses_language(services: Services, people: dict[str, Any]) -> None:
    """The file is the same, byte for byte; its slip and its notice are for the house's people."""
    english, before = carried_out(services, people["ines"], {})
    services.language = "fr"
    french, after = carried_out(services, people["ines"], {})

    assert before == after
    assert english.slip["sentence"].startswith("One row per tree where status is Standing")
    assert french.slip["sentence"].startswith("Une ligne par tree où status est Standing")
    assert french.slip["columns"] == english.slip["columns"]
