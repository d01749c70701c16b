"""
The ferry line: a house that nobody curated. What is read of it is true, and what is guessed is mostly right.
"""

from __future__ import annotations

import time
from collections.abc import Iterator, Mapping
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

import openpyxl
import psycopg
import pytest

from bouquet.core.catalogue import Catalogue, Kind, RecordType
from bouquet.core.guessing import Candidate, TableFacts, relation_candidates
from bouquet.core.plan import Context, resolve
from bouquet.core.template import read_document
from bouquet.demo.cluster import Cluster
from bouquet.runs import count_tally, trace
from bouquet.sources import Overlay, OverlayError, Source, guesses, overlay_of, write_overlay
from bouquet.sources.curating import Edit, edited
from tests.conftest import NOW
from tests.sources.worlds import lines, made_world, written


@pytest.fixture(scope="module")
def address(cluster: Cluster) -> str:
    return made_world(cluster, "ferry")


@pytest.fixture(scope="module")
def ferry(address: str) -> Iterator[Source]:
    made = Source("ferry", address)
    yield made
    made.close()


@pytest.fixture(scope="module")
def catalogue(ferry: Source) -> Catalogue:
    return ferry.catalogue()


def whole(record_type: RecordType, **more: Any) -> dict[str, Any]:
    """A template of all fields but files."""
    shown = [f for f in record_type.fields if f.kind is not Kind.FILE]
    columns = [{"id": f"c{n}", "heading": f.name, "value": {"field": f.name}} for n, f in enumerate(shown)]
    return {"name": "T", "records": record_type.name, "zone": "UTC", "columns": columns, **more}


def asked(address: str, sql: str) -> list[list[str]]:
    """Hand-written SQL, every value as the database's own text."""
    with psycopg.connect(address) as connection:
        return [["" if v is None else str(v) for v in row] for row in connection.execute(sql).fetchall()]  # type: ignore[call-overload]


# What is there


def test_all_kinds_of_tables_are_read(catalogue: Catalogue) -> None:
    """Every schema, partitioned tables once, views, tables without a key; names become names for paths."""
    kinds = {t.name: (t.schema, t.table) for t in catalogue.record_types.values()}

    assert kinds == {
        "harbour": (None, "harbour"), "legacy_manifest": (None, "legacy_manifest"), "setting": (None, "setting"),
        "booking": ("booking", "booking"), "customer": ("booking", "customer"), "fare_type": ("booking", "fare_type"),
        "open_bookings": ("booking", "open_bookings"), "vessel": ("fleet", "vessel"),
        "sailings_per_vessel": ("fleet", "sailings_per_vessel"), "Crew_Member": ("Ops Desk", "Crew Member"),
        "Duty": ("Ops Desk", "Duty"),
    }  # fmt: skip
    crew = catalogue.record_types["Crew_Member"]
    assert {"a_b", "e_mail", "quote_d", "order", "select"} <= {f.name for f in crew.fields}


def test_schemas_are_chosen(ferry: Source, catalogue: Catalogue) -> None:
    """Of the others nothing is read; what they hold is still said."""
    chosen = edited(Overlay(title="Ferry"), catalogue, [Edit(table="", schemas=("fleet", "public"))])
    found = ferry.catalogue_with(chosen)

    assert dict(found.schemas) == {"public": 3, "booking": 4, "fleet": 2, "Ops Desk": 2}
    assert {t.schema for t in found.record_types.values()} == {None, "fleet"}
    assert edited(chosen, found, [Edit(table="", schemas=tuple(dict(found.schemas)))]).schemas == ()
    with pytest.raises(OverlayError, match="no schema “attic”"):
        edited(chosen, found, [Edit(table="", schemas=("attic",))])


def test_a_large_source_is_shown_before_its_values_were_looked_at(
    address: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """By names alone at first; what the values say of relations follows by itself."""
    monkeypatch.setattr("bouquet.sources.reflect.LARGE", 1)
    source = Source("ferry", address)
    try:
        guessed = [r.name for t in source.catalogue().record_types.values() for r in t.relations if not r.declared]
        until = time.monotonic() + 60
        while time.monotonic() < until and len(relations_of(source)) <= len(guessed):
            time.sleep(0.1)
        assert len(relations_of(source)) > len(guessed)
    finally:
        source.close()


def relations_of(source: Source) -> list[str]:
    return [r.name for t in source.catalogue().record_types.values() for r in t.relations if not r.declared]


def test_what_tells_records_apart(catalogue: Catalogue) -> None:
    """A key, else what is unique and never empty, else the whole row, plainly marked."""
    types = catalogue.record_types

    assert types["booking"].key == ("booking_id", "departs_at")
    assert (types["setting"].key, types["setting"].by_row) == (("name",), False)
    assert (types["legacy_manifest"].key, types["legacy_manifest"].by_row) == (("line", "item", "qty", "landed"), True)


@pytest.mark.parametrize("format", ["csv", "xlsx", "jsonl"])
def test_everything_can_be_written(
    ferry: Source, catalogue: Catalogue, address: str, tmp_path: Path, format: str
) -> None:
    """All fields of all record types, in every format; rows are counted, and the tally agrees."""
    for record_type in catalogue.record_types.values():
        made = written(ferry, whole(record_type), tmp_path, format)
        table = ".".join(f'"{p}"' for p in (record_type.schema or "public", record_type.table))
        ((count,),) = asked(address, f"SELECT count(*) FROM {table}")
        assert made.slip["rows_announced"] == int(count), record_type.name
        plan = resolve(read_document(whole(record_type)), catalogue, Context(as_of=NOW)).require()
        with ferry.reader.snapshot() as snapshot:
            assert count_tally(snapshot, plan, {})[-1]["rows"] == int(count)


def test_values_are_the_databases_own(ferry: Source, catalogue: Catalogue, address: str, tmp_path: Path) -> None:
    """Arrays, ranges, money, intervals, enumerations, addresses, bits, XML, uuid and infinite dates, as SQL gives them."""
    found = lines(written(ferry, whole(catalogue.record_types["vessel"]), tmp_path))
    expected = asked(
        address,
        "SELECT imo_no, vessel_name, state::text, gross::text, length_m::text, decks::text, array_to_string(routes, ', '),"
        " array_to_string(lifeboats, ', '), service_years::text, inspection_gap::text, tracker_ip::text, uid::text,"
        " papers::text, extras::text, book_value::numeric::text, flags::text, built_on::text, always_true::text, nothing,"
        " home_harbour::text, extras->>'bar', extras->>'crew' FROM fleet.vessel ORDER BY imo_no",
    )

    assert sorted(found) == sorted(expected)
    assert {row[16] for row in found if "infinity" in row[16]} == {"-infinity"}


def test_dates_that_no_calendar_holds(ferry: Source, tmp_path: Path) -> None:
    """An infinite date is its word in every format; the first and the last date of the slip are real ones."""
    document = {
        "name": "T", "records": "booking", "zone": "UTC",
        "columns": [{"id": "r", "heading": "R", "value": {"field": "booking_ref"}},
                    {"id": "v", "heading": "V", "value": {"field": "valid_until"}, "show": {"date": "dd.MM.yyyy"}}],
        "order": [{"column": "r"}], "at_most": 20,
    }  # fmt: skip
    made = written(ferry, document, tmp_path)
    found = lines(made)
    assert (found[8], found[0]) == (["F000009", "infinity"], ["F000001", "02.01.2026"])
    assert made.slip["columns"][1] == {"heading": "V", "blanks": 0, "first": "2026-01-02", "last": "2026-01-21"}

    sheet = openpyxl.load_workbook(written(ferry, document, tmp_path, "xlsx").path).worksheets[0]
    assert sheet["B10"].value == "infinity"


def test_a_whole_row_stands_for_a_key(ferry: Source, catalogue: Catalogue, address: str, tmp_path: Path) -> None:
    """Rows that are alike are all written; groups and counts of them are true."""
    grouped = {
        "name": "T", "records": "legacy_manifest", "rows": {"per": "group", "by": [{"path": "item"}]},
        "columns": [{"id": "i", "heading": "I", "value": {"field": "item"}},
                    {"id": "n", "heading": "N", "value": {"fold": {"path": "", "how": "count"}}},
                    {"id": "q", "heading": "Q", "value": {"fold": {"path": "qty", "how": "sum"}}}],
    }  # fmt: skip

    assert sorted(lines(written(ferry, grouped, tmp_path))) == sorted(
        asked(address, "SELECT item, count(*), sum(qty) FROM legacy_manifest GROUP BY item")
    )


def test_relations_that_nobody_declared(ferry: Source, catalogue: Catalogue, address: str, tmp_path: Path) -> None:
    """Found by names, proven by values; folds and traces go along them."""
    booking = catalogue.record_types["booking"]
    assert {(r.name, r.target) for r in booking.relations if not r.many} == {
        ("customer", "customer"), ("vessel", "vessel"), ("dep_harbour", "harbour"), ("arr_harbour", "harbour"),
    }  # fmt: skip
    document = {
        "name": "T", "records": "customer",
        "columns": [{"id": "c", "heading": "C", "value": {"field": "customer_no"}},
                    {"id": "n", "heading": "N", "value": {"fold": {"path": "bookings", "how": "count"}}}],
        "filter": {"path": "bookings", "has": "any", "where": {"path": "dep_harbour.HarbourName", "is": "is", "value": "Torvik"}},
    }  # fmt: skip
    expected = asked(
        address,
        "SELECT customer_no, (SELECT count(*) FROM booking.booking b WHERE b.customer_no = c.customer_no)"
        " FROM booking.customer c WHERE EXISTS (SELECT FROM booking.booking b JOIN harbour h ON h.harbour_id = b.dep_harbour_id"
        " WHERE b.customer_no = c.customer_no AND h.\"HarbourName\" = 'Torvik') ORDER BY 1",
    )
    assert sorted(lines(written(ferry, document, tmp_path))) == sorted(expected)
    plan = resolve(read_document(document), catalogue, Context(as_of=NOW)).require()
    with ferry.reader.snapshot() as snapshot:
        record = trace(snapshot, plan, {}, (expected[0][0],)).record
    assert record is not None
    assert record.is_in


def test_time_for_looks_is_not_spent_on_words(address: str, monkeypatch: pytest.MonkeyPatch) -> None:
    """However long names take to read (a library of words loads for seconds), values are still compared."""

    def slowly(facts: Mapping[str, TableFacts]) -> Iterator[Candidate]:
        time.sleep(guesses.SAMPLING_TIME + 0.1)
        yield from relation_candidates(facts)

    monkeypatch.setattr(guesses, "relation_candidates", slowly)
    slow = Source("ferry", address)
    found = slow.catalogue().record_types["booking"].relations
    slow.close()

    assert {r.target for r in found if not r.many} == {"customer", "vessel", "harbour"}


def test_profiles_facts_and_search(ferry: Source, catalogue: Catalogue) -> None:
    """What the shelf shows of odd tables and kinds."""
    for record_type in catalogue.record_types.values():
        assert set(ferry.profile(record_type.name)) == {f.name for f in record_type.fields}
        for f in record_type.fields:
            assert ferry.facts(record_type.name, f.name).seen >= 0
    *_, done = ferry.find("booking", "Torvik")
    ends = {"dep_harbour.HarbourName", "arr_harbour.HarbourName", "vessel.harbour.HarbourName"}
    assert {hit.path for hit in done.hits} == ends
    assert all(text.endswith("(personal)") for text in done.unsearched)
    # A view among the neighbours, and tables of other schemas.
    *_, done = ferry.find("customer", "F000009")
    assert [(hit.path, hit.count) for hit in done.hits] == [("bookings.booking_ref", 1)]
    *_, done = ferry.find("customer", "F000004")
    assert {hit.path for hit in done.hits} == {"bookings.booking_ref", "open_bookings.booking_ref"}


# What is guessed


def test_the_shelf_is_never_empty(catalogue: Catalogue) -> None:
    """Every record type has everyday fields, at most twelve, none of them personal."""
    for record_type in catalogue.record_types.values():
        everyday = [f for f in record_type.fields if f.everyday]
        assert 0 < len(everyday) <= 12, record_type.name
        assert not any(f.personal for f in everyday), record_type.name


def test_labels_read_as_words(catalogue: Catalogue) -> None:
    """From snake case, camel case, spaces and abbreviations; units go beside."""
    booking, vessel = catalogue.record_types["booking"], catalogue.record_types["vessel"]
    labels = {f.name: f.label for f in (*booking.fields, *vessel.fields)}

    assert (labels["dep_harbour_id"], labels["booking_ref"], labels["departs_at"]) == (
        "Departure harbour", "Booking reference", "Departs at",
    )  # fmt: skip
    assert (labels["length_m"], vessel.field_named("length_m").unit) == ("Length", "m")  # type: ignore[union-attr]
    assert (catalogue.record_types["Crew_Member"].label, catalogue.record_types["Duty"].plural) == (
        "crew member",
        "duties",
    )
    assert catalogue.record_types["sailings_per_vessel"].plural == "sailings per vessel"


def test_records_are_known_by_what_people_say(catalogue: Catalogue) -> None:
    """A name, or a number that people use."""
    titles = {name: t.title for name, t in catalogue.record_types.items()}

    assert (titles["harbour"], titles["vessel"], titles["booking"], titles["Crew_Member"]) == (
        "HarbourName", "vessel_name", "booking_ref", "Full_Name",
    )  # fmt: skip


def test_personal_data_is_not_missed(catalogue: Catalogue) -> None:
    """Names of people, addresses, telephones, birth dates; and nothing of harbours and vessels."""
    personal = {(t.name, f.name) for t in catalogue.record_types.values() for f in t.fields if f.personal}

    assert personal == {
        ("customer", "last_name"), ("customer", "first_name"), ("customer", "e_mail"), ("customer", "phone_no"),
        ("customer", "dob"), ("customer", "Street_Address"), ("Crew_Member", "Full_Name"), ("Crew_Member", "e_mail"),
    }  # fmt: skip


def test_every_guess_says_why(catalogue: Catalogue) -> None:
    """And nothing that a person said is called guessed."""
    booking = catalogue.record_types["booking"]
    assert dict(booking.guesses)["title"] == "a number of its own that people use"
    assert "are keys there" in dict(booking.guesses)["relation customer_no"]
    assert all(reason for t in catalogue.record_types.values() for f in t.fields for _, reason in f.guesses)


def test_what_was_guessed_is_kept_as_a_catalogue(address: str, catalogue: Catalogue, tmp_path: Path) -> None:
    """Written out and laid over the database again, everything reads as before, and nothing is called guessed."""
    path = tmp_path / "catalogue.toml"
    path.write_text(write_overlay(overlay_of(catalogue)), encoding="utf-8")
    kept = Source("ferry", address, path)
    again = kept.catalogue()
    kept.close()

    def told(t: RecordType) -> dict[str, Any]:
        fields = {f.name: replace(f, guesses=(), choices_ordered=False) for f in t.fields}
        relations = {(r.name, r.label, r.target, r.many, r.pairs) for r in t.relations}
        return {"fields": fields, "relations": relations, **asdict(replace(t, fields=(), relations=(), guesses=()))}

    assert {n: told(t) for n, t in again.record_types.items()} == {
        n: told(t) for n, t in catalogue.record_types.items()
    }
    assert not any(f.guesses for t in again.record_types.values() for f in t.fields)


def test_marrowby_is_guessed_as_its_people_say(marrowby: str, source: Source) -> None:
    """Stripped of its catalogue: no personal field is missed, and most everyday fields are the same."""
    bare = Source("bare", marrowby)
    found, curated = bare.catalogue(), source.catalogue()
    bare.close()
    missed, same, named = [], 0, 0
    for told in curated.record_types.values():
        guess = next(t for t in found.record_types.values() if t.table == told.table)
        by_column = {f.column: f for f in guess.fields if not f.is_custom}
        own = [f for f in told.fields if not f.is_custom]
        missed += [f"{told.name}.{f.name}" for f in own if f.personal and not by_column[f.column].personal]
        everyday = {f.column for f in own if f.everyday}
        same += len(everyday & {f.column for f in guess.fields if f.everyday})
        named += len(everyday)

    assert missed == []
    assert same >= 0.6 * named
