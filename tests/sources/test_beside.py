"""
Templates drawn by chance with all that stands beside their rows: checks, totals, parts, readers' styles, companions.
"""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import pytest

from bouquet.core.errors import DocumentError, PlanError
from bouquet.core.plan import Context, Plan, resolve
from bouquet.core.template import Template, read_document
from bouquet.runs import Export
from bouquet.runs.exported import Exported
from bouquet.sources import Source
from tests.conftest import NOW, seeds
from tests.sources.drawn import Drawn

MUSTS: list[dict[str, Any]] = [
    {"must": "filled"}, {"must": "unique"}, {"must": "whole"}, {"must": "near_usual", "spread": "0.5"},
    {"must": "near_usual"}, {"must": "between", "least": -1, "greatest": 5}, {"must": "between", "least": "2026-01-01"},
    {"must": "between", "least": "08:00", "greatest": "17:00"}, {"must": "one_of", "values": ["a", "A", 1, True]},
    {"must": "matches", "pattern": "?*"}, {"must": "matches", "pattern": "a*"}, {"must": "length", "greatest": 3},
    {"must": "not_future"}, {"must": "not_past"},
]  # fmt: skip
OF_FILES: list[dict[str, Any]] = [{"file": "not_empty"}, {"file": "rows", "least": 10, "greatest": 20}]


class Beside(Drawn):
    """Templates with what stands beside their rows."""

    def document(self) -> dict[str, Any]:
        made = super().document()
        columns, chance = made["columns"], self.chance.random
        checks = [{**self.some(MUSTS), "column": self.some(columns)["id"]} for _ in range(4)]
        output: dict[str, Any] = {"format": self.some(["csv", "csv", "jsonl", "xlsx"])}
        if chance() < 0.5:
            groups = self.chance.sample([c["id"] for c in columns], min(len(columns), self.chance.randint(0, 2)))
            reader = {"title": False, "groups": groups, "subtotals": self.some([True, False])}
            output |= {"style": "reader", "locale": self.some(["en_GB", "de", "fr_CH", "sv", "ar"]), "reader": reader}
        if chance() < 0.4 and "at_most" not in made:
            by = columns[0]["value"].get("field", "id")
            output["split"] = self.some([{"by": by}, {"by": by, "into": "sheets"}])
        if chance() < 0.4:
            output |= {"dictionary": ["csv"], "companions": ["findings"], "findings_by": self.some(columns)["id"]}
        for column in columns:
            if chance() < 0.3:
                column["total"] = self.some(["sum", "mean", "count", "least", "greatest"])
        return {**made, "checks": [*checks, self.some(OF_FILES)], "output": output}


def sound(document: dict[str, Any], of: Source) -> tuple[Template, Plan]:
    """The template without what is refused of it, each at its place."""
    for _ in range(8):
        try:
            template = read_document(document)
            return template, resolve(template, of.catalogue(), Context(as_of=NOW)).require()
        except (DocumentError, PlanError) as refused:
            places = {p.place for p in refused.problems}
        document["checks"] = [c for n, c in enumerate(document["checks"]) if not _within(f"checks[{n}]", places)]
        for n, column in enumerate(document["columns"]):
            if _within(f"columns[{n}].total", places):
                del column["total"]
        for name in [name for name in document["output"] if name != "format" and _within(f"output.{name}", places)]:
            del document["output"][name]
        if _within("output.format", places):
            document["output"]["format"] = "csv"
    pytest.fail(f"It is refused whatever is left out: {sorted(places)}, {document}")


def _within(part: str, places: set[str]) -> bool:
    return any(re.match(re.escape(part) + r"($|[.\[])", place) for place in places)


def made(of: Source, template: Template, plan: Plan, folder: Path) -> Exported:
    with of.reader.snapshot() as snapshot:
        return Export(template, plan, template.output.format, folder).write(snapshot, {})


@pytest.mark.parametrize("seed", seeds(1, 2))
def test_what_stands_beside_the_rows_is_alike_everywhere(
    drawn_source: Source, elsewhere: dict[str, Source], tmp_path: Path, seed: int
) -> None:
    """What checks object to, totals, the tally, and every file but for the order that the template leaves open."""
    drawn, alike = Beside(500 + seed), 0
    for n in range(30):
        template, plan = sound(drawn.document(), drawn_source)
        here = made(drawn_source, template, plan, tmp_path / f"{n}")
        for name, other in elsewhere.items():
            found = resolve(template, other.catalogue(), Context(as_of=NOW)).plan
            if found is None or (name == "sqlite" and "state" in str(template)):
                continue
            there = made(other, template, found, tmp_path / f"{n}{name}")
            for part in ("checks", "findings", "tally", "columns", "rows_written"):
                assert there.slip[part] == here.slip[part], (part, name, template)
            if template.output.format != "xlsx":
                assert _data(there) == _data(here), (name, template)
            alike += 1
    assert alike > 35


def test_values_in_several_groups_are_found_beside_any_fold(
    drawn_source: Source, elsewhere: dict[str, Source], tmp_path: Path
) -> None:
    """MariaDB counts windows wrongly beside folds of distinct values, where it makes the groups in the same statement."""
    by = [{"path": "p.region.rank"}, {"path": "tz", "step": "minute"}]
    values = [{"field": "tz"}, {"fold": {"path": "t", "how": "count_distinct"}}]
    document = {
        "name": "Beside",
        "records": "e",
        "rows": {"per": "group", "by": by},
        "columns": [{"id": f"c{n}", "heading": f"C{n}", "value": value} for n, value in enumerate(values)],
        "checks": [{"column": "c0", "must": "unique", "severity": "note"}],
    }
    found = {}
    for name, of in {"here": drawn_source, **elsewhere}.items():
        template, plan = sound(document, of)
        found[name] = made(of, template, plan, tmp_path / name).slip["checks"][0]["objections"]

    assert found["here"] > 0
    assert set(found.values()) == {found["here"]}, found


def _data(made: Exported) -> list[list[bytes]]:
    """The lines of each file; which part is the first hangs on the letters' order, which is each database's own."""
    return sorted(sorted(f.path.read_bytes().splitlines()) for f in made.files if f.role == "data")
