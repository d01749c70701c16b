"""
What helps while designing: formats by example, headings matched, versions compared, templates limited for once.
"""

from __future__ import annotations

from datetime import UTC, date, datetime
from decimal import Decimal
from typing import Any

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from bouquet.core.catalogue import Catalogue, Choice, Field, Kind, RecordType, Relation, Route
from bouquet.core.errors import PlanError
from bouquet.core.matching import Matched, match_headings, read_header
from bouquet.core.plan import Context, PlanColumn, Read, resolve
from bouquet.core.shaping import TextShaper
from bouquet.core.shaping.example import date_patterns, format_by_example
from bouquet.core.template import Show, Window, narrowed, only_records, read_document, with_windows
from bouquet.core.wording.changes import compare_templates

NOW = datetime(2026, 11, 23, 9, 0, tzinfo=UTC)


def field(name: str, kind: Kind, stored: str, **more: Any) -> Field:
    label = more.pop("label", name.replace("_", " ").capitalize())
    return Field(name=name, column=more.pop("column", f"t_{name}"), kind=kind, stored=stored, label=label, **more)


STATUS = field("status", Kind.CHOICE, "text", choices=(Choice("S", "Standing"), Choice("F", "Felled")))
SPECIES = RecordType(
    name="species", table="species", schema=None, label="species", plural="species", key=("id",), title="latin",
    fields=(field("id", Kind.INTEGER, "integer"), field("latin", Kind.TEXT, "text", label="Botanical name")),
    relations=(),
)  # fmt: skip
TREE = RecordType(
    name="tree", table="tree", schema=None, label="tree", plural="trees", key=("id",), title="tag",
    fields=(
        field("id", Kind.INTEGER, "integer", label="Record number"),
        field("tag", Kind.IDENTIFIER, "text", synonyms=("tree number",), everyday=True),
        STATUS,
        field("girth", Kind.DECIMAL, "numeric", unit="cm", everyday=True),
        field("old_girth", Kind.DECIMAL, "numeric", unit="cm", label="Girth (old card)"),
        field("planted_on", Kind.DATE, "date"),
        field("changed_at", Kind.MOMENT, "timestamptz"),
        field("climbed", Kind.BOOLEAN, "boolean"),
    ),
    relations=(Relation(name="species", label="Species", target="species", many=False, pairs=(("species_id", "t_id"),)),),
)  # fmt: skip
CATALOGUE = Catalogue(
    source="test", title="Trees", environment="practice", record_types={"tree": TREE, "species": SPECIES}
)
NUMBER = field("amount", Kind.DECIMAL, "numeric")
DAY = field("day", Kind.DATE, "date")
TEXT = field("note", Kind.TEXT, "text")


# Formats by example


def reads(show: Show, value: Any, of: Field, dtype: Any) -> str | None:
    """The value under a format, by the shaper that shapes files; a factor is applied by the database before it."""
    scaled = value * show.factor if show.factor is not None else value
    column = PlanColumn(id="c", heading="c", cell=Read(Route((), of)), show=show, blank="")
    frame = pl.DataFrame({"c0": pl.Series([scaled], dtype=dtype)})
    text: str | None = TextShaper((column,), "Europe/London").shape(frame).to_series()[0]
    return text


@pytest.mark.parametrize(
    ("value", "text", "expected"),
    [
        ("212.40", "212", {"decimals": 0}),
        ("212.40", "212,4", {"decimals": 1, "decimal_mark": ","}),
        ("1234567.5", "1.234.567,50 €", {"decimals": 2, "decimal_mark": ",", "grouping": ".", "suffix": " €"}),
        ("1234.5", "1 234.5", {"decimals": 1, "grouping": " "}),
        ("68.1", "0.68 m", {"decimals": 2, "factor": "0.01", "suffix": " m"}),
        ("0.125", "12.5 %", {"decimals": 1, "factor": "100", "suffix": " %"}),
        ("-5.25", "£ -5.3", {"decimals": 1, "prefix": "£ "}),
        ("-5.25", "-£5.3", {"decimals": 1, "prefix": "£"}),
    ],
)
def test_numbers_by_example(value: str, text: str, expected: dict[str, Any]) -> None:
    """Decimals, marks, groups, unit and scale are read off one typed cell; halves are rounded away from zero."""
    shows = format_by_example(Decimal(value), text, NUMBER)
    assert expected in [s.model_dump(mode="json", exclude_defaults=True) for s in shows]


@pytest.mark.parametrize(
    ("day", "text", "expected"),
    [
        (date(2026, 11, 23), "23/11/2026", "dd/MM/yyyy"),
        (date(2026, 3, 4), "4 Mar 2026", "d MMM yyyy"),
        (date(2026, 3, 4), "Wednesday, 4 March 2026", "EEEE, d MMMM yyyy"),
        (date(2026, 3, 14), "20260314", "yyyyMMdd"),
        (datetime(2026, 3, 14, 9, 5), "14.3.26 9:05", "dd.M.yy H:mm"),
        (datetime(2026, 3, 14, 21, 5), "14/03/2026 at 9:05 PM", "dd/MM/yyyy 'at' h:mm a"),
    ],
)
def test_dates_by_example(day: date, text: str, expected: str) -> None:
    """The parts of a typed date are told apart by the value; words between them stand for themselves."""
    assert expected in date_patterns(day, text)


def test_what_cannot_be_a_format_is_not_offered() -> None:
    """A text that no format makes of the value gives nothing, rather than something near it."""
    assert format_by_example(Decimal("212.4"), "213", NUMBER) == []
    assert format_by_example(date(2026, 3, 14), "15/03/2026", DAY) == []
    assert format_by_example("oak", "elm", TEXT) == []


def test_texts_and_choices_by_example() -> None:
    """Case, cutting, padding, and a choice's label or code."""
    said = [s.model_dump(mode="json", exclude_defaults=True) for s in format_by_example(" oak ", "OAK", TEXT)]
    assert {"case": "upper", "trim": True} in said
    assert format_by_example("Quercus robur", "Quercus", TEXT)[0].first == 7
    assert format_by_example("42", "00042", TEXT)[0].pad == 5
    assert format_by_example("S", "Standing", STATUS)[0].choice == "label"
    assert format_by_example("S", "S", STATUS)[-1].choice == "code"
    assert format_by_example(True, "ja", field("yes", Kind.BOOLEAN, "boolean"))[0].yes == "ja"


@given(
    st.decimals(-(10**9), 10**9, allow_nan=False, places=3),
    st.integers(0, 4),
    st.sampled_from([(".", ""), (",", ""), (".", ","), (",", "."), (".", " ")]),
    st.sampled_from(["", " cm", "%"]),
)
def test_a_format_offered_writes_what_was_typed(
    value: Decimal, decimals: int, marks: tuple[str, str], suffix: str
) -> None:
    """Whatever the shaper writes under some format, an example of it leads to a format that writes the same."""
    show = Show(decimals=decimals, decimal_mark=marks[0], grouping=marks[1] or None, suffix=suffix)  # type: ignore[arg-type]
    kind = pl.Decimal(38, 6)
    text = reads(show, value, NUMBER, kind)
    assert text is not None
    found = format_by_example(value, text, NUMBER)
    assert any(reads(s, value, NUMBER, kind) == text for s in found)


# Headings matched


def matched(text: str) -> dict[str, Matched]:
    examples = {("tree", "tag"): "MB-00417", ("species", "latin"): "Tilia cordata"}
    return {m.heading: m for m in match_headings(read_header(text), CATALOGUE, TREE, examples)}


def test_headings_are_matched_by_name_synonym_kind_and_sample() -> None:
    """A label, a synonym, a record's title, a unit and a date's form are told from names and one sample row."""
    found = matched(
        "Tree_Number;BOTANICAL_NAME;GIRTH_MM;PlantedOn;Status;Climbed;AUTHORITY\n"
        "MB-01234;Acer campestre;970;22/11/2026;S;Y;x"
    )
    paths = {h: m.candidates[0].path if m.candidates else None for h, m in found.items()}
    assert paths["Tree_Number"] == "tag"
    assert paths["BOTANICAL_NAME"] == "species.latin"
    assert paths["GIRTH_MM"] == "girth"
    assert found["GIRTH_MM"].candidates[0].show.factor == Decimal(10)
    assert found["GIRTH_MM"].confidence == "check"
    assert found["PlantedOn"].candidates[0].show.date == "dd/MM/yyyy"
    assert found["Status"].candidates[0].show.choice == "code"
    assert matched("STATUS_CODE;x\nF;1")["STATUS_CODE"].candidates[0].path == "status"
    assert found["Climbed"].candidates[0].show.yes == "Y"
    assert found["AUTHORITY"].confidence == "open"
    assert [m for m, x in found.items() if x.confidence == "sure"] == [
        "Tree_Number", "BOTANICAL_NAME", "PlantedOn", "Status", "Climbed",
    ]  # fmt: skip


def test_a_sample_that_does_not_suit_the_kind_speaks_against_it() -> None:
    """A heading named like a date whose sample is none is not sure."""
    assert matched("Planted on;x\n2026-11-22;1")["Planted on"].confidence == "sure"
    assert matched("Planted on;x\nsoon;1")["Planted on"].confidence != "sure"


@pytest.mark.parametrize(
    ("text", "names", "separator"),
    [
        ("a\tb;c\td", ("a", "b;c", "d"), "\t"),
        ('"a, b",c', ("a, b", "c"), ","),
        ("one\ntwo\nthree", ("one", "two", "three"), None),
        ("\ufeffA|B\r\n1|2\r\n", ("A", "B"), "|"),
        ("   ", (), None),
    ],
)
def test_header_rows_as_people_paste_them(text: str, names: tuple[str, ...], separator: str | None) -> None:
    """Tabs before semicolons, quoted names, one name a line, a signature at the start."""
    header = read_header(text)
    assert (header.names, header.separator) == (names, separator)


@given(st.text(max_size=400))
def test_no_pasted_text_breaks_the_matcher(text: str) -> None:
    """Whatever is pasted is read as some header, and every score lies between 0 and 1."""
    for one in match_headings(read_header(text), CATALOGUE, TREE, {}):
        assert all(0 <= c.score <= 1 for c in one.candidates)


# Versions compared


def template(**more: Any) -> dict[str, Any]:
    columns = [
        {"id": "a", "heading": "Tag", "value": {"field": "tag"}},
        {"id": "b", "heading": "Girth", "value": {"field": "girth"}},
        {"id": "c", "heading": "Planted", "value": {"field": "planted_on"}},
    ]
    return {"name": "T", "records": "tree", "columns": columns, **more}


def changes(before: dict[str, Any], after: dict[str, Any]) -> list[tuple[str, str, str, str]]:
    found = compare_templates(read_document(before), read_document(after), CATALOGUE, Context(as_of=NOW))
    return [(c.act, c.what, c.before, c.after) for c in found]


def test_versions_compared() -> None:
    """Renamed, moved, gone, added, narrowed, ordered, shown otherwise: each is one line in words."""
    after = template(
        columns=[
            {"id": "c", "heading": "Planted", "value": {"field": "planted_on"}, "show": {"date": "dd/MM/yyyy"}},
            {"id": "a", "heading": "Tree", "value": {"field": "tag"}},
            {"id": "d", "heading": "Batch", "value": {"constant": "A7"}},
        ],
        filter={"all": [{"path": "status", "is": "is", "value": "S"}]},
        order=[{"column": "a"}],
        at_most=10,
        output={"format": "xlsx"},
    )
    found = changes(template(), after)
    assert ("changed", "heading", "Tag", "Tree") in found
    assert ("gone", "column “Girth”", "girth", "") in found
    assert ("added", "column “Batch”", "", "A7, at place 3") in found
    assert ("changed", "“Planted”: date", "", "dd/MM/yyyy") in found
    assert ("added", "narrowing", "", "status is Standing") in found
    assert ("changed", "order", "", "“Tree”") in found or ("changed", "order", "", "tag") in found
    assert ("changed", "rows at most", "every row", "the first 10 rows") in found
    assert ("changed", "file: format", "csv", "xlsx") in found
    assert [f[0] for f in found].count("moved") == 1


def test_a_version_compared_with_itself_differs_in_nothing() -> None:
    """No difference is made up."""
    assert changes(template(), template()) == []


# Limited for once


def test_a_template_on_single_records() -> None:
    """Keys become one more condition behind the template's own, whose places stay; a wrong key is refused."""
    own = read_document(template(filter={"all": [{"path": "status", "is": "is", "value": "S"}]}))
    limited = narrowed(own, only_records(TREE, [["7"], ["8"]]))
    assert limited.filter.all[0] == own.filter.all[0]  # type: ignore[union-attr]
    assert limited.filter.all[1].values == ("7", "8")  # type: ignore[union-attr]
    assert not resolve(limited, CATALOGUE, Context(as_of=NOW)).problems
    with pytest.raises(PlanError, match="1 part"):
        only_records(TREE, [["7", "8"]])


def test_another_window_for_once() -> None:
    """A window is replaced at its place, also in a group; a place without one is refused."""
    window = {"path": "planted_on", "is": "in_window", "window": {"type": "last", "count": 30}}
    own = read_document(template(filter={"all": [{"any": [window, {"path": "girth", "is": "blank"}]}]}))
    other = with_windows(own, {"filter.all[0].any[0]": Window(type="previous", unit="month")})
    assert other.filter.all[0].any[0].window.unit == "month"  # type: ignore[union-attr]
    with pytest.raises(PlanError):
        with_windows(own, {"filter.all[0].any[1]": Window(type="all_time")})


def test_versions_tell_what_became_of_checks() -> None:
    """A check that came, went, or became graver, in words."""
    column = {"id": "a", "heading": "Tag", "value": {"field": "tag"}}
    document = {"name": "Trees", "records": "tree", "columns": [column]}
    filled = {"column": "a", "must": "filled"}
    before = {**document, "checks": [filled, {"file": "rows", "least": 10}]}
    after = {**document, "checks": [{**filled, "severity": "hold"}, {"formula": "{Tag} <> 1", "say": "odd"}]}
    found = compare_templates(read_document(before), read_document(after), CATALOGUE, Context(as_of=NOW))

    assert [(c.act, c.before or c.after) for c in found] == [
        ("gone", "“Tag” must be filled; note"),
        ("gone", "the file: rows (least 10); note"),
        ("added", "“Tag” must be filled; hold"),
        ("added", "each row (formula {Tag} <> 1, say odd); note"),
    ]
