"""
A store of an older version, with something in it, brought to the newest.
"""

from __future__ import annotations

from collections.abc import Iterator

import pytest
import sqlalchemy as sa

from bouquet.rounds import rhythm_words
from bouquet.store import Store
from bouquet.store.models import Round
from tests.conftest import OwnCluster


@pytest.fixture
def store(cluster: OwnCluster) -> Iterator[Store]:
    cluster.drop_database("older_test")
    cluster.ensure_database("older_test", "bouquet")
    made = Store(cluster.url("older_test", "bouquet", "test-only"))
    yield made
    made.close()
    cluster.drop_database("older_test")


def test_old_rounds_keep_their_rhythm(store: Store) -> None:
    """Daily, on weekdays, weekly: the same days at the same time."""
    store.migrate("0005")
    with store.session() as session:
        session.execute(
            sa.text(
                "INSERT INTO people (id, name, email, password_hash, roles) VALUES (1, 'A', 'a@b.example', 'x', '[\"designer\"]')"
            )
        )
        session.execute(
            sa.text(
                "INSERT INTO templates (id, name, owner_id, draft, draft_revision, draft_changed_at, draft_changed_by, version, sentence)"
                " VALUES (1, 'T', 1, '{}', 1, now(), 1, 0, '')"
            )
        )
        for number, (beat, day) in enumerate((("daily", 0), ("weekdays", 0), ("weekly", 4)), 1):
            session.execute(
                sa.text(
                    "INSERT INTO rounds (id, template_id, beat, day, at, zone, folder, format, mode, paused, next_at, created_by)"
                    f" VALUES ({number}, 1, '{beat}', {day}, '06:30', 'UTC', 'f', 'csv', 'new', false, now(), 1)"
                )
            )
    store.migrate()
    with store.session() as session:
        words = [rhythm_words(r) for r in session.scalars(sa.select(Round).order_by(Round.id))]

    assert words == ["every day at 06:30", "Monday to Friday at 06:30", "Fridays at 06:30"]
