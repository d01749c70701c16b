"""
Archives of what is attached to records, whatever the keys of other people's records are.
"""

from __future__ import annotations

import csv
import io
import json
import posixpath
import sqlite3
import zipfile
from collections.abc import Iterator
from pathlib import Path

import pytest

from bouquet.core.plan import Context, Plan, resolve
from bouquet.core.template import Template, read_document
from bouquet.runs.bundling import export_bundle
from bouquet.runs.export import Export
from bouquet.sources import Source
from tests.conftest import NOW

#: Keys that lead out of a folder, that no folder is called, or that become alike.
KEYS = ["..", "../..", "a/b", "a-b", "A-B", "c:d", "x\\y", 'q"', "<>|?*", "plain", "T.9"]


@pytest.fixture(scope="module")
def source(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Source]:
    path = tmp_path_factory.mktemp("archives") / "house.sqlite"
    with sqlite3.connect(path) as house:
        house.execute("CREATE TABLE thing (code text PRIMARY KEY NOT NULL, title text)")
        house.execute(
            "CREATE TABLE scan (id integer PRIMARY KEY, code text NOT NULL REFERENCES thing(code), name text, data blob)"
        )
        for n, key in enumerate(KEYS):
            house.execute("INSERT INTO thing VALUES (?, ?)", (key, f"Thing {n}"))
            for k in range(2):
                house.execute(
                    "INSERT INTO scan (code, name, data) VALUES (?, ?, ?)", (key, "T.9 page", f"{key} {k}".encode())
                )
    house.close()
    made = Source("house", f"sqlite:///{path}")
    yield made
    made.close()


def planned(source: Source, name: str = "Things") -> tuple[Template, Plan]:
    document = {
        "name": name,
        "records": "thing",
        "columns": [{"id": "code", "heading": "Code", "value": {"field": "code"}}],
        "output": {"name": name, "attachments": {"path": "scans.data", "folder": "scans", "heading": "Scans"}},
    }
    template = read_document(document)
    return template, resolve(template, source.catalogue(), Context(as_of=NOW, answers={})).require()


def test_every_attachment_stands_in_the_folder_that_its_row_names(source: Source, tmp_path: Path) -> None:
    """None leads out of its folder, and none takes the place of another where capitals are not told apart."""
    template, plan = planned(source)
    with source.reader.snapshot() as snapshot:
        made = Export(template, plan, "csv", tmp_path).write(snapshot, {})
    with made.path.open(newline="", encoding="utf-8") as file:
        folders = {row["Code"]: row["Scans"] for row in csv.DictReader(file)}
    with zipfile.ZipFile(next(f.path for f in made.files if f.role == "archive")) as archive:
        content = {name: archive.read(name).decode() for name in archive.namelist() if name.startswith("scans/")}

    assert len(content) == len({name.casefold() for name in content}) == 2 * len(KEYS)
    assert all(posixpath.normpath(name) == name and not set(name) & set('\\:*?"<>|') for name in content)
    assert {folders[text.rsplit(" ", 1)[0]] for text in content.values()} == set(folders.values())
    assert all(name.startswith(folders[text.rsplit(" ", 1)[0]]) for name, text in content.items())
    assert all(name.endswith(".bin") for name in content)


def test_two_templates_of_a_bundle_keep_the_attachments_of_both(source: Source, tmp_path: Path) -> None:
    """The same record in two of its templates has files of its own for each."""
    parts = [planned(source), planned(source, "Again")]
    with source.reader.snapshot() as snapshot:
        made = export_bundle("Both", parts, tmp_path, snapshot, {}, lambda *_: None, ())
    with zipfile.ZipFile(io.BytesIO(made.path.read_bytes())) as archive:
        names = [name for name in archive.namelist() if name.startswith("scans/")]
        slip = json.loads(archive.read("slip.json"))

    assert len({name.casefold() for name in names}) == len(names) == slip["attachments"] == 4 * len(KEYS)
