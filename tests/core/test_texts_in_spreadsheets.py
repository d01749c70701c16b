"""
Texts of other people in a spreadsheet: none is taken for a formula, none keeps a program from opening the file.
"""

from __future__ import annotations

import io
import re
import zipfile
from dataclasses import replace
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import openpyxl
import pyarrow as pa
import pytest

from bouquet.core.catalogue import Catalogue, Choice
from bouquet.core.plan import Context, resolve
from bouquet.core.template import read_document
from bouquet.core.writers import SheetFacts, writer_of
from tests.core.conftest import NOW
from tests.core.written import Resolve, made

#: Each would be run, or be an address, in a cell whose kind nobody says.
RUN = ["=cmd|' /C calc'!A0", "{=1+1}", "https://example.org/x", "Wow!Q4 of trees", "mailto:a@b.example"]
#: What XML cannot hold, and what has two units of UTF-16 to a character.
ODD = ["\x01", "\x0b", "\ufffe", "🌳" * 20, "a" * 30 + "'b", '5"', "'", "]]>", "&<>"]


def parts(path: Path) -> dict[str, str]:
    """The parts of a package, each of which an independent parser can read."""
    with zipfile.ZipFile(path) as package:
        found = {name: package.read(name) for name in package.namelist()}
    for name, content in found.items():
        if name.endswith((".xml", ".rels")):
            ElementTree.parse(io.BytesIO(content))
    return {name: content.decode() for name, content in found.items() if name.endswith(".xml")}


def formulas(path: Path) -> list[str]:
    """What a program would calculate: in cells, and as the words of a chart."""
    cells = [
        f for name, text in parts(path).items() if "worksheets/" in name for f in re.findall(r"<f[ >].*?</f>", text)
    ]
    charts = [text for name, text in parts(path).items() if "charts/" in name]
    titles = [t for text in charts for t in re.findall(r"<c:title>.*?</c:title>", text)]
    return cells + [t for t in titles if "<c:f>" in t]


@pytest.mark.parametrize("text", RUN)
def test_no_text_of_a_person_becomes_a_formula_or_a_link(catalogue: Catalogue, tmp_path: Path, text: str) -> None:
    """A title, a heading, the name on a chart and a choice that is offered stand as they are."""
    columns = [
        {"id": n, "heading": heading, "value": {"field": n}}
        for n, heading in (("rings", text), ("status", "S"), ("tag", "T"))
    ]
    xlsx = {"editable": ["status"], "chart": {"kind": "bars"}, "about_sheet": True}
    document = {"name": text, "records": "tree", "columns": columns, "output": {"format": "xlsx", "xlsx": xlsx}}
    plan = resolve(read_document(document), offering(catalogue, text), Context(as_of=NOW, answers={})).require()
    path, _ = made(plan, "xlsx", tmp_path, {"c0": [1], "c1": ["S"], "c2": ["x"]}, titles=(text, "Second"))

    assert formulas(path) == []
    assert not any("hyperlink" in content for content in parts(path).values())
    said = [cell.value for row in openpyxl.load_workbook(path).worksheets[0].iter_rows() for cell in row]
    assert said.count(text) == 3


@pytest.mark.parametrize("text", ODD)
@pytest.mark.parametrize(
    "show",
    [{"prefix": "{}"}, {"suffix": "{}"}, {"date": "yyyy'{}'MM"}, {"yes": "{}", "no": "no"}],
    ids=["prefix", "suffix", "date", "yes"],
)
def test_what_stands_around_values_keeps_the_file_whole(
    resolved: Resolve, tmp_path: Path, text: str, show: dict[str, str]
) -> None:
    """Number formats are part of the package, and take no letter that its markup has not."""
    kept = {k: v.format(text.replace("'", "''") if k == "date" else text[:40]) for k, v in show.items()}
    field = {"date": "planted_on", "yes": "protected"}.get(next(iter(show)), "girth")
    column = {"id": "a", "heading": "A", "value": {"field": field}, "show": kept}
    path, _ = made(
        resolved(column).require(),
        "xlsx",
        tmp_path,
        {"c0": pa.array([None], pa.bool_() if field == "protected" else None)},
    )

    assert openpyxl.load_workbook(path).worksheets[0]["A1"].value == "A"
    assert parts(path)


def test_a_quotation_mark_in_a_suffix_stands_in_the_format(resolved: Resolve, tmp_path: Path) -> None:
    """Inches are not lost."""
    column = {"id": "a", "heading": "A", "value": {"field": "girth"}, "show": {"decimals": 1, "suffix": '"'}}
    path, _ = made(resolved(column).require(), "xlsx", tmp_path, {"c0": ["1.5"]})

    assert openpyxl.load_workbook(path).worksheets[0]["A2"].number_format == '0.0\\"'


def test_zeros_in_front_of_a_number_stand_in_the_format(resolved: Resolve, tmp_path: Path) -> None:
    """The value stays a number, and is shown as in every other file; the sign is one of the characters."""
    shows = [{"pad": 6}, {"pad": 6, "decimals": 2}, {"pad": 6, "pad_with": "*"}]
    columns: list[Any] = [
        {"id": f"a{n}", "heading": f"A{n}", "value": {"field": "rings"}, "show": show} for n, show in enumerate(shows)
    ]
    path, _ = made(resolved(*columns).require(), "xlsx", tmp_path, {"c0": [7], "c1": [7], "c2": [7]})
    row = openpyxl.load_workbook(path).worksheets[0][2]

    assert [(c.value, c.number_format) for c in row] == [(7, "000000;-00000"), (7, "000.00;-00.00"), (7, "0")]


@pytest.mark.parametrize("format", ["xlsx", "ods"])
@pytest.mark.parametrize("text", [*ODD, *RUN, "x" * 40])
def test_a_sheet_is_named_after_any_value(resolved: Resolve, tmp_path: Path, text: str, format: str) -> None:
    """Parts of a split have sheets whose names every program takes, none of them alike."""
    plan = resolved("tag").require()
    sheets = [SheetFacts(text, 1), SheetFacts(text.upper(), 1), SheetFacts(text + "!", 1)]
    with writer_of(format)(plan, tmp_path / "f", announced=3, sheets=sheets) as writer:
        writer.next_sheet()
        writer.next_sheet()
    names = names_of(tmp_path / "f")

    assert len({n.casefold() for n in names}) == 3
    assert all(0 < len(n.encode("utf-16-le")) // 2 <= 31 and not re.search(r"[\[\]:*?/\\]|^'|'$", n) for n in names)


def names_of(path: Path) -> list[str]:
    found = parts(path)
    book = found.get("xl/workbook.xml") or found["content.xml"]
    pattern = r'<sheet name="([^"]*)"' if "xl/workbook.xml" in found else r'<table:table table:name="([^"]*)"'
    return [ElementTree.fromstring(f"<a>{name}</a>").text or "" for name in re.findall(pattern, book)]


def test_choices_with_marks_are_offered_from_a_sheet(catalogue: Catalogue, tmp_path: Path) -> None:
    """A list within the rule has no room for a comma or a quotation mark."""
    columns = [{"id": "s", "heading": "S", "value": {"field": "status"}}]
    document = {"name": "T", "records": "tree", "columns": columns, "output": {"xlsx": {"editable": ["s"]}}}
    there = offering(catalogue, 'oak 5"')
    plan = resolve(read_document(document), there, Context(as_of=NOW, answers={})).require()
    path, _ = made(plan, "xlsx", tmp_path, {"c0": ["S"]})
    rules = openpyxl.load_workbook(path).worksheets[0].data_validations.dataValidation

    assert [r.formula1 for r in rules if r.type == "list"] == ["Choices!$A$1:$A$1"]


def offering(catalogue: Catalogue, label: str) -> Catalogue:
    """The catalogue with this as the one choice of a tree's status."""
    tree = catalogue.record_types["tree"]
    fields = tuple(replace(f, choices=(Choice("S", label),)) if f.name == "status" else f for f in tree.fields)
    return replace(catalogue, record_types={**catalogue.record_types, "tree": replace(tree, fields=fields)})


def test_a_link_leads_to_a_page_of_the_web(catalogue: Catalogue, tmp_path: Path) -> None:
    """What a source holds never leads to a file, a share or a program of whoever opens the spreadsheet."""
    tree = replace(catalogue.record_types["tree"], link="{note}")
    changed = replace(catalogue, record_types={**catalogue.record_types, "tree": tree})
    columns = [{"id": "n", "heading": "Tag", "value": {"field": "tag"}, "show": {"link": True}}]
    document = {"name": "T", "records": "tree", "columns": columns}
    plan = resolve(read_document(document), changed, Context(as_of=NOW, answers={})).require()
    web = ["https://a.example/1", "HTTP://b.example/2"]
    odd = ["file:///etc/passwd", "\\\\share\\x", "javascript:alert(1)", "https://c.example/" + "é" * 400, None]
    links = [*web, *odd]
    path, notes = made(plan, "xlsx", tmp_path, {"c0": ["x"] * len(links), "l0": links})
    sheet = openpyxl.load_workbook(path).worksheets[0]

    assert [cell.hyperlink.target if cell.hyperlink else None for cell in sheet["A"]][1:3] == web
    assert not any(cell.hyperlink for cell in sheet["A"][3:])
    assert dict(notes) == {"links in “Tag” that lead to no page of the web were left out": 4}
