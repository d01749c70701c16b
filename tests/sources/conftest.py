"""
A document run into a folder.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

from bouquet.core.plan import Context, resolve
from bouquet.core.template import read_document
from bouquet.runs import Export, Exported
from bouquet.runs.asking import as_format
from bouquet.sources import Source
from tests.conftest import NOW
from tests.sources.files import Run


@pytest.fixture
def run(source: Source, tmp_path: Path) -> Run:
    """
    Run a document into the test's folder.
    """

    def make(document: dict[str, Any], format: str = "csv", **context: Any) -> Exported:
        template = as_format(read_document({"name": "Test", **document}), format)
        plan = resolve(template, source.catalogue(), Context(as_of=NOW, answers={}, **context)).require()
        with source.reader.snapshot() as snapshot:
            return Export(template, plan, format, tmp_path / "out").write(snapshot, {})

    return make
