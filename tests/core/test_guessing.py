"""
Guesses from names, samples and counts alone: right where they are made, and none where nothing speaks for one.
"""

from __future__ import annotations

from typing import Any

import pytest

from bouquet.core.catalogue import Kind
from bouquet.core.guessing import (
    ColumnFacts,
    TableFacts,
    guess_everyday,
    guess_hidden_kind,
    guess_kind,
    guess_parts,
    guess_title,
)
from bouquet.core.guessing.people import guess_class, guess_personal
from bouquet.core.guessing.words import label_of_column, label_of_table, plural_of, speaks_german, unit_of


def text(name: str, *samples: str, **more: Any) -> ColumnFacts:
    return ColumnFacts(name=name, kind=Kind.TEXT, stored="text", samples=samples, **more)


def table(*columns: ColumnFacts) -> TableFacts:
    return TableFacts(name="passage", columns=columns, key=("id",), rows=100)


@pytest.mark.parametrize(
    ("samples", "kind"),
    [
        (("1", "20", "-3", "400", "5"), Kind.INTEGER),
        (("1.50", "20", "-3.25", "400", "5"), Kind.DECIMAL),
        (("2026-01-31", "2025-12-01", "1999-07-04", "2001-01-01", "2002-02-02"), Kind.DATE),
        ((*map(str, range(19)), "heavy"), Kind.INTEGER),
    ],
)
def test_numbers_and_dates_in_texts_are_offered(samples: tuple[str, ...], kind: Kind) -> None:
    found = guess_hidden_kind(text("weight_text", *samples))
    assert found is not None
    assert found.value is kind
    assert f"of {len(samples)} values" in found.reason


@pytest.mark.parametrize(
    "column",
    [
        text("weight", "1", "2", "3"),
        text("weight", "1", "2", "3", "four", "5"),
        text("phone", "0163296041", "0163296042", "0163296043", "0163296044", "0163296045"),
        text("berth_no", "1", "2", "3", "4", "5"),
        text("day", "31.01.2026", "01.02.2026", "02.02.2026", "03.02.2026", "04.02.2026"),
        text("day", "2026-13-01", "2026-14-01", "2026-15-01", "2026-16-01", "2026-17-01"),
        text("note", "", " ", "", "", ""),
        ColumnFacts(name="n", kind=Kind.INTEGER, stored="integer", samples=("1", "2", "3", "4", "5")),
    ],
)
def test_what_is_too_little_or_a_code_is_not(column: ColumnFacts) -> None:
    assert guess_hidden_kind(column) is None


def test_a_number_kept_as_text_is_no_name() -> None:
    """What a record is known by is a name or a number of its own, not a measure that happens to be text."""
    weight = text("weight_text", *map(str, range(10, 30)))
    assert guess_title(table(weight)) is None
    named = guess_title(table(weight, text("name", "Heron", "Tern")))
    assert named is not None
    assert named.value == "name"


def test_codes_name_records() -> None:
    codes = text("stem", "MB-01", "MB-02", "MB-03", "MB-04", "MB-05", unique=True)
    kind = guess_kind(codes)
    assert kind is not None
    assert kind.value is Kind.IDENTIFIER
    assert guess_kind(text("stem", "MB-01", "MB-02")) is None


@pytest.mark.parametrize(
    ("columns", "parts"),
    [
        (["street", "PostCode", "town", "notes"], {"street": "Address", "PostCode": "Address", "town": "Address"}),
        (
            ["billing_street", "billing_city", "ship_addr_line_1", "ship_addr_line_2"],
            {
                "billing_street": "Billing address",
                "billing_city": "Billing address",
                "ship_addr_line_1": "Ship address",
                "ship_addr_line_2": "Ship address",
            },
        ),
        (["phone", "email", "lat", "lon"], {"phone": "Contact", "email": "Contact", "lat": "Place", "lon": "Place"}),
        (["title", "first_name", "surname"], {"title": "Name", "first_name": "Name", "surname": "Name"}),
        # A single one is a part of nothing, nor are titles, states and countries by themselves.
        (
            ["street", "phone", "title", "suffix", "state", "country"],
            {"street": "Address", "state": "Address", "country": "Address"},
        ),
        (["title", "state", "country", "region", "initials"], {}),
        (["street_count", "phone_verified_at", "cityscape"], {}),
    ],
)
def test_columns_that_are_parts_of_one_thing_are_told_by_their_names(columns: list[str], parts: dict[str, str]) -> None:
    found = guess_parts(table(*map(text, columns)))
    assert {name: guess.value for name, guess in found.items()} == parts


@pytest.mark.parametrize(
    ("name", "label"),
    [
        ("Größe", "Größe"),
        ("GRÖSSE", "Grösse"),
        ("ÉtatCivil", "État civil"),
        ("prénom_usuel", "Prénom usuel"),
        ("Łódź_kod", "Łódź kod"),
        ("ДатаРождения", "Дата рождения"),
        ("e\N{COMBINING ACUTE ACCENT}tat", "état".capitalize()),
        ("名前", "名前"),
        ("ID番号", "ID 番号"),
        ("नाम", "नाम"),
        # Beside a word of another language nothing is short for an English one.
        ("montant_ht", "Montant ht"),
        ("order_ht", "Order height"),
    ],
)
def test_names_are_words_in_every_script(name: str, label: str) -> None:
    """No word is cut where a letter has an accent, and a change of case parts words as it does in English."""
    assert label_of_column(name) == label


def test_a_unit_in_raised_digits_is_one() -> None:
    assert unit_of("Fläche (m²)", "", is_number=True) == ("m²", True)
    assert label_of_column("Fläche (m²)", unit_said=True) == "Fläche"


def test_no_letter_of_ours_is_added_to_another_script_or_a_german_word() -> None:
    names = ("名前", "заказ", "kunden", "forêt", "order")
    assert [plural_of(label_of_table(name)) for name in names] == ["名前", "заказ", "kunden", "forêts", "orders"]


@pytest.mark.parametrize(
    ("names", "german"),
    [
        (("kunden", "vorname", "Nachname", "PLZ", "Ort"), True),
        (("auftraege", "Straße", "status", "telefon", "betrag", "id"), True),
        (("customers", "name", "telefon", "status", "number"), False),
        (("clients", "nom", "prénom", "adresse", "montant"), False),
        (("foo", "bar"), False),
    ],
)
def test_a_house_speaks_german_where_its_words_do(names: tuple[str, ...], german: bool) -> None:
    """Several of them, and more than those of other languages."""
    assert speaks_german(names) is german


@pytest.mark.parametrize(
    ("name", "more", "label"),
    [
        ("auftrag_nr", {}, "Auftrag Nr."),
        ("KundenNr", {"leads_to": "Kunden"}, "Kunden"),
        ("id", {"table": "Kunden", "is_key": True}, "Kunden Nr."),
        ("kunden_id", {"table": "Kunden", "is_key": True}, "Kunden Nr."),
        ("plz", {}, "PLZ"),
        ("anz_std", {}, "Anzahl std"),
    ],
)
def test_a_german_house_has_german_headings(name: str, more: dict[str, Any], label: str) -> None:
    """What is short is short for a German word, and no word of ours stands among them."""
    assert label_of_column(name, german=True, **more) == label


def test_german_tables_keep_their_number() -> None:
    """No rule for that is known; they are nouns."""
    assert [label_of_table(name, german=True) for name in ("kunden", "tblAuftraege")] == ["Kunden", "Auftraege"]


def test_a_person_is_known_by_the_last_name() -> None:
    """Not by the first that the table happens to have."""
    for names in (("first_name", "last_name"), ("Vorname", "Nachname"), ("given_name", "surname")):
        columns = tuple(text(name) for name in names)
        title = guess_title(TableFacts(name="people", columns=columns, key=("id",), rows=100), names)
        assert title is not None
        assert title.value == names[1]


@pytest.mark.parametrize(
    ("table_name", "name", "known"),
    [
        ("kunden", "geburtsdatum", "birth"),
        ("kunden", "Vorname", "name"),
        ("kunden", "Name", "name"),
        ("kunden", "Straße", "address"),
        ("mitarbeiter", "staatsangehörigkeit", "health"),
        ("mitarbeiter", "Gehalt", "money"),
        ("adhérent", "prénom", "name"),
        ("adhérent", "nom", "name"),
        ("élèves", "date_naissance", "birth"),
        ("salarié", "situation_familiale", "health"),
    ],
)
def test_personal_data_are_known_in_the_languages_that_the_interface_speaks(
    table_name: str, name: str, known: str
) -> None:
    facts = TableFacts(name=table_name, columns=(text(name),), key=("id",), rows=100)
    guess = guess_personal(facts, facts.columns[0])

    assert guess is not None
    assert guess.value
    assert guess_class(name, table_name) == known


def test_full_names_begin_with_any_capital() -> None:
    column = text("reporter", "Änne Öztürk", "Łukasz Żak", "Émile Ébène", "Юрий Орлов")
    assert guess_personal(table(column), column) is not None


def test_things_are_nobodys_data_in_any_language() -> None:
    columns = [text(name) for name in ("nom", "bezeichnung", "libellé", "kind", "usage", "nombre", "artikelname")]
    facts = TableFacts(name="artikel", columns=tuple(columns), key=("id",), rows=100)
    assert [guess_personal(facts, column) for column in columns] == [None] * len(columns)


@pytest.mark.parametrize(
    ("names", "title"),
    [
        (["artikel_nr", "Bezeichnung", "Preis", "angelegt_am"], "Bezeichnung"),
        (["référence", "libellé", "montant"], "libellé"),
        (["id_code", "intitulé", "état"], "intitulé"),
    ],
)
def test_records_are_known_by_german_and_french_titles(names: list[str], title: str) -> None:
    guess = guess_title(table(*(text(name) for name in names)))

    assert guess is not None
    assert guess.value == title


def test_what_a_machine_wrote_is_of_no_day_in_any_language() -> None:
    columns = [text("bezeichnung"), text("créé_par"), text("geändert_von"), text("updated_by"), text("zustand")]
    assert [g.value for g in guess_everyday(table(*columns), "bezeichnung")] == ["bezeichnung", "zustand"]
