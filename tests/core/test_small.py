"""
Names of files, rhythms, date patterns, the dictionary, the doors of the rooms.
"""

from __future__ import annotations

import ast
import importlib
import pkgutil
import re
from datetime import datetime
from pathlib import Path
from typing import Any
from xml.etree import ElementTree
from zoneinfo import ZoneInfo

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

import bouquet
from bouquet.core.dictionary import HEADINGS, csvw_metadata, dictionary_rows
from bouquet.core.naming import NameFacts, check_pattern, file_name, merge_names, safe_name, with_suffix
from bouquet.core.patterns import PatternError, parse_date_pattern
from bouquet.core.vocabulary.formats import FORMATS
from bouquet.core.writers.xml import element_names

LONDON = ZoneInfo("Europe/London")


@given(st.text(max_size=300))
def test_a_name_is_safe_everywhere(text: str) -> None:
    """No separators, no control characters, no device names, not too long, never empty."""
    name = safe_name(text)

    assert name
    assert len(name.encode()) <= 181
    assert not set(name) & set('<>:"/\\|?*\x00\n')
    assert name.lower() not in ("con", "nul", "com1")
    assert not name.startswith(".")


def test_a_name_follows_its_pattern_and_its_format() -> None:
    """Parts are filled in; the extension always follows the format."""
    as_of = datetime(2026, 11, 1, 6, tzinfo=LONDON)

    def made(pattern: str) -> str:
        return file_name(pattern, NameFacts(template="Bills: all", records="line", as_of=as_of, rows=12), "xlsx")

    assert made("{template}_{as_of:%Y-%m}") == "bills-_all_2026-11.xlsx"
    assert {made(f"list.{typed}") for typed in (*FORMATS, "TSV", "Pdf")} == {"list.xlsx"}
    assert made("rates_1.5") == "rates_1.5.xlsx"
    assert made("{records}_{rows}") == "line_12.xlsx"
    assert with_suffix("a.b.csv", 2) == "a.b-2.csv"


@pytest.mark.parametrize("pattern", ["{sheet}", "{rows:%Y}", "{as_of:%Q}", "a{b", "{as_of:%}"])
def test_a_pattern_that_cannot_be_filled_is_refused(pattern: str) -> None:
    """Unknown parts, dates and lone braces are named."""
    assert check_pattern(pattern)


@pytest.mark.parametrize(
    ("pattern", "strftime", "number_format"),
    [
        ("dd/MM/yyyy", "%d/%m/%Y", "dd/mm/yyyy"),
        ("d MMM yyyy 'at' HH:mm", "%-d %b %Y at %H:%M", "d mmm yyyy \\a\\t hh:mm"),
        ("yyyyMMdd", "%Y%m%d", "yyyymmdd"),
        ("''yy 100%", "'%y 100%%", None),
    ],
)
def test_date_patterns(pattern: str, strftime: str, number_format: str | None) -> None:
    """One pattern, read by the text formatter and by spreadsheets."""
    if "100" in pattern:
        assert parse_date_pattern(pattern).strftime == strftime
    else:
        found = parse_date_pattern(pattern)
        assert (found.strftime, found.number_format) == (strftime, number_format)


@pytest.mark.parametrize("pattern", ["", "DD/MM", "yyyy 'open", "qq"])
def test_a_date_pattern_that_means_nothing_is_refused(pattern: str) -> None:
    """The part that is not known is named."""
    with pytest.raises(PatternError):
        parse_date_pattern(pattern)


@pytest.mark.parametrize(
    "room",
    [
        "core.template",
        "core.plan",
        "core.sql",
        "core.shaping",
        "core.writers",
        "sources",
        "store",
        "runs",
        "rounds",
        "web",
    ],
)
def test_a_room_exports_what_its_door_says(room: str) -> None:
    """`__all__` is sorted and complete."""
    door = importlib.import_module(f"bouquet.{room}")

    assert all(hasattr(door, name) for name in door.__all__)
    assert len(set(door.__all__)) == len(door.__all__)


def test_every_module_has_what_its_list_names() -> None:
    """Rooms within rooms, too: a name that is listed is there."""
    for found in pkgutil.walk_packages(bouquet.__path__, "bouquet."):
        if ".migrations" not in found.name:
            module = importlib.import_module(found.name)
            assert [n for n in getattr(module, "__all__", ()) if not hasattr(module, n)] == [], found.name


def test_rooms_and_functions_can_be_taken_in_at_a_glance() -> None:
    """No module has more than 450 lines, no function more than 60 beside what its docstring says; migrations are done."""
    long: list[str] = []
    for path in Path(bouquet.__path__[0]).rglob("*.py"):
        text = path.read_text(encoding="utf-8")
        if text.count("\n") > 450:
            long.append(path.name)
        for node in ast.walk(ast.parse(text)) if "versions" not in path.parts else ():
            if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
                told = (ast.get_docstring(node, clean=False) or "").count("\n") + 1
                if (node.end_lineno or 0) - node.lineno - told > 60:
                    long.append(f"{path.name} {node.name}")

    assert not long


def test_nothing_that_people_send_is_remembered_without_end() -> None:
    """A memory by an argument has a limit, except where there are only so many: languages, encodings, zones."""
    few = {"_catalogue", "_white", "_offsets_of"}
    endless: list[str] = []
    for path in Path(bouquet.__path__[0]).rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.FunctionDef) and node.args.args and node.name not in few:
                kept = [d.attr if isinstance(d, ast.Attribute) else getattr(d, "id", "") for d in node.decorator_list]
                endless += [f"{path.name} {node.name}" for name in kept if name == "cache"]

    assert not endless


@given(st.lists(st.text(max_size=60), max_size=12))
def test_names_of_merged_fields_are_plain_and_differ(headings: list[str]) -> None:
    """Whatever the headings are."""
    names = merge_names(headings)
    assert len(names) == len(headings)
    assert all(re.fullmatch(r"[A-Za-z][A-Za-z0-9_]{0,39}", name) for name in names)
    assert len({name.casefold() for name in names}) == len(names)


def test_names_of_merged_fields_are_close_to_the_headings() -> None:
    assert merge_names(["Straße Nr.", "Telefon (privat)", "2. Zeile", "漢字", "Tag", "TAG"]) == [
        "Strasse_Nr", "Telefon_privat", "F_2_Zeile", "Field_4", "Tag", "TAG_2"
    ]  # fmt: skip


def test_the_dictionary_has_the_templates_own_words_where_it_has_some(resolved: Any) -> None:
    """In the dictionary and in its metadata; elsewhere those of the catalogue, or where the values come from."""
    own = {"id": "a", "heading": "Tag", "value": {"field": "tag"}, "meaning": " The number to quote when ringing. "}
    plan = resolved(own, "girth").require()
    at = list(HEADINGS)
    told = {row[at.index("heading")]: row[at.index("meaning")] for row in dictionary_rows(plan)}

    assert told["Tag"] == "The number to quote when ringing."
    assert told["girth"] not in ("", told["Tag"])
    assert b"The number to quote when ringing." in csvw_metadata(plan, ["x.csv"])


@given(headings=st.lists(st.text(st.characters(exclude_categories=["Cs", "Cc"]), min_size=1, max_size=8), min_size=1))
@example(headings=["Area (m²)", "µg/l", "Nº 1", "½", "①", "日本", "xml", "-", "a:b"])
def test_elements_are_called_by_the_headings(headings: list[str]) -> None:
    """Whatever these hold, a reader takes them for names, no two alike."""
    names = element_names(headings)
    whole = ElementTree.fromstring("<all>" + "".join(f"<{n}/>" for n in names) + "</all>")

    assert [e.tag for e in whole] == names
    assert len(set(names)) == len(headings)
    assert element_names(["Area (m²)"]) == ["Area_m2"]
