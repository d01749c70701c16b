"""
Personal data that somebody may not see, or only masked, in what a real database gives.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from bouquet.core.catalogue import Catalogue
from bouquet.core.personal import Sight
from bouquet.core.plan import Context, resolve
from bouquet.core.sql import Statements
from bouquet.core.template import read_document
from bouquet.runs import count_tally, trace
from bouquet.sources import Source
from tests.conftest import NOW
from tests.sources.test_rights import documents
from tests.sources.test_rights import house as house

MASKED = Sight(usual="masked")
HIDDEN = Sight(usual="hidden")
REPORTS: dict[str, Any] = {
    "name": "Reports", "records": "resident_report", "order": [{"path": "number"}],
    "columns": [
        {"id": n, "heading": n, "value": {"field": n}} for n in ("number", "resident", "phone", "mail", "address")
    ],
}  # fmt: skip


def initials(value: str) -> str:
    words = value.strip().split(" ")
    return " ".join(f"{word[:1].upper()}." for word in words[:2])


def last_three(value: str) -> str:
    return "•••" + (value[-3:] if len(value) > 6 else "")


def place(value: str) -> str:
    _, comma, rest = value.rpartition(",")
    return rest.strip()[:200] if comma else "•••"


def read(source: Source, document: dict[str, Any], sight: Sight) -> list[dict[str, Any]]:
    plan = resolve(read_document(document), source.catalogue(), Context(as_of=NOW, answers={}, sight=sight)).require()
    with source.reader.snapshot() as snapshot:
        return snapshot.table(Statements(plan).rows()).to_pylist()


def test_masks_are_made_in_the_database(source: Source, query: Callable[[str], list[tuple[Any, ...]]]) -> None:
    """Initials, last characters and places, against hand-written SQL and Python; blank stays blank."""
    expected = {
        number: (name and initials(name), phone and last_three(phone), mail and last_three(mail), at and place(at))
        for number, name, phone, mail, at in query("SELECT rp_no, rp_nm, rp_ph1, rp_em, rp_addr FROM rp_report")
    }
    rows = read(source, REPORTS, MASKED)

    assert len(rows) == len(expected) > 500
    for row in rows:
        number, *masked = (row[f"c{n}"] for n in range(5))
        assert tuple(m or None for m in masked) == tuple(e or None for e in expected[number])


def test_what_is_hidden_is_in_no_statement(source: Source) -> None:
    """The database is not even asked for it."""
    plan = resolve(read_document(REPORTS), source.catalogue(), Context(as_of=NOW, answers={}, sight=HIDDEN)).require()

    assert (len(plan.columns), plan.unseen) == (1, 4)
    assert all(column not in str(Statements(plan).rows()) for column in ("rp_nm", "rp_ph1", "rp_em", "rp_addr"))


@pytest.fixture(scope="module")
def personal(house: Source) -> Catalogue:
    """The small house, in which every name is personal."""
    whole = house.catalogue()
    types = {
        n: replace(t, title=None, fields=tuple(replace(f, personal=f.name == "name") for f in t.fields))
        for n, t in whole.record_types.items()
    }
    return replace(whole, record_types=types)


@settings(max_examples=60, suppress_health_check=list(HealthCheck), deadline=None)
@given(st.data(), st.sampled_from([MASKED, HIDDEN]))
def test_nothing_personal_appears(house: Source, personal: Catalogue, data: st.DataObject, sight: Sight) -> None:
    """Random templates: no value of a masked or hidden field in rows, tallies, traces, or records left out."""
    document = data.draw(documents(personal))
    if document.get("rows", {}).get("per") != "group":
        document["columns"].append({"id": "id", "heading": "Id", "value": {"field": "id"}})
    found = resolve(
        read_document({"name": "T", **document}), personal, Context(as_of=NOW, answers={}, sight=sight)
    ).partial
    if found is None:
        return
    with house.reader.snapshot() as snapshot:
        said = [
            snapshot.table(Statements(found).rows()).to_pylist(),
            count_tally(snapshot, found, {}),
            *(trace(snapshot, found, {}, (key,)).record for key in ("0", "1", "99") if not found.by),
        ]
        for step in found.steps if not found.by else ():
            said.append(snapshot.table(Statements(found).left_out(step.place)).to_pylist())
    assert "theirs" not in str(said)
    assert "HIDDEN" not in str(said)
