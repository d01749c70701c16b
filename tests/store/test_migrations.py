"""
A store of an older version, with something in it, brought to the newest.
"""

from __future__ import annotations

from collections.abc import Iterator

import pytest
import sqlalchemy as sa

from bouquet.rounds import rhythm_words
from bouquet.store import Store
from bouquet.store.models import Remembered, Round
from tests.conftest import OwnCluster


@pytest.fixture
def store(cluster: OwnCluster) -> Iterator[Store]:
    cluster.drop_database("older_test")
    cluster.ensure_database("older_test", "bouquet")
    made = Store(cluster.url("older_test", "bouquet", "test-only"))
    yield made
    made.close()
    cluster.drop_database("older_test")


def put(store: Store, *statements: str) -> None:
    with store.session() as session:
        for statement in statements:
            session.execute(sa.text(statement))


PERSON = (
    "INSERT INTO people (id, name, email, password_hash, roles) VALUES (1, 'A', 'a@b.example', 'x', '[\"designer\"]')"
)
TEMPLATE = (
    "INSERT INTO templates (id, name, owner_id, draft, draft_revision, draft_changed_at, draft_changed_by, version,"
    " sentence) VALUES (1, 'T', 1, '{}', 1, now(), 1, 0, '')"
)


def test_what_a_round_sent_is_remembered_for_each_of_its_recipients(store: Store) -> None:
    """For the folder, too, where there is one; of parts for each, and by hand, it stays one memory."""
    store.migrate("0016")
    rounds = ((1, "", "NULL"), (2, "f", "NULL"), (3, "", '\'{"fact": "code"}\''), (4, "f", "NULL"))
    put(
        store,
        *(PERSON, TEMPLATE),
        "INSERT INTO means (id, name, kind, settings, secret, created_at) VALUES (1, 'M', 'link', '{}', '', now())",
        "INSERT INTO recipients (id, name, acceptance, means_id, address, created_by, created_at)"
        " SELECT n, 'R' || n, '{}', 1, '{}', 1, now() FROM generate_series(1, 2) n",
        *(
            "INSERT INTO rounds (id, template_id, rhythm, zone, folder, format, own_part, next_at, created_by, paused)"
            f" VALUES ({n}, 1, '{{}}', 'UTC', '{folder}', 'csv', {part}, now(), 1, false)"
            for n, folder, part in rounds
        ),
        "INSERT INTO round_recipients (round_id, recipient_id, position)"
        " SELECT r, n, n FROM generate_series(1, 3) r, generate_series(1, 2) n",
        "INSERT INTO remembered (template_id, round_id, key, row, sent_at)"
        " SELECT 1, r, gen_random_uuid(), 1, now() FROM generate_series(0, 4) r, generate_series(1, 5)",
    )
    store.migrate()
    kept = sa.select(Remembered.round_id, Remembered.recipient_id, sa.func.count())
    with store.session() as session:
        found = session.execute(kept.group_by(Remembered.round_id, Remembered.recipient_id)).all()

    memories = {(0, 0), (1, 1), (1, 2), (2, 0), (2, 1), (2, 2), (3, 0), (4, 0)}
    assert {tuple(row) for row in found} == {(*whose, 5) for whose in memories}


def test_old_rounds_keep_their_rhythm(store: Store) -> None:
    """Daily, on weekdays, weekly: the same days at the same time."""
    store.migrate("0005")
    put(
        store,
        *(PERSON, TEMPLATE),
        *(
            "INSERT INTO rounds (id, template_id, beat, day, at, zone, folder, format, mode, paused, next_at, created_by)"
            f" VALUES ({number}, 1, '{beat}', {day}, '06:30', 'UTC', 'f', 'csv', 'new', false, now(), 1)"
            for number, (beat, day) in enumerate((("daily", 0), ("weekdays", 0), ("weekly", 4)), 1)
        ),
    )
    store.migrate()
    with store.session() as session:
        words = [rhythm_words(r) for r in session.scalars(sa.select(Round).order_by(Round.id))]

    assert words == ["every day at 06:30", "Monday to Friday at 06:30", "Fridays at 06:30"]
