"""
What somebody may see of record types and of personal data: by right, in the plan and in its words.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import polars as pl
import pytest

from bouquet.core.catalogue import Catalogue, Field, Kind, RecordType, Relation
from bouquet.core.layout import form_for
from bouquet.core.personal import CLASSES, EVERYTHING, Sight, class_of, pseudonym, seen_catalogue
from bouquet.core.plan import Context, Resolution, resolve
from bouquet.core.template import Acceptance, LayoutColumn, read_document
from bouquet.core.wording.sentence import Sentence
from tests.conftest import NOW


def text(name: str, label: str = "", **more: Any) -> Field:
    return Field(name=name, column=name, kind=Kind.TEXT, stored="text", label=label or name.capitalize(), **more)


CALL = RecordType(
    name="call", table="call", schema=None, label="call", plural="calls", key=("number",), title="caller",
    link="https://desk.example/{caller}",
    fields=(
        text("number"), text("caller", personal=True, personal_class="name"), text("about"),
        text("mail", "E-mail", personal=True), text("greeting", formula='="Dear " & {caller}', personal=True),
    ),
    relations=(Relation(name="place", label="Place", target="place", many=False, pairs=(("about", "number"),)),),
)  # fmt: skip
PLACE = RecordType(
    name="place", table="place", schema=None, label="place", plural="places", key=("number",), title="number",
    fields=(text("number"), text("keeper", personal=True, personal_class="name")), relations=(),
)  # fmt: skip
OF_ROSE = replace(CALL, name="roses", made_of="call", where={"path": "caller", "is": "is", "value": "Rose Pell"})
DESK = Catalogue(
    source="desk", title="Desk", environment="live", record_types={"call": CALL, "place": PLACE, "roses": OF_ROSE}
)
NO_NAMES = Sight(classes=(("name", "hidden"),))
MASKED_NAMES = Sight(classes=(("name", "masked"),))


def column(field: str) -> dict[str, Any]:
    return {"id": field.replace(".", "_"), "heading": field, "value": {"field": field}}


def resolved(sight: Sight, *fields: str, **more: Any) -> Resolution:
    document = {"name": "Calls", "records": "call", "columns": [column(f) for f in fields], **more}
    return resolve(read_document(document), DESK, Context(as_of=NOW, answers={}, sight=sight))


@pytest.mark.parametrize(
    ("name", "label", "said"),
    [
        ("mail", "E-mail", "contact"), ("rp_ph1", "Telephone", "contact"), ("resident", "Resident", "name"),
        ("dob", "Date of birth", "birth"), ("home", "Home address", "address"), ("iban", "IBAN", "money"),
        ("ni", "National insurance", "number"), ("diag", "Diagnosis", "health"), ("x1", "Remark", "other"),
    ],
)  # fmt: skip
def test_a_class_is_told_by_names(name: str, label: str, said: str) -> None:
    """Where nobody said it."""
    assert class_of(text(name, label, personal=True)) == said


def test_what_is_said_of_a_class_goes_before_names() -> None:
    """A house that calls its ferries persons says so."""
    assert class_of(text("resident", personal=True, personal_class="other")) == "other"


def test_what_is_hidden_is_not_there() -> None:
    """Nor is what is made of it, known by it, or made by it."""
    seen = seen_catalogue(DESK, NO_NAMES)
    call = seen.record_types["call"]

    assert [f.name for f in call.fields] == ["number", "about", "mail"]
    assert (call.title, call.link) == (None, None)
    assert set(seen.record_types) == {"call", "place"}


def test_a_record_type_known_by_what_is_hidden_is_closed() -> None:
    """Its keys would tell."""
    known_by_mail = replace(CALL, key=("mail",))
    catalogue = replace(DESK, record_types={"call": known_by_mail, "place": PLACE})

    assert set(seen_catalogue(catalogue, Sight(classes=(("contact", "masked"),))).record_types) == {"place"}


def test_closed_record_types_are_led_to_by_nothing() -> None:
    """And templates of them are not resolved."""
    seen = seen_catalogue(DESK, Sight(types=("call",)))
    found = resolve(read_document({"name": "x", "records": "place", "columns": [column("number")]}), seen, Context(
        as_of=NOW, sight=Sight(types=("call",))
    ))  # fmt: skip

    assert (set(seen.record_types), seen.record_types["call"].relations) == ({"call", "roses"}, ())
    assert [p.code for p in found.problems] == ["closed"]


def test_a_catalogue_is_seen_once_for_all_with_the_same_rights() -> None:
    """Nothing is made again at each question; and who sees all sees the catalogue itself."""
    assert seen_catalogue(DESK, NO_NAMES) is seen_catalogue(seen_catalogue(DESK, MASKED_NAMES), NO_NAMES)
    assert seen_catalogue(DESK, EVERYTHING) is DESK


def test_plain_columns_of_what_is_hidden_are_left_out() -> None:
    """It is said how many, not which."""
    found = resolved(NO_NAMES, "number", "caller", "place.keeper", "about")

    assert found.plan is not None
    assert [c.heading for c in found.plan.columns] == ["number", "about"]
    assert found.plan.unseen == 2
    assert [n.message for n in found.notes] == ["2 columns are left out: you may not see what it holds."]


@pytest.mark.parametrize(
    "more",
    [
        {"filter": {"path": "caller", "is": "is", "value": "Rose Pell"}},
        {"order": [{"path": "caller"}]},
        {"rows": {"per": "group", "by": [{"path": "caller"}]}},
        {"columns": [{"id": "f", "heading": "F", "value": {"formula": "=LEN({caller})"}}]},
        {"filter": {"formula": '={caller} = "Rose Pell"'}},
        {"output": {"split": {"by": "caller"}}},
    ],
)
@pytest.mark.parametrize("sight", [NO_NAMES, MASKED_NAMES])
def test_nothing_depends_on_what_is_not_seen(sight: Sight, more: dict[str, Any]) -> None:
    """A filter, an order, a group or a formula would tell of it; and no problem says what it is called."""
    found = resolve(
        read_document({"name": "x", "records": "call", "columns": [column("number")], **more}),
        DESK,
        Context(as_of=NOW, answers={}, sight=sight),
    )
    assert found.plan is None
    assert "Rose" not in str(found.problems)


def test_places_of_problems_count_the_whole_template() -> None:
    """Columns that are left out do not move what is wrong with others."""
    found = resolved(NO_NAMES, "caller", "number", "nothing")

    assert [p.place for p in found.problems] == ["columns[2].value.field"]


def test_masked_fields_are_shown_by_their_mask() -> None:
    """As a text that is still personal, whatever the field is."""
    found = resolved(MASKED_NAMES, "number", "caller")
    assert found.plan is not None
    shown = found.plan.columns[1]

    assert (shown.kind, shown.field.personal, shown.field.label) == (Kind.TEXT, True, "Caller")
    assert found.plan.personal == ("caller",)


def test_the_sentence_says_that_there_is_more() -> None:
    """A condition on what is hidden or masked is a part that one may not see; so are orders and groups."""
    document = {
        "name": "x", "records": "call", "columns": [column("number")],
        "filter": {"all": [{"path": "caller", "is": "is", "value": "Rose Pell"}, {"path": "about", "is": "not_blank"}]},
        "order": [{"path": "caller"}],
    }  # fmt: skip
    hidden, masked = (
        Sentence(read_document(document), seen_catalogue(DESK, sight), Context(as_of=NOW)).text()
        for sight in (NO_NAMES, MASKED_NAMES)
    )
    assert "1 part you may not see, and about is" in hidden
    assert "ordered by what you may not see" in hidden
    assert "1 part you may not see, and about is" in masked


def test_pseudonyms_are_of_one_secret() -> None:
    """The same value has the same one, and nobody can tell it without the secret."""
    own, other = pseudonym(b"own", "Rose Pell"), pseudonym(b"other", "Rose Pell")
    assert (own == pseudonym(b"own", "Rose Pell"), own == other, len(own)) == (True, False, 15)


def test_each_class_says_what_it_covers() -> None:
    """What is offered on screen comes from here."""
    assert all(known.title and known.meaning and known.masked for known in CLASSES.values())


def test_what_stands_beside_a_column_goes_with_it() -> None:
    """Addresses of links and far dates are those of their own column, wherever it stands in somebody's file, or gone."""
    found = resolved(EVERYTHING, "caller", "number", "about")
    assert found.plan is not None
    acceptance = Acceptance(
        personal=True, classes={"name": "hidden"}, columns=(LayoutColumn(heading="about"),), exact=False
    )
    form = form_for(acceptance, found.plan, "somebody")
    frame = form.frame(
        pl.DataFrame(
            {"c0": ["x"], "c1": ["1"], "c2": ["a"], "l0": ["of c0"], "l1": ["of c1"], "far2": ["of c2"], "k0": ["1"]}
        )
    )

    assert [c.heading for c in form.plan.columns] == ["about", "number"]
    assert frame.row(0, named=True) == {"c0": "a", "far0": "of c2", "c1": "1", "l1": "of c1", "k0": "1"}
