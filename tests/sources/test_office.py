"""
Spreadsheets opened by an office program, where one is installed: nothing to repair, and the same values.
"""

from __future__ import annotations

import csv
import shutil
import subprocess
from pathlib import Path
from typing import Any

import pytest

from bouquet.core.plan import Context, resolve
from bouquet.core.template import read_document
from bouquet.runs import Export
from bouquet.sources import Source
from tests.conftest import NOW

OFFICE = shutil.which("soffice") or shutil.which("libreoffice")

DOCUMENT: dict[str, Any] = {
    "name": "Office",
    "records": "tree",
    "columns": [
        {"id": "tag", "heading": "Tag", "value": {"field": "tag"}, "show": {"link": True}},
        {"id": "note", "heading": "Note", "value": {"field": "note"}},
        {"id": "reg", "heading": "Register", "value": {"field": "register_no"}},
        {"id": "girth", "heading": "Girth", "value": {"field": "t_girth"}, "show": {"decimals": 2}},
        {"id": "planted", "heading": "Planted", "value": {"field": "planted_on"}},
        {"id": "n", "heading": "Looks", "value": {"fold": {"path": "inspections", "how": "count"}}},
        {"id": "padded", "heading": "Padded", "value": {"field": "t_girth"}, "show": {"decimals": 1, "pad": 8}},
        {
            "id": "cooler",
            "heading": "Cooler",
            "value": {"formula": "100 - {t_girth}"},
            "show": {"decimals": 2, "pad": 8, "prefix": "No. "},
        },
        {"id": "none", "heading": "Seal", "value": {"field": "seal"}},
    ],
    "filter": {
        "all": [{"path": "note", "is": "not_blank"}, {"none": [{"path": "note", "is": "contains", "value": "\n"}]}]
    },
    "at_most": 2000,
    "output": {"dictionary": ["sheet"], "xlsx": {"about_sheet": True, "findings_sheet": True}},
}


@pytest.mark.skipif(OFFICE is None, reason="no office program is installed")
def test_an_office_program_reads_the_same_values(source: Source, tmp_path: Path) -> None:
    """The first sheet, saved again as CSV by the office program, has the values of our own CSV."""
    template = read_document(DOCUMENT)
    plan = resolve(template, source.catalogue(), Context(as_of=NOW, answers={})).require()
    with source.reader.snapshot() as snapshot:
        sheet = Export(template, plan, "xlsx", tmp_path / "x").write(snapshot, {}).path
        ours = Export(template, plan, "csv", tmp_path / "c").write(snapshot, {}).path
    # Comma, quotation mark, UTF-8, first line, and cells as they are shown.
    subprocess.run(
        [str(OFFICE), f"-env:UserInstallation=file://{tmp_path}/profile", "--headless", "--convert-to",
         "csv:Text - txt - csv (StarCalc):44,34,76,1,,0,false,true,true", "--outdir", str(tmp_path), str(sheet)],
        check=True, capture_output=True, timeout=120,
    )  # fmt: skip
    with (tmp_path / f"{sheet.stem}.csv").open(newline="", encoding="utf-8") as file:
        theirs = list(csv.reader(file))
    with ours.open(newline="", encoding="utf-8") as file:
        rows = list(csv.reader(file))

    assert theirs == rows
