"""
Names of months and days: in the language of the file, or of the column.
"""

from __future__ import annotations

import zipfile
from datetime import date, datetime
from pathlib import Path
from typing import Any

import babel.dates
import openpyxl
import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from python_calamine import load_workbook

from bouquet.core.catalogue import Field, Kind, Route
from bouquet.core.errors import DocumentError
from bouquet.core.formula import dated_by_pattern
from bouquet.core.language import LANGUAGES
from bouquet.core.patterns import date_pieces, spoken_where
from bouquet.core.plan import PlanColumn, Read
from bouquet.core.roundtrip import read_shown
from bouquet.core.shaping import TextShaper
from bouquet.core.shaping.example import format_by_example
from bouquet.core.template import Show
from tests.core.written import Resolve, made

DAY = date(2026, 11, 1)

#: Codes of languages in number formats ([MS-LCID], section 2.2), in hexadecimal digits.
CODES = {"de": "407", "fr_CH": "100C", "pt_BR": "416"}

#: Languages with forms of their own beside a day, with dots, with letters of several bytes, written right to left.
SPOKEN = ["de", "fr_FR", "pl", "cs-CZ", "el", "ru", "ja", "he", "pt_BR", "cy", "en_GB", "en"]
PATTERNS = ["EEEE, d. MMMM yyyy", "d MMM yyyy", "MMMM yyyy", "EEE dd.MM.yyyy HH:mm", "MMM MMMM", "yyyy 'MMM' MMM"]


def column(resolved: Resolve, show: dict[str, Any], path: str = "planted_on", **output: Any) -> Any:
    one = {"id": "a", "heading": "A", "value": {"field": path}, "show": show}
    return resolved(one, output=output).require().columns[0]


def expected(day: date, pattern: str, language: str) -> str:
    """What the library of Unicode's own data makes of it; beside no day, a month stands alone (`LLLL`)."""
    if "d" not in pattern:
        pattern = pattern.replace("'MMM'", "'#'").replace("MMM", "LLL").replace("LLLM", "LLLL").replace("#", "MMM")
    moment = datetime(day.year, day.month, day.day)
    return str(babel.dates.format_datetime(moment, pattern, locale=language.replace("-", "_")))


@given(st.lists(st.dates(date(1000, 1, 1), date(2300, 1, 1)), max_size=20), st.data())
def test_names_are_those_of_the_language(days: list[date], data: Any) -> None:
    """As Unicode's data has them, in files and in cells that are computed; before and after the tables, too."""
    language, pattern = data.draw(st.sampled_from(SPOKEN[:-2])), data.draw(st.sampled_from(PATTERNS))
    told = [expected(day, pattern, language) for day in days]

    assert [dated_by_pattern(day, pattern, language) for day in days] == told
    assert shaped(days, date=pattern, language=language) == told


def one(**show: Any) -> PlanColumn:
    of = Field(name="d", column="d", kind=Kind.DATE, stored="date", label="D")
    return PlanColumn(id="c", heading="c", cell=Read(Route((), of)), show=Show(**show), blank="")


def shaped(days: list[date], **show: Any) -> list[str]:
    frame = pl.DataFrame({"c0": pl.Series(days, dtype=pl.Date)})
    return TextShaper((one(**show),), "Europe/London").shape(frame).to_series().to_list()


@pytest.mark.parametrize(
    ("output", "show", "language"),
    [
        ({}, {}, None),
        ({"locale": "de_DE"}, {}, None),
        ({"style": "reader", "locale": "de_DE"}, {}, "de_DE"),
        ({"style": "reader", "locale": "de_DE", "language": "fr"}, {}, "fr"),
        ({"language": "fr"}, {}, "fr"),
        ({"style": "reader", "locale": "de_DE"}, {"language": "en"}, "en"),
    ],
)
def test_the_column_the_headings_and_the_readers_decide(
    resolved: Resolve, output: dict[str, Any], show: dict[str, Any], language: str | None
) -> None:
    """In that order; programs get English, whatever the readers of another file would."""
    assert column(resolved, {"date": "d MMMM yyyy", **show}, **output).show.language == language


def test_a_language_that_is_none_is_refused_at_its_place(resolved: Resolve) -> None:
    """Not taken for English; lands are written either way."""
    with pytest.raises(DocumentError) as refused:
        column(resolved, {"date": "d MMMM yyyy", "language": "xx"})

    assert [p.place for p in refused.value.problems] == ["columns[0].show.language"]
    assert column(resolved, {"language": "de-CH"}).show.language == "de-CH"


def test_english_names_are_those_of_before() -> None:
    """Three letters each, which the data of Britain has otherwise."""
    for language in ("en_GB", "en", None, "xx", "no such language"):
        assert date_pieces("d MMM yyyy", language) == ("d MMM yyyy",)
    assert dated_by_pattern(date(2026, 9, 1), "d MMM yyyy", "en_GB") == "1 Sep 2026"


@given(st.dates(date(1900, 1, 1), date(2100, 1, 1)), st.sampled_from(SPOKEN))
def test_files_given_back_are_read_in_their_language(day: date, language: str) -> None:
    """Also as programs write dates."""
    column = one(date="EEE, d. MMMM yyyy", language=language)
    said = dated_by_pattern(day, "EEE, d. MMMM yyyy", language)

    assert read_shown(said, column) == read_shown(day.isoformat(), column) == day


def test_a_pattern_that_says_a_part_twice_is_read_as_programs_write() -> None:
    """What is written by it is no date that can be read; and nothing worse."""
    column = one(date="yyyy (yyyy)")
    with pytest.raises(ValueError, match="is not a date"):
        read_shown("2026 (2026)", column)
    assert read_shown("2026-11-01", column) == DAY


def test_a_pattern_of_many_names_is_read_in_no_time() -> None:
    """Names may stand in a text in more ways than can be tried: it is said to be no date."""
    column = one(date="MMM " * 25, language="de")
    with pytest.raises(ValueError, match="is not a date"):
        read_shown("Mai " * 2_000 + "x", column)
    with pytest.raises(ValueError, match="is not a date"):
        read_shown("Mai " * 49 + "x", column)


@given(st.dates(date(1900, 1, 1), date(2100, 1, 1)), st.sampled_from(PATTERNS[:3]), st.sampled_from(list(LANGUAGES)))
def test_a_typed_date_tells_the_language_of_its_names(day: date, pattern: str, language: str) -> None:
    """What is offered writes exactly what was typed, in a file of any other language."""
    typed = dated_by_pattern(day, pattern, language)

    for files in LANGUAGES:
        shows = format_by_example(day, typed, one().field, files)
        assert [dated_by_pattern(day, s.date or "", s.language or files) for s in shows] == [typed] * len(shows) != []


def read_by_another(path: Path) -> tuple[Any, ...]:
    return tuple(load_workbook(str(path)).get_sheet_by_index(0).to_python()[1])


@pytest.mark.parametrize("language", ["de", "fr_CH", "pt_BR"])
def test_spreadsheets_say_the_language_and_keep_the_date(resolved: Resolve, tmp_path: Path, language: str) -> None:
    """Two readers take the cell for the day that it is; its style says in which language its name is shown."""
    shows: list[dict[str, Any]] = [{"date": "d MMMM yyyy", "language": language}, {"date": "dd.MM.yyyy"}]
    columns = [
        {"id": f"a{n}", "heading": f"A{n}", "value": {"field": "planted_on"}, "show": show}
        for n, show in enumerate(shows)
    ]
    plan = resolved(*columns).require()
    path, _ = made(plan, "xlsx", tmp_path, {"c0": [DAY], "c1": [DAY]})
    sheets, _ = made(plan, "ods", tmp_path, {"c0": [DAY], "c1": [DAY]})
    cells = openpyxl.load_workbook(path).worksheets[0][2]
    spoken, where = spoken_where(language).split("_")
    styles = zipfile.ZipFile(sheets).read("content.xml").decode()

    assert tuple(c.value.date() for c in cells) == read_by_another(path) == (DAY, DAY)
    assert cells[0].number_format == f"[$-{CODES[language]}]d mmmm yyyy"
    assert cells[1].number_format == "dd.mm.yyyy"
    assert styles.count(f'number:language="{spoken}" number:country="{where}"') == 1
    assert read_by_another(sheets) == (DAY, DAY)
