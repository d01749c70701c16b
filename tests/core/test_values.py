"""
Values of a document, read as the kind a field holds, and said in words.
"""

from __future__ import annotations

from datetime import date, datetime, time
from decimal import Decimal
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bouquet.core.catalogue import Catalogue, Choice, Field, Kind, RecordType, Relation, walk_to_one
from bouquet.core.values import read_value, say_value

LONDON = ZoneInfo("Europe/London")


def field(kind: Kind, stored: str = "text", **more: Any) -> Field:
    return Field(name="f", column="f", kind=kind, stored=stored, label="Girth", **more)


@pytest.mark.parametrize(
    ("raw", "kind", "stored", "value"),
    [
        (12, Kind.INTEGER, "integer", 12),
        ("12", Kind.INTEGER, "integer", 12),
        ("12.5", Kind.INTEGER, "integer", Decimal("12.5")),
        (0.1, Kind.DECIMAL, "numeric", Decimal("0.1")),
        (" 1e3 ", Kind.DECIMAL, "numeric", Decimal("1e3")),
        ("99999999999999999999.01", Kind.DECIMAL, "numeric", Decimal("99999999999999999999.01")),
        (True, Kind.BOOLEAN, "boolean", True),
        ("2026-11-22", Kind.DATE, "date", date(2026, 11, 22)),
        ("14:30", Kind.TIME, "time", time(14, 30)),
        ("2026-11-22T14:30", Kind.TIMESTAMP, "timestamp", datetime(2026, 11, 22, 14, 30)),
        ("2026-07-01T14:30", Kind.MOMENT, "timestamptz", datetime(2026, 7, 1, 14, 30, tzinfo=LONDON)),
        ("0012", Kind.IDENTIFIER, "text", "0012"),
        (12, Kind.IDENTIFIER, "integer", 12),
        ("3", Kind.CHOICE, "integer", 3),
        (3, Kind.TEXT, "text", "3"),
    ],
)
def test_a_value_is_read_as_its_kind(raw: Any, kind: Kind, stored: str, value: Any) -> None:
    """Exactly: no binary float comes near a decimal, no zero is lost from an identifier."""
    read = read_value(raw, field(kind, stored), LONDON)

    assert read == value
    assert type(read) is type(value)


@pytest.mark.parametrize(
    ("raw", "kind", "stored", "said"),
    [
        ("12,5", Kind.DECIMAL, "numeric", "“12,5” is not a number, such as 12.5, which Girth needs."),
        ("Infinity", Kind.DECIMAL, "numeric", "is not a number"),
        ("", Kind.INTEGER, "integer", "is not a whole number"),
        (True, Kind.INTEGER, "integer", "“yes” is not a whole number"),
        (1, Kind.BOOLEAN, "boolean", "is not yes or no"),
        ("22/11/2026", Kind.DATE, "date", "is not a date, such as 2026-11-22"),
        ("2026-11-31", Kind.DATE, "date", "is not a date"),
        ("25:00", Kind.TIME, "time", "is not a time"),
        ("high", Kind.CHOICE, "integer", "“high” is not a code of Girth; its codes are whole numbers."),
        ("9" * 30, Kind.IDENTIFIER, "integer", "is not a code"),
        ("a\x00", Kind.TEXT, "text", "“a␀” is not a text that can be read"),
    ],
)
def test_what_cannot_be_read_is_said_in_words(raw: Any, kind: Kind, stored: str, said: str) -> None:
    """With what was typed, what was expected, and for which field."""
    with pytest.raises(ValueError, match="Girth") as caught:
        read_value(raw, field(kind, stored), LONDON)

    assert said in str(caught.value)


@given(
    st.sampled_from(list(Kind)),
    st.sampled_from(["text", "integer", "numeric"]),
    st.text() | st.floats() | st.integers() | st.booleans(),
)
def test_reading_never_crashes(kind: Kind, stored: str, raw: Any) -> None:
    """Any value is read, or refused with a sentence; what was read can be said."""
    try:
        value = read_value(raw, field(kind, stored), LONDON)
    except ValueError as error:
        said = str(error)
    else:
        said = say_value(value, field(kind, stored))
    assert isinstance(said, str)


def test_values_are_said_as_people_say_them() -> None:
    """Choices by their label, dates with the month's name, texts in quotation marks."""
    choice = field(Kind.CHOICE, choices=(Choice("S", "Standing"),))

    assert say_value("S", choice) == "Standing"
    assert say_value("Q", choice) == "Q"
    assert say_value(date(2026, 1, 2), field(Kind.DATE)) == "2 Jan 2026"
    assert say_value(datetime(2026, 1, 2, 9, 5), field(Kind.TIMESTAMP)) == "2 Jan 2026 09:05"
    assert say_value(Decimal("1E+3"), field(Kind.DECIMAL)) == "1000"
    assert say_value("oak", field(Kind.TEXT)) == "“oak”"
    assert say_value("MB-1", field(Kind.IDENTIFIER)) == "MB-1"


def ring() -> Catalogue:
    """Two record types that lead to each other and to themselves."""

    def kind(name: str, *to: str) -> RecordType:
        relations = tuple(Relation(name=f"to_{t}", label=t, target=t, many=False, pairs=(("a", "b"),)) for t in to)
        return RecordType(
            name=name, table=name, schema=None, label=name, plural=name, fields=(), relations=relations, key=()
        )

    types = {"a": kind("a", "b", "a"), "b": kind("b", "a", "c"), "c": kind("c", "b")}
    return Catalogue(source="s", title="S", environment="live", record_types=types)


def test_rings_of_relations_end() -> None:
    """No record type is entered again on its own way."""
    found = [".".join(r.name for r in way) for way, _ in walk_to_one(ring(), ring().record_types["a"])]

    assert found == ["", "to_b", "to_b.to_c"]


def test_the_depth_of_the_walk_is_bounded() -> None:
    """Zero steps lead nowhere but home."""
    assert [here.name for _, here in walk_to_one(ring(), ring().record_types["a"], depth=0)] == ["a"]
