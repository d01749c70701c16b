"""
Templates in the store: names, drafts, versions, people.
"""

from __future__ import annotations

import threading
import time
from datetime import timedelta
from typing import Any

import pytest

from bouquet.runs import Services
from bouquet.store import LostUpdate, NameTaken, NotFound, sign_ins, views
from bouquet.store import templates as shelf
from bouquet.store.models import Person
from tests.conftest import NOW

DOCUMENT = {"format": "bouquet-template/1", "name": "Trees", "records": "tree"}


def add(services: Services, person: Any, name: str = "Trees") -> int:
    with services.store.session() as session:
        return shelf.add_template(session, {**DOCUMENT, "name": name}, "", person, NOW).id


def test_a_name_is_taken_whatever_its_case(services: Services, people: dict[str, Any]) -> None:
    """Two templates cannot be told apart by capitals; a removed one gives its name back."""
    first = add(services, people["ines"])
    with pytest.raises(NameTaken):
        add(services, people["ines"], "TREES")
    with services.store.session() as session:
        assert shelf.free_name(session, "Trees") == "Trees 2"
        shelf.remove_template(session, first, NOW)

    assert add(services, people["ines"], "trees") != first


def test_a_change_from_an_old_revision_is_refused_and_says_whose_came_first(
    services: Services, people: dict[str, Any]
) -> None:
    """A lost update is noticed; the draft keeps the change that came first."""
    made = add(services, people["ines"])
    with services.store.session() as session:
        shelf.change_draft(session, made, {**DOCUMENT, "about": "hers"}, "", 1, people["marta"], NOW)
    with pytest.raises(LostUpdate, match="Marta Lindqvist") as caught, services.store.session() as session:
        shelf.change_draft(session, made, {**DOCUMENT, "about": "mine"}, "", 1, people["ines"], NOW)

    assert caught.value.revision == 2
    with services.store.session() as session:
        assert shelf.get_template(session, made).draft["about"] == "hers"


def test_versions_are_counted_and_never_change(services: Services, people: dict[str, Any]) -> None:
    """Each save keeps the draft of that moment."""
    made = add(services, people["ines"])
    for n in (1, 2):
        with services.store.session() as session:
            shelf.change_draft(session, made, {**DOCUMENT, "about": str(n)}, "", n, people["ines"], NOW)
            shelf.save_version(session, made, f"note {n}", people["ines"], NOW)
    with services.store.session() as session:
        found = [(v.number, v.document["about"], v.note, by) for v, by in shelf.list_versions(session, made)]
        latest = shelf.latest_version(session, made)

    assert found == [(2, "2", "note 2", "Ines Harrow"), (1, "1", "note 1", "Ines Harrow")]
    assert latest is not None
    assert latest.number == 2


def test_what_is_not_there_is_not_found(services: Services) -> None:
    """An unknown number is an error of its own."""
    with pytest.raises(NotFound), services.store.session() as session:
        shelf.get_template(session, 999)


def test_signing_in_takes_address_and_password(services: Services) -> None:
    """Wrong ones give nothing; the token is kept as a digest only and runs out."""
    from sqlalchemy import select

    from bouquet.store.models import Person, SignIn

    with services.store.session() as session:
        assert sign_ins.sign_in(session, "ines@marrowby.example", "wrong", NOW, 1) is None
        assert sign_ins.sign_in(session, "nobody@marrowby.example", "damson-and-lime", NOW, 1) is None
        found = sign_ins.sign_in(session, " INES@marrowby.example", "damson-and-lime", NOW, 1)
        assert found is not None
        token, person = found
        session.flush()

        assert sign_ins.signed_in(session, token, NOW) == person
        assert sign_ins.signed_in(session, token, NOW + timedelta(hours=2)) is None
        assert token not in session.scalars(select(SignIn.token_digest)).all()
        assert person.password_hash.startswith("$argon2id$")
        sign_ins.sign_out(session, token)
        assert sign_ins.signed_in(session, token, NOW) is None
        assert all("damson" not in p.password_hash for p in session.scalars(select(Person)))


def test_two_preferences_changed_at_once_are_both_kept(services: Services, people: dict[str, Any]) -> None:
    """The second waits for the first instead of undoing it."""
    ines, begun = people["ines"], threading.Event()

    def change_locale() -> None:
        begun.set()
        with services.store.session() as session:
            views.put_preferences(session, ines, {"locale": "de-DE"})

    other = threading.Thread(target=change_locale)
    with services.store.session() as session:
        views.put_preferences(session, ines, {"theme": "dark"})
        other.start()
        begun.wait()
        time.sleep(0.3)
    other.join()
    with services.store.session() as session:
        kept = session.get_one(Person, ines.id).preferences

    assert kept == {"theme": "dark", "locale": "de-DE"}
