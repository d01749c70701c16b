"""
Made-up databases that nobody curated, and what files of them hold.
"""

from __future__ import annotations

import csv
from pathlib import Path
from typing import Any

import psycopg

from bouquet.core.plan import Context, Scope, resolve
from bouquet.core.slip_document import SlipDocument
from bouquet.core.template import read_document
from bouquet.demo.cluster import Cluster
from bouquet.runs.export import Export
from bouquet.runs.exported import Exported
from bouquet.sources import Source
from tests.conftest import NOW


def made_world(cluster: Cluster, name: str) -> str:
    """The address, for a role that can only read, of the database that `NAME.sql` makes."""
    cluster.ensure_database(f"{name}_test", "marrowby_owner")
    with psycopg.connect(cluster.url(f"{name}_test", "marrowby_owner", "test-only"), autocommit=True) as connection:
        connection.execute(Path(__file__).with_name(f"{name}.sql").read_text())
    return cluster.url(f"{name}_test", "marrowby_reader", "test-only")


def written(
    source: Source, document: dict[str, Any], folder: Path, format: str = "csv", scope: Scope | None = None
) -> Exported:
    template = read_document(document)
    plan = resolve(template, source.catalogue(), Context(as_of=NOW, scope=scope)).require()
    with source.reader.snapshot() as snapshot:
        made = Export(template, plan, format, folder, lambda *_: None).write(snapshot, {})
    SlipDocument.model_validate(made.slip)
    return made


def lines(made: Exported) -> list[list[str]]:
    with made.path.open(newline="", encoding="utf-8") as file:
        return list(csv.reader(file))[1:]
