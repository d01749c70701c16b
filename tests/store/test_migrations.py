"""
A store of an older version, with something in it, brought to the newest.
"""

from __future__ import annotations

import os
import re
import subprocess
import sys
import uuid
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import pytest
import sqlalchemy as sa

from bouquet.rounds import rhythm_words
from bouquet.runs import Services, ask_for_run, execute
from bouquet.store import OtherVersion, Store
from bouquet.store.database import NEWEST
from bouquet.store.models import Base, Remembered, Round
from bouquet.store.runs import get_run
from tests.conftest import OwnCluster

#: From this version on, migrations take nothing away that the version before works with.
ROLLING = 21


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


#: A value of each kind of column, for a row that only has to be there.
VALUES = {
    "TIMESTAMP": "2026-01-01T00:00:00Z",
    "TIME": "06:00",
    "INT": 1,
    "BOOL": False,
    "UUID": str(uuid.UUID(int=1)),
    "BYTEA": b"0",
}


def value(column: dict[str, Any], allowed: dict[str, str]) -> Any:
    name, kind = column["name"], str(column["type"]).upper()
    if name in allowed or name == "status":
        return allowed.get(name, "ready")
    if "JSON" in kind:
        return "{}" if name in ("draft", "document", "settings", "address", "acceptance", "facts", "answers") else "[]"
    return next((v for k, v in VALUES.items() if k in kind), "x")


def fill(store: Store) -> list[str]:
    """Put a row into each table, as its columns and constraints want it; the names of these tables."""
    inspector = sa.inspect(store.engine)
    tables = [t for t, _ in inspector.get_sorted_table_and_fkc_names() if t and t != "alembic_version"]
    # Only what is old enough may be there.
    tables = [t for t in tables if t != "journal_retired"]
    for table in tables:
        checks = " ".join(c["sqltext"] for c in inspector.get_check_constraints(table))
        allowed = dict(re.findall(r"\(?(\w+)\)?(?:::text)? = ANY \(+ARRAY\['([^']*)'", checks))
        refers = {n for key in inspector.get_foreign_keys(table) for n in key["constrained_columns"]}
        wanted = [c for c in inspector.get_columns(table) if c["name"] == "id" or not (c["nullable"] or c["default"])]
        row = {c["name"]: 1 if c["name"] in refers else value(c, allowed) for c in wanted}
        with store.session() as session:
            names, values = ", ".join(f'"{n}"' for n in row), ", ".join(f":{n}" for n in row)
            session.execute(sa.text(f"INSERT INTO {table} ({names}) VALUES ({values})"), row)
    return tables


@pytest.mark.parametrize("version", ["0001", "0010", "0019"])
def test_a_store_with_something_in_each_table_is_brought_up_to_date(store: Store, version: str) -> None:
    """All of it is there afterwards, and can be read."""
    store.migrate(version)
    filled = fill(store)
    store.migrate()
    # What was a delivery into a folder is called a placing since version 11.
    renamed = {"deliveries": "placings"} if version < "0011" else {}
    with store.session() as session:
        for mapper in Base.registry.mappers:
            assert len(session.scalars(sa.select(mapper.class_)).all()) <= 1
        counts = {t: session.scalar(sa.text(f"SELECT count(*) FROM {renamed.get(t, t)}")) for t in filled}

    assert [t for t, rows in counts.items() if rows != 1] == []


def tables_of(store: Store) -> dict[str, dict[str, Any]]:
    inspector = sa.inspect(store.engine)
    return {t: {c["name"]: c for c in inspector.get_columns(t)} for t in inspector.get_table_names()}


def test_the_version_before_works_on_over_a_migration(store: Store) -> None:
    """Its tables and columns are there as they were, and it can leave out what is new."""
    broken = []
    store.migrate(f"{ROLLING:04}")
    for version in range(ROLLING + 1, int(NEWEST) + 1):
        before = tables_of(store)
        store.migrate(f"{version:04}")
        after = tables_of(store)
        for table, columns in before.items():
            for name, column in columns.items():
                new = after.get(table, {}).get(name)
                if new is None or str(new["type"]) != str(column["type"]) or (column["nullable"] > new["nullable"]):
                    broken.append(f"{version}: {table}.{name}")
            for name in after.get(table, {}).keys() - columns.keys():
                if not after[table][name]["nullable"] and after[table][name]["default"] is None:
                    broken.append(f"{version}: {table}.{name} has no default")

    assert broken == []


def test_a_run_is_made_where_all_tables_have_more_than_is_known(services: Services, people: dict[str, Any]) -> None:
    """As a worker that is not brought up to date yet makes it, beside one that is."""
    document = {
        "name": "Wards",
        "records": "ward",
        "columns": [{"id": "a", "heading": "Ward", "value": {"field": "name"}}],
    }
    added = [t for t in tables_of(services.store) if not t.startswith(("procrastinate", "alembic"))]
    change = [f"ALTER TABLE {t} ADD later text, ADD sooner int NOT NULL DEFAULT 7" for t in added]
    undo = [f"ALTER TABLE {t} DROP later, DROP sooner" for t in added]
    put(services.store, *change, "UPDATE alembic_version SET version_num = '9999'")
    try:
        services.store.check_version()
        number = ask_for_run(services, document, person=people["ines"], via="hand").id
        execute(services, number)
        with services.store.session() as session:
            made = get_run(session, number)
            assert (made.status, made.rows_written) == ("ready", 12)
        with pytest.raises(OtherVersion, match="newer version"):
            services.store.migrate()
    finally:
        put(services.store, *undo, f"UPDATE alembic_version SET version_num = '{NEWEST}'")


def test_tables_of_an_older_version_are_told_before_any_work(
    store: Store, shell: Callable[..., Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    """To who starts a worker or a server, and to who gives a command; so are tables that are not there."""
    monkeypatch.setenv("BOUQUET_STORE_URL", store.url)
    for version, told in ((None, "no tables yet"), ("0012", "an older version")):
        if version is not None:
            store.migrate(version)
        done = shell("worker")
        assert done.exit_code == 1, done.output
        assert told in done.stderr
    assert "older version" in shell("serve").stderr
    assert "“bouquet migrate”" in shell("run", "Wards", "--out", "out").stderr


@pytest.mark.thorough
def test_of_several_that_start_at_once_one_makes_the_tables(store: Store, tmp_path: Path) -> None:
    """The others wait, and find nothing to do."""
    environment = {**os.environ, "BOUQUET_STORE_URL": store.url, "BOUQUET_ENV_FILE": str(tmp_path / "none")}
    command = [sys.executable, "-m", "bouquet.cli", "migrate"]
    started = [
        subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, stderr=subprocess.STDOUT) for _ in range(3)
    ]
    said = [(p.communicate(timeout=120)[0].decode(), p.returncode) for p in started]

    assert [status for _, status in said] == [0, 0, 0], said
    store.check_version()
    assert "procrastinate_jobs" in tables_of(store)


def test_a_migration_makes_nobody_wait_behind_it(store: Store) -> None:
    """Where somebody works with a table for long, others go on working with it, and the migration comes after."""
    store.migrate("0023")
    with ThreadPoolExecutor(1) as pool:
        with store.engine.begin() as working:
            working.execute(sa.text("SELECT count(*) FROM recipients"))
            migrated = pool.submit(store.migrate)
            with store.engine.begin() as other:
                other.execute(sa.text("SET LOCAL statement_timeout = '20s'"))
                for _ in range(3):
                    other.execute(sa.text("SELECT pg_sleep(1)"))
                    other.execute(sa.text("SELECT count(*) FROM picks"))
            with store.engine.begin() as third:
                third.execute(sa.text("SELECT count(*) FROM recipients"))
            assert not migrated.done()
        migrated.result(60)

    store.check_version()
