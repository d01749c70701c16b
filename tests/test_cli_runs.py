"""
Runs on the command line: listed, proven, compared, held, bundled, swept.
"""

from __future__ import annotations

import csv
import json
import zipfile
from pathlib import Path
from typing import Any

from bouquet.runs import Services
from bouquet.store import runs as ledger
from bouquet.store import templates as shelf
from bouquet.store import tokens
from tests.conftest import NOW

WARDS = {
    "format": "bouquet-template/1",
    "name": "Wards",
    "records": "ward",
    "columns": [
        {"id": "a", "heading": "Code", "value": {"field": "code"}},
        {"id": "b", "heading": "Ward", "value": {"field": "name"}},
    ],
    "output": {"name": "wards"},
}


def wards(tmp_path: Path, **more: Any) -> Path:
    path = tmp_path / "wards.json"
    path.write_text(json.dumps({**WARDS, **more}))
    return path


def test_runs_are_listed_proven_and_compared(shell: Any, tmp_path: Path, query: Any) -> None:
    """`runs`, `slip` and `compare`; the last ends with 1 where something differs, and writes every difference."""
    first = shell("run", wards(tmp_path), "--out", tmp_path, "--json")
    few = {"all": [{"path": "residents", "is": "at_least", "value": 12000}]}
    shell("run", wards(tmp_path, filter=few), "--out", tmp_path)
    listed = [json.loads(line) for line in shell("runs", "--json").output.splitlines()]
    before, after = listed[1]["run"], listed[0]["run"]
    ((left,),) = query("SELECT count(*) FROM ward WHERE w_pop >= 12000")

    assert [r["rows"] for r in listed] == [left, 12]
    assert json.loads(shell("slip", before).output) == json.loads(first.output)
    found = shell("compare", before, after, "--key", "Code", "--out", tmp_path / "gone.csv")
    assert (found.exit_code, found.output.splitlines()[0]) == (1, f"0 added, {12 - left} gone, 0 changed, {left} same")
    with (tmp_path / "gone.csv").open(newline="", encoding="utf-8") as made:
        assert [r["Change"] for r in csv.DictReader(made)] == ["gone"] * (12 - left)
    shell("run", wards(tmp_path), "--out", tmp_path)
    assert shell("compare", before, after + 1).exit_code == 0
    wrong = shell("compare", before, after, "--key", "Nothing")
    assert (wrong.exit_code, "Nothing is not in both runs" in wrong.output) == (1, True)
    assert shell("slip", 999_999).exit_code == 1
    assert "no template called" in shell("runs", "--template", "Nobody").output


def test_a_held_run_ends_with_one_and_says_why(shell: Any, tmp_path: Path) -> None:
    """A script must not take a held file for a good one; nothing is put into its folder."""
    checks = [{"file": "rows", "least": 100, "severity": "hold"}]
    out = tmp_path / "out"
    done = shell("run", wards(tmp_path, checks=checks), "--out", out)

    assert done.exit_code == 1
    assert "is held until somebody releases it: The file must have at least 100 rows" in done.output
    assert not out.exists()
    assert "held" in shell("runs", "--status", "held").output


def test_a_bundle_by_command_line(shell: Any, tmp_path: Path) -> None:
    """A template and a whole record type in one archive."""
    done = shell("bundle", "--template", wards(tmp_path), "--records", "crew", "--name", "Both", "--out", tmp_path)
    (made,) = tmp_path.glob("Both_*.zip")

    assert done.exit_code == 0, done.output
    assert made.name in done.output
    with zipfile.ZipFile(made) as archive:
        assert archive.namelist()[0] == "wards.csv"
    assert shell("bundle", "--records", "nothing", "--out", tmp_path).exit_code == 1


def test_the_sweep_ends_with_one_where_a_file_is_missing(shell: Any, services: Services, tmp_path: Path) -> None:
    """Agreement is proven, not assumed."""
    shell("run", wards(tmp_path), "--out", tmp_path)
    assert shell("sweep").exit_code == 0
    with services.store.session() as session:
        services.storage.remove(ledger.list_runs(session)[0].files[0].path)
    missing = shell("sweep", "--only-look", "--json")

    assert missing.exit_code == 1
    assert len(json.loads(missing.stdout)["missing"]) == 1


def test_tokens_and_templates_by_command_line(shell: Any, services: Services) -> None:
    """The secret is printed once and opens; the library is listed in words."""
    secret = shell("token", "ines@marrowby.example", "--name", "load", "--run").output.strip()
    with services.store.session() as session:
        person = tokens.person_of_token(session, secret, services.clock())
        assert person is not None
        assert (person.name, person.by_token) == ("Ines Harrow", {"look", "run"})
        shelf.add_template(session, WARDS, "One row per ward; every row.", person, NOW)

    assert shell("templates").output == "Wards\n    One row per ward; every row.\n"
    assert shell("token", "nobody@marrowby.example", "--name", "x").exit_code == 1
